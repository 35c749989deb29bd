/* A simulated board with a session on it. */
#include "rig.h"

#include <stdlib.h>
#include <string.h>

#include "sim/random.h"

void rig_random(uint8_t *to, size_t n, uint64_t seed)
{
    for (; n > 0; to += 8) {
        uint64_t word = sim_random(&seed);
        for (unsigned i = 0; i < 8 && n > 0; i++, n--)
            to[i] = (uint8_t)(word >> 8 * i);
    }
}

static bool on_progress(void *context, const struct wry_session_progress *progress)
{
    struct rig *rig = context;

    if (progress->step == WRY_STEP_WRITE)
        rig->write = *progress;
    return ++rig->reports == rig->stop_after;
}

void rig_new_session(struct rig *rig, uint32_t token)
{
    rig->config.token = token;
    rig->config.context = rig;
    rig->config.progress = on_progress;
    wry_session_init(&rig->session, &rig->adapter.port, &rig->config);
}

struct rig *rig_new(const struct rig_setup *setup)
{
    uint16_t code = setup->chip_code ? setup->chip_code : WRY_CHIP_TURNSTONE_T2;
    const struct wry_chip *chip = wry_chip_by_code(code);
    struct wry_board_identity identity = {.chip_code = code,
                                          .chip_revision = 1,
                                          .eui48 = {0x02, 0x57, 0x52, 1, 2, 3},
                                          .top_speed = chip->top_speed};
    struct rig *rig = calloc(1, sizeof *rig);

    rig->flash_size = setup->flash_size ? setup->flash_size : 0x400000;
    rig->flash = malloc(rig->flash_size);
    rig->before = malloc(rig->flash_size);
    if (setup->blank)
        memset(rig->flash, 0xFF, rig->flash_size);
    else
        rig_random(rig->flash, rig->flash_size, setup->seed + 1000);
    memcpy(rig->before, rig->flash, rig->flash_size);
    sim_board_init(&rig->board, chip, &identity, rig->flash, rig->flash_size, setup->seed);
    sim_board_set_faults(&rig->board, &setup->faults);
    sim_adapter_init(&rig->adapter, &rig->board, setup->seed);
    sim_adapter_power(&rig->adapter, true);
    rig->config.max_speed = setup->max_speed;
    rig->read_memory = malloc(WRY_SESSION_READ_MEMORY);
    rig->kept = malloc(RIG_KEPT_SECTORS * sizeof *rig->kept);
    rig->config.kept = rig->kept;
    rig->config.kept_count = RIG_KEPT_SECTORS;
    rig->config.read_memory = setup->plain_reads ? NULL : rig->read_memory;
    rig_new_session(rig, (uint32_t)setup->seed + 1);
    return rig;
}

bool rig_put_cable_back(void *context, const struct wry_session_progress *progress)
{
    struct rig *rig = context;

    if (progress->lost) {
        rig->board.faults.cable_cut = 0;
        rig->adapter.to_board.cut = rig->adapter.to_host.cut = false;
    }
    return false;
}

bool rig_switch_on_again(void *context, const struct wry_session_progress *progress)
{
    struct rig *rig = context;

    if (progress->lost && rig->board.state == SIM_BOARD_OFF) {
        rig->board.die.cut_at_operation = rig->board.die.cut_due = 0;
        sim_adapter_power(&rig->adapter, true);
    }
    return false;
}

void rig_mend_by(struct rig *rig,
                 bool (*mend)(void *context, const struct wry_session_progress *progress))
{
    rig->config.progress = mend;
    wry_session_init(&rig->session, &rig->adapter.port, &rig->config);
}

void rig_mixed(uint8_t *to, size_t n, uint64_t seed)
{
    uint64_t random = seed + 1, kinds = sim_random(&random);

    for (size_t at = 0; at < n;) {
        uint64_t what = kinds >> sim_random(&random) % 60 & 7;
        size_t length = 1 + sim_random(&random) % (what == 7 ? 9000 : 500);
        size_t from = at > 0 ? sim_random(&random) % at : 0;
        for (; length > 0 && at < n; length--, at++, from++) {
            if (what < 3 && at > 0)
                to[at] = to[from];
            else if (what == 3)
                to[at] = 0xFF;
            else
                to[at] = (uint8_t)(what < 6 ? 'a' + sim_random(&random) % 12 : sim_random(&random));
        }
    }
}

void rig_free(struct rig *rig)
{
    free(rig->flash);
    free(rig->before);
    free(rig->read_memory);
    free(rig->kept);
    free(rig);
}

static bool read_bytes(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    memcpy(to, (const uint8_t *)context + offset, n);
    return true;
}

struct wry_reader rig_reader(const uint8_t *bytes)
{
    return (struct wry_reader){.context = (void *)(uintptr_t)bytes, .read = read_bytes};
}

bool rig_holds(const struct rig *rig, const struct wry_placement *placements, size_t count)
{
    uint8_t *expected = malloc(rig->flash_size);

    memcpy(expected, rig->before, rig->flash_size);
    for (size_t i = 0; i < count; i++)
        memcpy(expected + placements[i].offset, placements[i].reader.context, placements[i].length);
    bool holds = memcmp(expected, rig->flash, rig->flash_size) == 0;
    free(expected);
    return holds;
}
