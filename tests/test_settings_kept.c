/* Settings of a board in other hands: what is there and no block, two blocks, and other types. */
#include <glib.h>
#include <stdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "wrytograph/region_table.h"

enum {
    LENGTH = 0x4000, /* of the demo gauges' calibration */
    LOG = 0x1C0000,
};

/* A region that the board's table calls settings may hold calibration in a form of its own. */
static void content_that_is_no_block_is_not_lost_unasked(void)
{
    uint8_t own[3000];
    size_t n = 0;

    for (size_t i = 0; i < sizeof own; i++)
        own[i] = (uint8_t)(i * 7 + 1);
    scratch_write("own.bin", own, sizeof own);
    scratch_text("new.yaml", "settings:\n  pier: C\n");
    scratch_use_gauge("own", "none");
    EXPECT(0, "Written",
           command("write", "--without-backup", "--any-content", placed("calibration", "own.bin"),
                   NULL));
    g_autofree uint8_t *before = scratch_flash("own", &n);
    const char *const calls[][2] = {{"write", placed("calibration", "new.yaml")},
                                    {"erase", "calibration"},
                                    {"erase", "0x0+256K"}};
    for (size_t i = 0; i < G_N_ELEMENTS(calls); i++) {
        check_context("%s %s", calls[i][0], calls[i][1]);
        EXPECT(5, "the content of region 'calibration' would be lost, and no known backup",
               command(calls[i][0], calls[i][1], NULL));
        CHECK(scratch_flash_is("own", before, n));
    }
    check_context(NULL);
    /* A backup with other content does not count. */
    EXPECT(0, "Backed up", command("backup", scratch_file("own-1.zip"), NULL));
    own[100] ^= 1;
    scratch_write("own.bin", own, sizeof own);
    EXPECT(0, "Written", command("write", "--any-content", placed("calibration", "own.bin"), NULL));
    EXPECT(5, "would be lost", command("erase", "calibration", NULL));
    EXPECT(0, "Backed up", command("backup", "--plain", scratch_file("own-2.bin"), NULL));
    EXPECT(0, "Written", command("write", placed("calibration", "new.yaml"), NULL));
    EXPECT(0, "pier = C", command("identify", NULL));
}

/* Under the usual layout of a chip, whose regions are a guess, other content proves nothing. */
static void a_guessed_region_holds_no_calibration(void)
{
    uint8_t own[100];

    memset(own, 0x5A, sizeof own);
    scratch_write("guess.bin", own, sizeof own);
    EXPECT(0, "",
           command("bench", "add", "guess", "--chip", "turnstone-t2", "--flash", "4MiB", NULL));
    EXPECT(0, "Written",
           command("write", "-l", "bench:guess", "--any-content", placed("0x10000", "guess.bin"),
                   NULL));
    EXPECT(0, "Erased", command("erase", "-l", "bench:guess", "calibration", NULL));
}

#define LAYOUT                                                                                     \
    "chip: turnstone-t2\nregions:\n"                                                               \
    "  - {name: calibration, kind: settings, offset: 0x10000, length: 16K}\n"                      \
    "  - {name: network, kind: settings, offset: 0x14000, length: 16K}\n"                          \
    "  - {name: app, kind: app, offset: 0x40000, length: 1536K}\n"

static void of_two_blocks_one_is_named(void)
{
    scratch_use_gauge("two", "none");
    scratch_text("two.yaml", LAYOUT);
    scratch_text("network.yaml", "settings:\n  channel: 6\n");
    const char *layout = scratch_file("two.yaml");
    EXPECT(0, "Written",
           command("write", "--layout", layout, placed("network", "network.yaml"), NULL));
    EXPECT(2, "several regions hold a settings block: calibration, network",
           command("write", "--layout", layout, "--set", "channel=11", NULL));
    EXPECT(2, "Name one of them: calibration/KEY=VALUE",
           command("write", "--layout", layout, "--set", "channel=11", NULL));
    EXPECT(2, "there is no setting 'channel'",
           command("write", "--layout", layout, "--set", "calibration/channel=11", NULL));
    EXPECT(0, "Written",
           command("write", "--layout", layout, "--set", "network/channel=11", "--set",
                   "calibration/gauge=9", NULL));
    struct said said = command("identify", "--layout", layout, NULL);
    EXPECT(0, "channel = 11", said);
    CHECK(says(&said, "gauge = 9, pier = A"));
}

