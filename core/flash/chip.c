/* The table of built-in chips: what chips/ says, which test_chips compares. */
#include "wrytograph/chip.h"

#include "flash_names.h"

#define COUNT(array) (sizeof(array) / sizeof(array)[0])

static const struct wry_usual_region sanderling[] = {
    {"app", WRY_REGION_APP, {WRY_USUAL_START, 0}, {WRY_USUAL_END, 0x10000}},
    {"calibration", WRY_REGION_SETTINGS, {WRY_USUAL_END, 0x10000}, {WRY_USUAL_END, 0}},
};

static const struct wry_usual_region turnstone[] = {
    {"start", WRY_REGION_START, {WRY_USUAL_START, 0x4000}, {WRY_USUAL_START, 0xE000}},
    {"table", WRY_REGION_TABLE, {WRY_USUAL_START, 0xE000}, {WRY_USUAL_START, 0xF000}},
    {"calibration", WRY_REGION_SETTINGS, {WRY_USUAL_START, 0x10000}, {WRY_USUAL_START, 0x40000}},
    {"app", WRY_REGION_APP, {WRY_USUAL_START, 0x40000}, {WRY_USUAL_MIDDLE, 0}},
    {"files", WRY_REGION_FILES, {WRY_USUAL_MIDDLE, 0}, {WRY_USUAL_END, 0}},
};

static const struct wry_usual_region dunlin[] = {
    {"start", WRY_REGION_START, {WRY_USUAL_START, 0}, {WRY_USUAL_START, 0x10000}},
    {"calibration", WRY_REGION_SETTINGS, {WRY_USUAL_START, 0x10000}, {WRY_USUAL_START, 0x30000}},
    {"app", WRY_REGION_APP, {WRY_USUAL_START, 0x30000}, {WRY_USUAL_MIDDLE, 0}},
    {"files", WRY_REGION_FILES, {WRY_USUAL_MIDDLE, 0}, {WRY_USUAL_END, 0}},
};

static const struct wry_chip chips[] = {
    {.code = WRY_CHIP_SANDERLING_S1,
     .name = "sanderling-s1",
     .title = "Sanderling S1",
     .cores = 1,
     .instructions = WRY_INSTRUCTIONS_THUMB,
     .wants_header = true,
     .read_lines_most = 2,
     .read_clock_most = 40,
     .strap = "LOAD",
     .says_loading = "strap held: loading mode",
     .says_nothing = "nothing to run, waiting for reset",
     .start_offset = 0x0,
     .table_offset = WRY_NO_OFFSET,
     .app_offset = 0x0,
     .flash_min = 0x80000,
     .flash_max = 0x200000,
     .boot_speed = 38400,
     .run_speed = 115200,
     .top_speed = 921600,
     .usual = sanderling,
     .usual_count = COUNT(sanderling)},
    {.code = WRY_CHIP_TURNSTONE_T2,
     .name = "turnstone-t2",
     .title = "Turnstone T2",
     .cores = 2,
     .instructions = WRY_INSTRUCTIONS_THUMB,
     .wants_header = true,
     .read_lines_most = 4,
     .read_clock_most = 80,
     .strap = "BOOT",
     .says_loading = "strap held: loading mode",
     .says_nothing = "nothing to run, waiting for reset",
     .start_offset = 0x4000,
     .table_offset = 0xE000,
     .app_offset = 0x40000,
     .flash_min = 0x400000,
     .flash_max = 0x1000000,
     .boot_speed = 115200,
     .run_speed = 115200,
     .top_speed = 2000000,
     .usual = turnstone,
     .usual_count = COUNT(turnstone)},
    {.code = WRY_CHIP_DUNLIN_D3,
     .name = "dunlin-d3",
     .title = "Dunlin D3",
     .cores = 1,
     .instructions = WRY_INSTRUCTIONS_RISCV,
     .wants_header = true,
     .read_lines_most = 4,
     .read_clock_most = 80,
     .strap = "MODE",
     .says_loading = "strap held: loading mode",
     .says_nothing = "nothing to run, waiting for reset",
     .start_offset = 0x0,
     .table_offset = WRY_NO_OFFSET,
     .app_offset = 0x30000,
     .flash_min = 0x200000,
     .flash_max = 0x10000000,
     .boot_speed = 115200,
     .run_speed = 115200,
     .top_speed = 2000000,
     .usual = dunlin,
     .usual_count = COUNT(dunlin)},
};

const struct wry_chip *wry_chip_at(size_t n)
{
    return n < COUNT(chips) ? &chips[n] : NULL;
}

const struct wry_chip *wry_chip_by_code(uint16_t code)
{
    for (size_t i = 0; i < COUNT(chips); i++) {
        if (chips[i].code == code)
            return &chips[i];
    }
    return NULL;
}

const struct wry_chip *wry_chip_by_name(const char *name)
{
    for (size_t i = 0; i < COUNT(chips); i++) {
        if (names_are_same(chips[i].name, name))
            return &chips[i];
    }
    return NULL;
}
