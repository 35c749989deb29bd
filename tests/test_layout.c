/* Layouts: built in, from files, and the range that block-protect bits lock. */
#include <glib.h>
#include <stdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "store/image/layout_file.h"
#include "wrytograph/layout.h"
#include "wrytograph/message.h"

static void every_chip_has_a_sound_layout_for_every_flash_size(void)
{
    struct wry_region_table layout;
    uint32_t which, other;
    unsigned count = 0;

    for (size_t i = 0; wry_chip_at(i); i++) {
        const struct wry_chip *chip = wry_chip_at(i);
        for (uint32_t size = chip->flash_min; size <= chip->flash_max; size *= 2, count++) {
            check_context("%s %u KiB", chip->name, (unsigned)(size / 1024));
            CHECK(wry_layout_built_in(&layout, chip, size));
            CHECK_EQUAL(WRY_LAYOUT_FINE, wry_layout_check(&layout, size, &which, &other));
            CHECK(wry_layout_find(&layout, "app") != NULL);
            CHECK(wry_layout_at(&layout, chip->start_offset) != NULL);
            CHECK_EQUAL(chip->app_offset, wry_layout_find(&layout, "app")->offset);
        }
        CHECK(!wry_layout_built_in(&layout, chip, chip->flash_max * 2));
    }
    CHECK_EQUAL(14, count);
}

static void a_region_is_found_by_name_and_by_offset(void)
{
    struct wry_region_table layout;

    CHECK(wry_layout_built_in(&layout, wry_chip_by_code(WRY_CHIP_TURNSTONE_T2), 0x400000));
    CHECK(wry_layout_find(&layout, "attic") == NULL);
    CHECK(wry_layout_at(&layout, 0x40000) == wry_layout_find(&layout, "app"));
    CHECK(wry_layout_at(&layout, 0x1FFFFF) == wry_layout_find(&layout, "app"));
    CHECK(wry_layout_at(&layout, 0x200000) == wry_layout_find(&layout, "files"));
    CHECK(wry_layout_at(&layout, 0) == NULL);
}

/* Loads a layout for 4 MiB; NULL when it is fine, else the complaint (g_free). */
static char *complaint(const char *text)
{
    struct layout_file file;
    GError *error = NULL;

    scratch_write("layout.yaml", text, strlen(text));
    if (layout_file_load(scratch_file("layout.yaml"), 0x400000, &file, &error))
        return NULL;
    char *message = g_strdup(strrchr(error->message, '/') + 1);
    g_error_free(error);
    return message;
}

static void a_layout_file_gives_regions_and_rest_goes_to_the_end(void)
{
    static const char text[] = "chip: turnstone-t2\n"
                               "regions:\n"
                               "  - {name: app, kind: app, offset: 0x40000, length: 1536K}\n"
                               "  - name: log\n"
                               "    kind: files\n"
                               "    offset: 0x1C0000\n"
                               "    length: rest\n";
    struct layout_file file;

    scratch_write("layout.yaml", text, sizeof text - 1);
    CHECK(layout_file_load(scratch_file("layout.yaml"), 0x400000, &file, NULL));
    CHECK_EQUAL(2, file.layout.count);
    CHECK_EQUAL(0x180000, file.layout.regions[0].length);
    CHECK_EQUAL(WRY_REGION_APP, file.layout.regions[0].kind);
    CHECK_EQUAL(0x240000, file.layout.regions[1].length);
    CHECK(file.chip == wry_chip_by_code(WRY_CHIP_TURNSTONE_T2));
    CHECK(layout_file_load(scratch_file("layout.yaml"), 0x800000, &file, NULL));
    CHECK_EQUAL(0x640000, file.layout.regions[1].length);
}