/* A copy of a block needs a sector of its own. */
static void a_block_that_does_not_fit_its_region_is_refused(void)
{
    g_autoptr(GString) large = g_string_new("settings:\n");
    size_t n = 0;

    scratch_use_gauge("room", "none");
    g_autofree uint8_t *before = scratch_flash("room", &n);
    for (int i = 0; i < 300; i++)
        g_string_append_printf(large, "  key%d: a text that takes some room in the block\n", i);
    scratch_text("large.yaml", large->str);
    EXPECT(5, "a copy in region 'calibration' has room for 8192",
           command("write", "--without-backup", placed("calibration", "large.yaml"), NULL));
    for (int i = 300; i < 2000; i++)
        g_string_append_printf(large, "  key%d: a text that takes some room in the block\n", i);
    scratch_text("huge.yaml", large->str);
    EXPECT(3, "more settings than a block can hold",
           command("write", "--without-backup", placed("calibration", "huge.yaml"), NULL));
    CHECK(scratch_flash_is("room", before, n));
}

/* In a region for files, a settings file is the text that it is, secrets by reference included. */
static void elsewhere_a_settings_file_is_text(void)
{
    static const char text[] = "settings:\n  pier: C\n  key: {env: WRY_NOT_SET, secret: true}\n";
    size_t n = 0;

    scratch_use_gauge("text", "none");
    scratch_text("text.yaml", text);
    EXPECT(0, "Written", command("write", "--without-backup", placed("log", "text.yaml"), NULL));
    g_autofree uint8_t *flash = scratch_flash("text", &n);
    CHECK(n > LOG + sizeof text && memcmp(flash + LOG, text, sizeof text - 1) == 0);
}

static void every_type_reaches_the_firmware(void)
{
    scratch_use_gauge("types", "none");
    scratch_text("types.yaml", "settings:\n  count: -7\n  scale: 1.5\n  on: true\n  off: false\n"
                               "  raw: {value: 00 FF 10, type: bytes}\n  name: pier C\n");
    EXPECT(0, "Written",
           command("write", "--without-backup", placed("calibration", "types.yaml"), NULL));
    struct said said = command("start", "--send", "settings", "--expect", "name = pier C", NULL);
    EXPECT(0, "count = -7", said);
    CHECK(says(&said, "scale = 1.5") && says(&said, "on = true") && says(&said, "off = false") &&
          says(&said, "raw = 3 bytes"));
    said = command("identify", NULL);
    CHECK(says(&said, "count = -7, scale = 1.5, on = true, off = false, raw = 00 FF 10"));
    /* A value of the wrong type does not get in by the firmware either. */
    EXPECT(0, "not set", command("start", "--send", "set count many", "--expect", "not set", NULL));
    EXPECT(0, "not set", command("start", "--send", "set scale 2", "--expect", "not set", NULL));
    EXPECT(0, "set", command("start", "--send", "set name pier D", "--expect", "set", NULL));
    said = command("identify", NULL);
    CHECK(says(&said, "count = -7, scale = 1.5") && says(&said, "name = pier D"));
    EXPECT(0, "Erased", command("erase", "--without-backup", "calibration", NULL));
    EXPECT(0, "no settings",
           command("start", "--send", "settings", "--expect", "no settings", NULL));
    EXPECT(0, "no settings",
           command("start", "--send", "set count 1", "--expect", "no settings", NULL));
}

/* A backup's region goes back to the place that it was at, or nowhere. */
static void a_region_that_has_moved_is_not_restored_elsewhere(void)
{
    struct wry_region_table table = {
        .flash_size = 0x400000,
        .count = 3,
        .regions = {
            {.name = "table", .kind = WRY_REGION_TABLE, .offset = 0xE000, .length = 0x1000},
            {.name = "calibration", .kind = WRY_REGION_SETTINGS, .length = LENGTH},
            {.name = "app", .kind = WRY_REGION_APP, .offset = 0x40000, .length = 0x180000}}};
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
    size_t n = 0;

    scratch_use_gauge("moved", "none");
    EXPECT(0, "Backed up", command("backup", scratch_file("moved.zip"), NULL));
    table.regions[1].offset = 0x18000;
    scratch_write("moved.bin", bytes, wry_region_table_put(bytes, &table));
    EXPECT(
        0, "Written",
        command("write", "--without-backup", "--any-content", placed("0xE000", "moved.bin"), NULL));
    g_autofree uint8_t *before = scratch_flash("moved", &n);
    EXPECT(5, "region 'calibration' is at 0x010000 in ",
           command("restore", scratch_file("moved.zip"), "--only", "calibration", NULL));
    CHECK(scratch_flash_is("moved", before, n));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(content_that_is_no_block_is_not_lost_unasked),
        FACT(a_guessed_region_holds_no_calibration),
        FACT(of_two_blocks_one_is_named),
        FACT(a_block_that_does_not_fit_its_region_is_refused),
        FACT(elsewhere_a_settings_file_is_text),
        FACT(every_type_reaches_the_firmware),
        FACT(a_region_that_has_moved_is_not_restored_elsewhere),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
