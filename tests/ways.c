#include "ways.h"

#include <stdlib.h>
#include <string.h>

#include "forced_packer.h"
#include "known.h"
#include "pack/content_packer.h"
#include "rig.h"

struct ways_result ways_write(const struct ways_case *one, enum way way)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1,
                                                  .chip_code = one->chip,
                                                  .flash_size = 0x200000,
                                                  .max_speed = one->baud,
                                                  .blank = true});
    struct wry_placement item = {
        .offset = one->offset, .length = one->length, .reader = rig_reader(one->after)};
    struct pack *pack = pack_new();
    struct forced_packer forced;
    struct known known;
    struct wry_plan plan;
    struct wry_fault fault;
    struct ways_result result = {.written = false};

    if (one->before_length > 0)
        memcpy(rig->flash + one->offset, one->before, one->before_length);
    memcpy(rig->before, rig->flash, rig->flash_size);
    known_init(&known, rig->flash_size);
    known_add(&known, 0, rig->flash, rig->flash_size);
    known.guesses = true;
    forced_packer_init(&forced, pack_packer(pack), WRY_CODING_DEFLATE, false);
    rig->config.packer = way == WAY_PAGES     ? NULL
                         : way == WAY_DEFLATE ? &forced.packer
                                              : pack_packer(pack);
    rig->config.known =
        way == WAY_CHOSEN || way == WAY_EVERY_SECTOR || way == WAY_LOOK ? &known.known : NULL;
    rig->config.every_sector = way == WAY_EVERY_SECTOR;
    rig_new_session(rig, 5);
    rig->adapter.inbox.latency = one->latency_ms * UINT64_C(1000000);
    if (wry_session_connect(&rig->session) == WRY_OK &&
        wry_plan_init(&plan, &item, 1, rig->flash_size, &fault) == WRY_OK) {
        if (way == WAY_DEFLATE) /* offered to such boards only */
            rig->session.board.features &= (uint16_t)~WRY_FEATURE_LZMA;
        if (way == WAY_LOOK) /* then samples decide only where all of them differ */
            rig->session.board.features &= (uint16_t)~WRY_FEATURE_SPREAD;
        uint64_t begun = rig->adapter.now;
        result.written =
            wry_session_write(&rig->session, &plan) == WRY_OK && rig_holds(rig, &item, 1);
        result.seconds = (double)(rig->adapter.now - begun) / 1e9;
        result.bytes = (unsigned)wry_session_stats(&rig->session)->content_sent;
    }
    pack_free(pack);
    known_free(&known);
    rig_free(rig);
    return result;
}