static void what_is_wrong_with_a_layout_is_told_with_its_line(void)
{
    static const struct {
        const char *text, *complaint;
    } cases[] = {
        {"regions:\n- {name: a, offset: 0x1000, length: 8K}\n- {name: b, offset: 0x2000, length: "
         "4K}\n",
         "layout.yaml:3: region 'b' overlaps 'a' of line 2"},
        {"regions:\n- {name: a, offset: 0x1000, length: 4K}\n- {name: a, offset: 0x2000, length: "
         "4K}\n",
         "layout.yaml:3: the name 'a' is in line 2 already"},
        {"regions:\n- {name: a, offset: 0x1100, length: 4K}\n",
         "layout.yaml:2: region 'a' does not begin and end on a sector (multiples of 0x1000)"},
        {"regions:\n- {name: a, offset: 0x3FF000, length: 8K}\n",
         "layout.yaml:2: region 'a' ends beyond the end of the flash"},
        {"regions:\n- {name: a, offset: 0x400000, length: rest}\n",
         "layout.yaml:2: region 'a' begins beyond the end of the flash"},
        {"regions:\n- {name: a b, offset: 0x1000, length: 4K}\n",
         "layout.yaml:2: 'a b' is not a name: a letter, then up to 15 letters, digits, '-' and "
         "'_'; "
         "not all or rest"},
        {"regions:\n- {name: a, offset: 4096, length: 4K}\n",
         "layout.yaml:2: '4096' is not an offset: write it as 0x40000 or 256K"},
        {"regions:\n- {name: a, offset: 0x1000}\n",
         "layout.yaml:2: a region needs name, offset and length"},
        {"regions:\n- {name: a, offset: 0x1000, length: 4K, colour: red}\n",
         "layout.yaml:2: a region has name, kind, offset and length, not 'colour'"},
        {"regions:\n- {name: a, kind: shed, offset: 0x1000, length: 4K}\n",
         "layout.yaml:2: 'shed' is not a kind: start, table, app, settings or files"},
        {"chip: gull\n", "layout.yaml:1: there is no chip 'gull'"},
        {"regions: []\n", "layout.yaml:1: there are no regions"},
        {"\n\nregions: [\n", "layout.yaml:4: did not find expected node content"},
    };

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        g_autofree char *found = complaint(cases[i].text);
        check_context("%s", cases[i].complaint);
        CHECK(g_strcmp0(cases[i].complaint, found) == 0);
        if (g_strcmp0(cases[i].complaint, found) != 0)
            printf("found: %s\n", found ? found : "nothing");
    }
}

static void protect_bits_name_a_range(void)
{
    static const struct {
        uint8_t bits;
        uint32_t offset, length;
    } cases[] = {
        {0x00, 0, 0},
        {0x04, 0x3F0000, 0x10000},
        {0x14, 0x300000, 0x100000},
        {0x18, 0x200000, 0x200000},
        {0x1C, 0, 0x400000},
        {0x24, 0, 0x10000},
        {0x44, 0x3FF000, 0x1000},
        {0x50, 0x3F8000, 0x8000},
        {0x6C, 0, 0x4000},
    };
    uint32_t offset;

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        check_context("bits 0x%02X", cases[i].bits);
        CHECK_EQUAL(cases[i].length, wry_protected_range(cases[i].bits, 0x400000, &offset));
        CHECK_EQUAL(cases[i].offset, offset);
    }
}

static void inspect_lists_the_regions_under_one_label(void)
{
    scratch_text("piers.yaml", "flash: 4MiB\nregions:\n"
                               "  - {name: app, kind: app, offset: 0x40000, length: 1M}\n"
                               "  - {name: log, offset: 0x200000, length: rest}\n");
    EXPECT(0,
           "regions    0x040000 to 0x13FFFF  1 MiB        app          app\n"
           "           0x200000 to the end   the rest     log          files\n",
           command("inspect", scratch_file("piers.yaml"), NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_chip_has_a_sound_layout_for_every_flash_size),
        FACT(a_region_is_found_by_name_and_by_offset),
        FACT(a_layout_file_gives_regions_and_rest_goes_to_the_end),
        FACT(what_is_wrong_with_a_layout_is_told_with_its_line),
        FACT(protect_bits_name_a_range),
        FACT(inspect_lists_the_regions_under_one_label),
    };
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
