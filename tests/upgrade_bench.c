/* A board that holds a version of a program, all of which is known. */
#include "upgrade_bench.h"

#include <string.h>

#include "demo/program_like.h"
#include "harness.h"
#include "pack/content_packer.h"

void upgrade_bench_begin(struct upgrade_bench *bench, const struct rig_setup *setup,
                         uint32_t offset, uint32_t length, const uint8_t *content)
{
    struct wry_fault fault;
    struct rig *rig = bench->rig = rig_new(setup);

    fill_like_program(rig->flash + offset, length, setup->seed % 3, 0);
    memcpy(rig->before, rig->flash, rig->flash_size);
    known_init(&bench->known, rig->flash_size);
    known_add(&bench->known, 0, rig->flash, rig->flash_size);
    bench->known.guesses = true;
    bench->pack = pack_new();
    rig->config.packer = pack_packer(bench->pack);
    rig->config.known = &bench->known.known;
    if (setup->max_speed == 0)
        rig->config.max_speed = 115200;
    rig_new_session(rig, 7);
    bench->item =
        (struct wry_placement){.offset = offset, .length = length, .reader = rig_reader(content)};
    CHECK_EQUAL(WRY_OK, wry_plan_init(&bench->plan, &bench->item, 1, rig->flash_size, &fault));
}

void upgrade_bench_end(struct upgrade_bench *bench)
{
    pack_free(bench->pack);
    known_free(&bench->known);
    rig_free(bench->rig);
}
