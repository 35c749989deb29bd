/*
 * A session with a board that tells the truth for a while and lies then, as the input says: what is
 * called written stands in the flash, what is called the same is, nothing beside it changed, and
 * every call ends.
 */
#include <string.h>

#include "corrupter.h"
#include "door.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "wrytograph/bytes.h"

enum {
    FLASH_SIZE = 0x80000,
    PATIENCE = 3000000,
    AT = 0x10123,
    LENGTH = 0x5432,
};

#define TIME_MOST UINT64_C(400000000000) /* ns */

enum job {
    WRITE_PAGES,
    WRITE_PACKED,
    VERIFY_SAME,
    VERIFY_OTHER,
    READ,
    BACK_UP,
    DIGEST,
    ESTIMATE,
    JOBS,
};

static uint8_t content[LENGTH], filling[FLASH_SIZE];

struct lies {
    struct door_input input;
    struct corrupter corrupter;
};

static uint64_t draw(void *from)
{
    struct lies *lies = from;

    if (lies->input.at == lies->input.n) {
        lies->corrupter.truthful = UINT32_MAX;
        return 1;
    }
    uint64_t byte = door_byte(&lies->input);
    return byte ^ byte << 20;
}

/* What comes lies within what was asked for, in any order. */
static bool look(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    uint32_t *came = context;

    MUST(n > 0 && offset - AT <= LENGTH && n <= AT + LENGTH - offset);
    *came += (uint32_t)n;
    return wry_crc32(0, bytes, n) != 1;
}

static bool accept_part(void *context, const struct wry_cost_part *part,
                        const struct wry_cost *cost)
{
    (void)context;
    (void)part;
    (void)cost;
    return true;
}

static void prepare(struct rig *rig, enum job job)
{
    static bool filled;

    if (!filled) {
        rig_mixed(filling, sizeof filling, 5);
        rig_mixed(content, sizeof content, 6);
        filled = true;
    }
    memcpy(rig->flash, filling, FLASH_SIZE);
    if (job == VERIFY_SAME)
        memcpy(rig->flash + AT, content, LENGTH);
    memcpy(rig->before, rig->flash, FLASH_SIZE);
}

static void work(struct rig *rig, enum job job)
{
    struct wry_placement item = {.offset = AT, .length = LENGTH, .reader = rig_reader(content)};
    struct wry_estimate_sink sink = {.part = accept_part};
    struct wry_plan plan;
    struct wry_fault fault;
    uint32_t came = 0;
    struct wry_writer writer = {.context = &came, .write = look};
    uint8_t digest[WRY_SHA256_SIZE];
    size_t written = 0;
    bool right = true;

    MUST(wry_plan_init(&plan, &item, 1, FLASH_SIZE, &fault) == WRY_OK);
    if (wry_session_connect(&rig->session) != WRY_OK || wry_session_recover(&rig->session, NULL))
        return;
    switch (job) {
    case WRITE_PAGES:
    case WRITE_PACKED:
        written = wry_session_write(&rig->session, &plan) == WRY_OK;
        right = !written || rig_holds(rig, &item, 1);
        break;
    case VERIFY_SAME:
    case VERIFY_OTHER:
        right = wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, NULL) != WRY_OK ||
                job == VERIFY_SAME;
        break;
    case READ:
        right = wry_session_read(&rig->session, AT, LENGTH, &writer) != WRY_OK || came >= LENGTH;
        break;
    case BACK_UP:
        right = wry_session_back_up(&rig->session, AT, LENGTH, &writer, digest) != WRY_OK ||
                came >= LENGTH;
        break;
    case DIGEST:
        wry_session_digest(&rig->session, AT, LENGTH, digest);
        break;
    default:
        wry_session_estimate(&rig->session, &plan, &sink);
        break;
    }
    MUST(right);
    if (job > WRITE_PACKED)
        MUST(rig_holds(rig, NULL, 0));
    wry_session_start(&rig->session);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static struct lies lies;
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1,
                                                  .chip_code = WRY_CHIP_SANDERLING_S1,
                                                  .flash_size = FLASH_SIZE,
                                                  .blank = true,
                                                  .plain_reads = n % 2});

    lies.input = (struct door_input){.bytes = bytes, .n = n};
    enum job job = (enum job)(door_byte(&lies.input) % JOBS);
    struct pack *pack = job == WRITE_PACKED ? pack_new() : NULL;
    prepare(rig, job);
    rig->config.patience = PATIENCE;
    rig->config.packer = pack ? pack_packer(pack) : NULL;
    rig_new_session(rig, 7);
    corrupter_begin(&lies.corrupter, rig, draw, &lies);
    work(rig, job);
    MUST(rig->adapter.now < TIME_MOST);
    pack_free(pack);
    rig_free(rig);
    return 0;
}
