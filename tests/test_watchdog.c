/* A board with a watchdog, that sleeps as long as its loader says: it is fed in time, whatever goes
 * on, and however slow the flash is. */
#include <string.h>

#include "harness.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/chip.h"

#define NS_PER_MS UINT64_C(1000000)
#define WATCHDOG (200 * NS_PER_MS)

enum { LENGTH = 0x28000 + 300, OFFSET = 0x10123, IDLE_MS = 3000 };

static uint8_t content[LENGTH], blank[LENGTH];

static bool forget(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)offset;
    (void)bytes;
    (void)n;
    return true;
}

static enum wry_status write_bytes(struct rig *rig, const uint8_t *bytes)
{
    struct wry_placement item = {.offset = OFFSET, .length = LENGTH, .reader = rig_reader(bytes)};
    struct wry_plan plan;
    struct wry_fault fault;
    enum wry_status status = wry_plan_init(&plan, &item, 1, rig->flash_size, &fault);

    if (status == WRY_OK)
        status = wry_session_write(&rig->session, &plan);
    CHECK(status != WRY_OK || rig_holds(rig, &item, 1));
    return status;
}

static void idle(struct rig *rig)
{
    sim_adapter_advance(&rig->adapter, rig->adapter.now + IDLE_MS * NS_PER_MS, false);
}

/* All that a host asks for. */
static void work(struct rig *rig)
{
    struct wry_session *session = &rig->session;
    struct wry_writer writer = {.write = forget};
    uint8_t digest[WRY_SHA256_SIZE];

    CHECK_EQUAL(WRY_OK, wry_session_connect(session));
    idle(rig);
    CHECK_EQUAL(WRY_OK, write_bytes(rig, content));
    CHECK_EQUAL(WRY_OK, wry_session_back_up(session, 0, 0x40000, &writer, digest));
    CHECK_EQUAL(WRY_OK, wry_session_digest(session, 0, rig->flash_size, digest));
    content[LENGTH / 2] ^= 1;
    CHECK_EQUAL(WRY_OK, write_bytes(rig, content));
    CHECK_EQUAL(WRY_OK, write_bytes(rig, blank));
    idle(rig);
    CHECK_EQUAL(WRY_OK, wry_session_read(session, 0, 0x8000, &writer));
}

struct line {
    uint32_t speed, spi_hz;
};

static void it_never_bites(void)
{
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2,
                                     WRY_CHIP_DUNLIN_D3};
    static const struct line lines[] = {
        {19200, 10000000}, {115200, 40000000}, {0, 10000000}, {0, 80000000}};

    memset(blank, 0xFF, sizeof blank);
    for (unsigned i = 0; i < 3 * 4 * 2; i += check_one_in(3)) {
        bool packs = i / 12;
        const struct line *line = &lines[i / 3 % 4];
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = i, .chip_code = chips[i % 3], .flash_size = 0x80000, .max_speed = line->speed});
        struct pack *pack = pack_new();
        rig_mixed(content, sizeof content, i);
        rig->board.sleeps = true;
        rig->board.watchdog = WATCHDOG;
        rig->board.die.slowest = true;
        rig->board.die.spi_hz = line->spi_hz;
        rig->config.packer = packs ? pack_packer(pack) : NULL;
        rig_new_session(rig, 7);
        check_context("chip 0x%04X at %u baud, SPI %u Hz, %s", chips[i % 3], line->speed,
                      line->spi_hz, packs ? "packed" : "as pages");
        work(rig);
        CHECK_EQUAL(0, rig->board.bitten);
        CHECK_EQUAL(0, wry_session_stats(&rig->session)->reconnects);
        pack_free(pack);
        rig_free(rig);
    }
}

/* Or the fact above could not fail. */
static void a_board_that_oversleeps_is_bitten(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1, .flash_size = 0x80000});

    rig->board.sleeps = true;
    rig->board.watchdog = 50 * NS_PER_MS;
    sim_adapter_hold_strap(&rig->adapter, true);
    sim_adapter_power(&rig->adapter, false);
    sim_adapter_power(&rig->adapter, true);
    idle(rig);
    CHECK(rig->board.bitten > 1);
    rig_free(rig);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(it_never_bites),
                                        FACT(a_board_that_oversleeps_is_bitten)};

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
