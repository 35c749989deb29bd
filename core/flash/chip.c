/* The table of chip descriptions. */
#include "wrytograph/chip.h"

#include "flash_names.h"

static const struct wry_chip chips[] = {
    {.code = WRY_CHIP_SANDERLING_S1,
     .name = "sanderling-s1",
     .title = "Sanderling S1",
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
     .top_speed = 921600},
    {.code = WRY_CHIP_TURNSTONE_T2,
     .name = "turnstone-t2",
     .title = "Turnstone T2",
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
     .top_speed = 2000000},
    {.code = WRY_CHIP_DUNLIN_D3,
     .name = "dunlin-d3",
     .title = "Dunlin D3",
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
     .flash_max = 0x8000000,
     .boot_speed = 115200,
     .run_speed = 115200,
     .top_speed = 2000000},
};

const struct wry_chip *wry_chip_at(size_t n)
{
    return n < sizeof chips / sizeof chips[0] ? &chips[n] : NULL;
}

const struct wry_chip *wry_chip_by_code(uint16_t code)
{
    for (size_t i = 0; i < sizeof chips / sizeof chips[0]; i++) {
        if (chips[i].code == code)
            return &chips[i];
    }
    return NULL;
}

const struct wry_chip *wry_chip_by_name(const char *name)
{
    for (size_t i = 0; i < sizeof chips / sizeof chips[0]; i++) {
        if (names_are_same(chips[i].name, name))
            return &chips[i];
    }
    return NULL;
}
