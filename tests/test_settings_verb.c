/* The settings verb: on a board and in files, alone, by description and from the keyboard. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>
#include <sys/stat.h>

#include "command.h"
#include "desk.h"
#include "harness.h"
#include "store/image/settings_description.h"
#include "store/image/settings_file.h"

enum {
    REGION = 0x10000, /* of the demo gauges: two slots of 8 KiB */
    SLOT = 0x2000,
};

#define ON(name) "--link", "bench:" name

static const char description[] =
    "settings-description:\n"
    "  gauge: {type: integer, least: 1, most: 999, help: number on the plate}\n"
    "  pier: {type: text, one-of: [A, B, C]}\n"
    "  datum_mm: {type: integer, least: -5000, most: 5000, unit: mm}\n"
    "  scale: {type: real, least: 0.9, most: 1.1}\n"
    "  wifi_key: {type: text, secret: true, shortest: 8, longest: 63}\n"
    "  mark: {type: bytes, longest: 4}\n"
    "  on: {type: boolean}\n";

static void begin(const char *name)
{
    scratch_make_images();
    scratch_add_gauge(name);
    scratch_text("described.yaml", description);
}

static void what_is_there_is_shown(void)
{
    begin("shown");
    struct said said = command("settings", "show", ON("shown"), NULL);
    EXPECT(0, "Region calibration, change 1:", said);
    CHECK(says(&said, "datum_mm  -1827") && !says(&said, "unit"));
    said = command("settings", "show", ON("shown"), "--settings-description",
                   scratch_file("described.yaml"), NULL);
    EXPECT(0, "number on the plate", said);
    CHECK(says(&said, "-1827   mm"));
    EXPECT(2, "no region 'harbour'",
           command("settings", "show", "--region", "harbour", ON("shown"), NULL));
    EXPECT(0, "\"key\" : \"datum_mm\"", command("settings", "show", "--json", ON("shown"), NULL));
}

static void a_change_is_told_and_touches_its_own_slot_alone(void)
{
    size_t n = 0, m = 0;

    begin("set");
    g_autofree uint8_t *before = scratch_flash("set", &n);
    struct said said = command("settings", "set", "datum_mm=-1801", "pier=C", ON("set"), NULL);
    EXPECT(0, "  datum_mm: -1827 → -1801\n", said);
    CHECK(says(&said, "  pier: A → C\n") && says(&said, "Changed, and verified"));
    g_autofree uint8_t *after = scratch_flash("set", &m);
    CHECK(n == m && memcmp(before, after, REGION + SLOT) == 0);
    CHECK(memcmp(before + REGION + SLOT, after + REGION + SLOT, SLOT) != 0);
    size_t rest = REGION + 2 * SLOT;
    CHECK(memcmp(before + rest, after + rest, n - rest) == 0);
    EXPECT(0, "Nothing to change",
           command("settings", "set", "datum_mm=-1801", "pier=C", ON("set"), NULL));
    CHECK(scratch_flash_is("set", after, n));
    said = command("settings", "set", "calibration/gauge=7", "--dry-run", ON("set"), NULL);
    EXPECT(0, "gauge: 1 → 7", said);
    CHECK(says(&said, "Nothing was changed") && scratch_flash_is("set", after, n));
    /* write --set says the same. */
    EXPECT(0, "gauge: 1 → 7", command("write", "--set", "gauge=7", ON("set"), NULL));
    EXPECT(0, "gauge     7", command("settings", "show", ON("set"), NULL));
}

/* At most a second after connecting. */
static void one_key_is_changed_within_a_second(void)
{
    begin("quick");
    struct said said = command("settings", "set", "datum_mm=-1801", "--speed", "921600", "--json",
                               ON("quick"), NULL);
    const char *seconds = strstr(said.out, "\"seconds\" :");
    const char *connecting = strstr(said.out, "\"connecting_seconds\" :");

    CHECK(said.code == 0 && seconds && connecting);
    double took = g_ascii_strtod(seconds + strlen("\"seconds\" :"), NULL) -
                  g_ascii_strtod(connecting + strlen("\"connecting_seconds\" :"), NULL);
    check_context("%.3f s", took);
    CHECK(took > 0 && took <= 1);
}

static void what_is_wrong_changes_nothing(void)
{
    static const struct {
        int code;
        const char *text, *a, *b, *c;
    } rows[] = {
        {2, "did you mean 'datum_mm'?", "set", "datum_mn=1", NULL},
        {2, "is an integer here", "set", "gauge=low", NULL},
        {2, "is an integer here", "set", "pier=B", "gauge=low"},
        {2, "'=3' is not a setting", "set", "=3", NULL},
        {2, "'gauge' is not a setting", "set", "gauge", NULL},
        {2, "takes KEY=VALUE", "set", NULL, NULL},
        {2, "takes the keys", "unset", NULL, NULL},
        {2, "there is no setting 'harbour'", "unset", "harbour", NULL},
        {5, "datum_mm: -1827", "unset", "datum_mm", NULL},
        {2, "no region 'app2'", "set", "app2/gauge=1", NULL},
        {2, "does not belong in a command line", "hide", "key=secret", NULL},
        {2, "no keyboard", "hide", "key", NULL},
        {2, "takes one key", "hide", NULL, NULL},
        {2, "not set in the environment", "hide", "key", "--from-env=NO_SUCH_THING"},
        {3, "no-such-file", "load", "no-such-file.yaml", NULL},
        {2, "takes a settings file", "load", NULL, NULL},
        {2, "--exactly is for", "set", "gauge=2", "--exactly"},
        {2, "--output is for", "set", "gauge=2", "--output=x"},
        {2, "--new is for", "unset", "gauge", "--new"},
        {2, "takes show, set", "reveal", NULL, NULL},
        {2, "choose show, set", NULL, NULL, NULL},
    };
    size_t n = 0;

    begin("wrong");
    g_autofree uint8_t *before = scratch_flash("wrong", &n);
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        check_context("row %zu", i);
        EXPECT(rows[i].code, rows[i].text,
               command("settings", ON("wrong"), rows[i].a, rows[i].b, rows[i].c, NULL));
        CHECK(scratch_flash_is("wrong", before, n));
    }
}

static void keys_come_and_go(void)
{
    begin("keys");
    EXPECT(0, "depth: new, 3", command("settings", "set", "--new", "depth=3", ON("keys"), NULL));
    EXPECT(5, "would be lost", command("settings", "unset", "depth", ON("keys"), NULL));
    EXPECT(0, "depth: 3 → removed",
           command("settings", "unset", "depth", "--without-backup", ON("keys"), NULL));
    struct said said = command("settings", "show", ON("keys"), NULL);
    EXPECT(0, "gauge", said);
    CHECK(!says(&said, "depth"));
}

static void check_hidden(const char *name)
{
    g_autofree char *link = g_strconcat("bench:", name, NULL);
    struct said said = command("settings", "show", "--link", link, NULL);

    EXPECT(0, "wifi_key  ********", said);
    CHECK(!says(&said, "fair winds"));
    said = command("identify", "--link", link, NULL);
    EXPECT(0, "wifi_key = ********", said);
    said = command("settings", "show", "--json", "--link", link, NULL);
    CHECK(said.code == 0 && !says(&said, "fair winds"));
}

static void a_secret_comes_from_the_environment_or_a_file_and_is_not_shown(void)
{
    begin("hidden");
    g_setenv("HARBOUR_KEY", "fair winds", TRUE);
    EXPECT(
        0, "wifi_key: new, ******** (secret)",
        command("settings", "hide", "wifi_key", "--from-env", "HARBOUR_KEY", ON("hidden"), NULL));
    check_hidden("hidden");
    scratch_text("key.txt", "calm seas\n");
    EXPECT(0, "wifi_key: changed (secret)",
           command("settings", "hide", "wifi_key", "--from-file", scratch_file("key.txt"),
                   ON("hidden"), NULL));
    EXPECT(0, "wifi_key: changed (secret)",
           command("settings", "set", "wifi_key=fair winds", ON("hidden"), NULL));
    check_hidden("hidden");
    /* A setting that was open becomes secret. */
    EXPECT(0, "pier: changed (secret)",
           command("settings", "hide", "pier", "--from-env", "HARBOUR_KEY", ON("hidden"), NULL));
    check_hidden("hidden");
}

static void a_secret_is_typed_without_echo(void)
{
    struct desk desk;

    begin("typed");
    desk_begin(&desk, 80, 24, "settings", "hide", "wifi_key", ON("typed"), NULL);
    CHECK(desk_see(&desk, "Value of wifi_key (not shown): "));
    desk_type(&desk, "fair winds\r");
    CHECK(desk_see(&desk, "wifi_key: new, ********"));
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "fair winds") == NULL);
    CHECK_EQUAL(0, desk_end(&desk));
    check_hidden("typed");
    desk_begin(&desk, 80, 24, "settings", "hide", "wifi_key", ON("typed"), NULL);
    CHECK(desk_see(&desk, "(not shown): "));
    desk_type(&desk, "\x03");
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "Nothing was changed") != NULL);
    CHECK_EQUAL(9, desk_end(&desk));
}

static void what_is_saved_is_loaded_again(void)
{
    struct stat info;
    size_t n = 0;

    begin("saved");
    g_remove(scratch_file("open.yaml"));
    g_remove(scratch_file("all.yaml"));
    g_setenv("HARBOUR_KEY", "a \"b\" \\ c: #", TRUE);
    command("settings", "hide", "wifi_key", "--from-env", "HARBOUR_KEY", ON("saved"), NULL);
    command("settings", "set", "--new", "number=\"12\"", "whole=2.0", "on=true", ON("saved"), NULL);
    EXPECT(0, "Settings saved",
           command("settings", "save", scratch_file("open.yaml"), ON("saved"), NULL));
    CHECK(stat(scratch_file("open.yaml"), &info) == 0 && (info.st_mode & 0777) == 0600);
    g_autofree uint8_t *open = scratch_read("open.yaml", &n);
    CHECK(g_strstr_len((char *)open, (gssize)n, "\\\"b\\\"") == NULL);
    CHECK(g_strstr_len((char *)open, (gssize)n, "# wifi_key is secret") != NULL);
    EXPECT(2, "exists already",
           command("settings", "save", scratch_file("open.yaml"), ON("saved"), NULL));
    EXPECT(
        0, "keep it safe",
        command("settings", "save", scratch_file("all.yaml"), "--with-secrets", ON("saved"), NULL));
    /* Loading what was saved changes nothing; without the secret, exactly would lose it. */
    EXPECT(0, "Nothing to change",
           command("settings", "load", scratch_file("open.yaml"), ON("saved"), NULL));
    EXPECT(0, "Nothing to change",
           command("settings", "load", scratch_file("all.yaml"), "--exactly", ON("saved"), NULL));
    struct said said =
        command("settings", "load", scratch_file("open.yaml"), "--exactly", ON("saved"), NULL);
    EXPECT(5, "wifi_key: ********", said);
    CHECK(!says(&said, "a \"b\""));
    /* A board without a block gets its first one. */
    static uint8_t blank[2 * SLOT];
    memset(blank, 0xFF, sizeof blank);
    scratch_write("blank.bin", blank, sizeof blank);
    EXPECT(0, "verified",
           command("write", placed("calibration", "blank.bin"), "--any-content", "--without-backup",
                   ON("saved"), NULL));
    EXPECT(5, "no region of this board", command("settings", "show", ON("saved"), NULL));
    said = command("settings", "load", scratch_file("all.yaml"), ON("saved"), NULL);
    EXPECT(0, "datum_mm: new, -1827", said);
    EXPECT(0, "Nothing to change",
           command("settings", "load", scratch_file("all.yaml"), "--exactly", ON("saved"), NULL));
    EXPECT(0, "change 1:", command("settings", "show", ON("saved"), NULL));
}

/* A real keeps all its digits, and what is not a block is not written over. */
static void nothing_is_lost_by_saving_or_loading(void)
{
    static uint8_t log[2 * SLOT];

    begin("kept");
    scratch_text("fine.yaml", "settings:\n  scale: 1.0000000000000123\n  whole: 3.0\n");
    EXPECT(0, "whole: new, 3",
           command("settings", "load", scratch_file("fine.yaml"), ON("kept"), NULL));
    g_remove(scratch_file("again.yaml"));
    EXPECT(0, "saved", command("settings", "save", scratch_file("again.yaml"), ON("kept"), NULL));
    EXPECT(0, "Nothing to change",
           command("settings", "load", scratch_file("again.yaml"), "--exactly", ON("kept"), NULL));
    memset(log, 0x5A, sizeof log);
    scratch_write("log.bin", log, sizeof log);
    EXPECT(0, "verified",
           command("write", placed("calibration", "log.bin"), "--any-content", "--without-backup",
                   ON("kept"), NULL));
    EXPECT(5, "no region of this board holds a settings block",
           command("settings", "load", scratch_file("fine.yaml"), "--without-backup", ON("kept"),
                   NULL));
    size_t n = 0;
    g_autofree uint8_t *flash = scratch_flash("kept", &n);
    CHECK(memcmp(flash + REGION, log, sizeof log) == 0);
}

static void other_chips_have_settings_too(void)
{
    static const struct {
        const char *name, *chip, *flash;
    } boards[] = {{"small", "sanderling-s1", "1MiB"}, {"large", "dunlin-d3", "8MiB"}};

    begin("other");
    scratch_text("few.yaml", "settings:\n  gauge: 4\n  pier: B\n");
    for (size_t i = 0; i < 2; i++) {
        g_autofree char *link = g_strconcat("bench:", boards[i].name, NULL);
        EXPECT(0, "is on the bench",
               command("bench", "add", boards[i].name, "--chip", boards[i].chip, "--flash",
                       boards[i].flash, NULL));
        EXPECT(0, "pier: new, B",
               command("settings", "load", scratch_file("few.yaml"), "--link", link, NULL));
        EXPECT(0, "pier: B → C", command("settings", "set", "pier=C", "--link", link, NULL));
        EXPECT(0, "pier     C", command("settings", "show", "--link", link, NULL));
    }
}

static void a_description_decides_what_is_allowed(void)
{
    static const struct {
        int code;
        const char *change, *text;
    } rows[] = {
        {2, "gauge=0", "'gauge' must be from 1 to 999"},
        {2, "gauge=1000", "from 1 to 999"},
        {0, "gauge=999", "gauge: 1 → 999"},
        {2, "pier=D", "'pier' must be one of A, B, C"},
        {0, "pier=B", "pier: A → B"},
        {2, "datum_mm=-5001", "from -5000 to 5000 mm"},
        {0, "datum_mm=-5000", "-1827 → -5000 mm"},
        {2, "scale=1.2", "from 0.9 to 1.1"},
        {0, "scale=1", "scale: 1.0011 → 1"},
        {2, "scale=wide", "is a real here"},
        {2, "wifi_key=short", "8 to 63 bytes long"},
        {0, "wifi_key=fair winds", "wifi_key: new, ********"},
        {2, "mark=0102030405", "at most 4 bytes long"},
        {0, "mark=01020304", "mark: new, 01 02 03 04"},
        {2, "on=1", "is a boolean here"},
        {0, "on=true", "on: new, true"},
        {2, "guage=3", "did you mean 'gauge'?"},
        {2, "harbour=3", "add it there if the firmware knows it"},
    };

    begin("described");
    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        check_context("%s", rows[i].change);
        struct said said = command("settings", "set", rows[i].change, ON("described"),
                                   "--settings-description", scratch_file("described.yaml"), NULL);
        EXPECT(rows[i].code, rows[i].text, said);
        CHECK(!says(&said, "fair winds"));
    }
    /* What a settings file has is checked as well, with its line; write does the same. */
    scratch_text("bad.yaml", "settings:\n  pier: B\n  gauge: 1000\n");
    EXPECT(3, "bad.yaml: 'gauge' (line 3) must be from 1 to 999",
           command("settings", "load", scratch_file("bad.yaml"), ON("described"),
                   "--settings-description", scratch_file("described.yaml"), NULL));
    EXPECT(3, "'gauge' (line 3) must be from 1 to 999",
           command("write", placed("calibration", "bad.yaml"), ON("described"),
                   "--settings-description", scratch_file("described.yaml"), NULL));
    EXPECT(2, "from 1 to 999",
           command("write", "--set", "gauge=0", ON("described"), "--settings-description",
                   scratch_file("described.yaml"), NULL));
    /* A file that does not say so has secrets nevertheless. */
    scratch_text("open-key.yaml", "settings:\n  gauge: 1\n  wifi_key: calm seas all day\n");
    EXPECT(0, "verified",
           command("write", placed("calibration", "open-key.yaml"), "--without-backup",
                   ON("described"), "--settings-description", scratch_file("described.yaml"),
                   NULL));
    EXPECT(0, "wifi_key  ********", command("settings", "show", ON("described"), NULL));
}

static void a_layout_brings_its_description(void)
{
    begin("laid-out");
    scratch_text("layout.yaml", "settings-description: described.yaml\n"
                                "regions:\n"
                                "  - {name: calibration, kind: settings, offset: 0x10000, "
                                "length: 16K}\n");
    EXPECT(2, "from 1 to 999",
           command("settings", "set", "gauge=0", ON("laid-out"), "--layout",
                   scratch_file("layout.yaml"), NULL));
    EXPECT(0, "gauge: 1 → 5",
           command("settings", "set", "gauge=5", ON("laid-out"), "--layout",
                   scratch_file("layout.yaml"), NULL));
    scratch_text("layout.yaml", "settings-description: nowhere.yaml\nregions:\n"
                                "  - {name: calibration, kind: settings, offset: 0x10000, "
                                "length: 16K}\n");
    EXPECT(3, "nowhere.yaml",
           command("settings", "set", "gauge=6", ON("laid-out"), "--layout",
                   scratch_file("layout.yaml"), NULL));
    EXPECT(0, "gauge     5", command("settings", "show", ON("laid-out"), NULL));
}

static void a_card_brings_its_description(void)
{
    static const char card[] = "card: settings by description\nchip: turnstone-t2\nflash: 4MiB\n"
                               "settings-description: described.yaml\n";
    g_autofree char *good = g_strconcat(card, "set: {gauge: 5, on: true}\n", NULL);
    g_autofree char *bad =
        g_strconcat(card, "set: {gauge: 0, guage: 1, wifi_key: fair winds}\n", NULL);

    begin("carded");
    scratch_text("bad-card.yaml", bad);
    struct said said = command("card", "check", scratch_file("bad-card.yaml"), NULL);
    EXPECT(3, "must be from 1 to 999", said);
    CHECK(says(&said, "did you mean 'gauge'?") && says(&said, "'wifi_key' is secret"));
    scratch_text("good-card.yaml", good);
    EXPECT(0, "", command("card", "check", scratch_file("good-card.yaml"), NULL));
    EXPECT(0, "",
           command("card", "pack", scratch_file("good-card.yaml"), "-o",
                   scratch_file("described-kit.zip"), NULL));
    EXPECT(0, "", command("card", "run", scratch_file("described-kit.zip"), ON("carded"), NULL));
    EXPECT(0, "on        true", command("settings", "show", ON("carded"), NULL));
    /* A layout's description goes into the kit with it. */
    scratch_text("layout.yaml", "settings-description: described.yaml\n"
                                "regions:\n"
                                "  - {name: calibration, kind: settings, offset: 0x10000, "
                                "length: 16K}\n");
    scratch_text("laid-card.yaml", "card: settings by layout\nchip: turnstone-t2\nflash: 4MiB\n"
                                   "layout: layout.yaml\nset: {gauge: 0}\n");
    EXPECT(3, "must be from 1 to 999",
           command("card", "check", scratch_file("laid-card.yaml"), NULL));
    scratch_text("laid-card.yaml", "card: settings by layout\nchip: turnstone-t2\nflash: 4MiB\n"
                                   "layout: layout.yaml\nset: {gauge: 6}\n");
    EXPECT(0, "",
           command("card", "pack", scratch_file("laid-card.yaml"), "-o",
                   scratch_file("laid-kit.zip"), NULL));
    /* Its secrets stay out of the kit's table, and it must lie beside the layout. */
    scratch_text("keyed.csv", "gauge,wifi_key\n4,fair winds\n");
    scratch_text("keyed-card.yaml", "card: settings by layout\nchip: turnstone-t2\nflash: 4MiB\n"
                                    "layout: layout.yaml\nboards: {file: keyed.csv, row: next}\n");
    EXPECT(3, "'wifi_key' is a secret setting, and kits contain no secrets",
           command("card", "pack", scratch_file("keyed-card.yaml"), "--one-bench", "-o",
                   scratch_file("keyed-kit.zip"), NULL));
    g_mkdir(scratch_file("below"), 0700);
    scratch_text("below/layout.yaml", "settings-description: ../described.yaml\n"
                                      "regions:\n"
                                      "  - {name: calibration, kind: settings, offset: 0x10000, "
                                      "length: 16K}\n");
    scratch_text("below-card.yaml", "card: settings by layout\nchip: turnstone-t2\nflash: 4MiB\n"
                                    "layout: below/layout.yaml\nset: {gauge: 6}\n");
    EXPECT(3, "'../described.yaml' is elsewhere",
           command("card", "pack", scratch_file("below-card.yaml"), "-o",
                   scratch_file("below-kit.zip"), NULL));
    g_rename(scratch_file("described.yaml"), scratch_file("elsewhere.yaml"));
    EXPECT(0, "", command("card", "run", scratch_file("laid-kit.zip"), ON("carded"), NULL));
    EXPECT(0, "gauge     6", command("settings", "show", ON("carded"), NULL));
}

static void the_shelf_knows_the_settings_of_a_program(void)
{
    begin("shelved");
    EXPECT(0, "Added", command("shelf", "add", scratch_file("gauge.bin"), NULL));
    EXPECT(0, "are described",
           command("shelf", "describe", "tide-gauge", scratch_file("described.yaml"), NULL));
    EXPECT(0, "verified",
           command("write", "app=shelf:tide-gauge", "--set", "gauge=5", ON("shelved"), NULL));
    EXPECT(2, "from 1 to 999", command("settings", "set", "gauge=0", ON("shelved"), NULL));
    EXPECT(0, "number on the plate", command("settings", "show", ON("shelved"), NULL));
    EXPECT(2, "from 1 to 999",
           command("write", "app=shelf:tide-gauge", "--set", "gauge=0", ON("shelved"), NULL));
    EXPECT(3, "larger than 256 KiB",
           command("shelf", "describe", "tide-gauge", scratch_file("gauge.bin"), NULL));
    EXPECT(2, "there is no 'harbour'",
           command("shelf", "describe", "harbour", scratch_file("described.yaml"), NULL));
    EXPECT(0, "removed", command("shelf", "remove", "tide-gauge", NULL));
    EXPECT(0, "gauge: 5 → 0", command("settings", "set", "gauge=0", ON("shelved"), NULL));
}

static void files_are_shown_and_changed_into_others(void)
{
    size_t n = 0, m = 0;

    begin("filed");
    g_remove(scratch_file("filed.zip"));
    EXPECT(0, "Backed up", command("backup", scratch_file("filed.zip"), ON("filed"), NULL));
    EXPECT(0, "datum_mm  -1827",
           command("settings", "show", "--in", scratch_file("filed.zip"), NULL));
    EXPECT(2, "another file to write to",
           command("settings", "set", "gauge=9", "--in", scratch_file("filed.zip"), NULL));
    g_autofree uint8_t *before = scratch_read("filed.zip", &n);
    EXPECT(0, "gauge: 1 → 9",
           command("settings", "set", "gauge=9", "--in", scratch_file("filed.zip"), "--output",
                   scratch_file("changed.zip"), "--replace", NULL));
    g_autofree uint8_t *after = scratch_read("filed.zip", &m);
    CHECK(n == m && memcmp(before, after, n) == 0);
    EXPECT(0, "gauge     9",
           command("settings", "show", "--in", scratch_file("changed.zip"), NULL));
    EXPECT(0, "Restored", command("restore", scratch_file("changed.zip"), ON("filed"), NULL));
    EXPECT(0, "change 2:", command("settings", "show", ON("filed"), NULL));
    EXPECT(2, "exists already",
           command("settings", "set", "gauge=8", "--in", scratch_file("filed.zip"), "--output",
                   scratch_file("changed.zip"), NULL));
    /* A plain binary of a flash, of a settings region, and of neither. */
    g_autofree uint8_t *flash = scratch_flash("filed", &n);
    scratch_write("whole.bin", flash, n);
    scratch_write("region.bin", flash + REGION, 2 * SLOT);
    EXPECT(0, "Region calibration, change 2:",
           command("settings", "show", "--in", scratch_file("whole.bin"), NULL));
    EXPECT(0, "gauge: 9 → 3",
           command("settings", "set", "gauge=3", "--in", scratch_file("region.bin"), "--output",
                   scratch_file("region-2.bin"), "--replace", NULL));
    EXPECT(0, "gauge     3",
           command("settings", "show", "--in", scratch_file("region-2.bin"), NULL));
}

static void a_file_without_settings_is_named(void)
{
    begin("none");
    scratch_write("noise.bin", "harbour", 7);
    EXPECT(3, "noise.bin: neither a settings block",
           command("settings", "show", "--in", scratch_file("noise.bin"), NULL));
    EXPECT(3, "no-such.zip", command("settings", "show", "--in", "no-such.zip", NULL));
    scratch_text("text.yaml", "settings:\n  pier: B\n");
    EXPECT(0, "pier", command("settings", "show", "--in", scratch_file("text.yaml"), NULL));
    EXPECT(3, "change it in an editor",
           command("settings", "set", "pier=C", "--in", scratch_file("text.yaml"), "--output",
                   scratch_file("text-2.yaml"), NULL));
}

static void mistakes_of_a_description_are_named_by_line(void)
{
    static const struct {
        const char *text, *wanted;
    } rows[] = {
        {"settings-description:\n", ":1:"},
        {"settings-description: {}\n", "no key is described"},
        {"settings-description:\n  gauge: integer\n", ":2:"},
        {"settings-description:\n  gauge: {}\n", "'gauge' needs a type"},
        {"settings-description:\n  gauge: {type: number}\n", "'number' is not a type"},
        {"settings-description:\n  gauge: {type: integer, least: 2, most: 1}\n",
         "least is more than most"},
        {"settings-description:\n  gauge: {type: integer, least: low}\n", "is not of type integer"},
        {"settings-description:\n  pier: {type: text, least: 1}\n", "use shortest and longest"},
        {"settings-description:\n  pier: {type: text, shortest: 9, longest: 8}\n",
         "shortest is more than longest"},
        {"settings-description:\n  on: {type: boolean, longest: 8}\n", "only texts and bytes"},
        {"settings-description:\n  on: {type: boolean, one-of: [a]}\n", "only texts have one-of"},
        {"settings-description:\n  pier: {type: text, one-of: []}\n", "no value would be allowed"},
        {"settings-description:\n  pier: {type: text, one-of: A}\n", "is a list of texts"},
        {"settings-description:\n  9x: {type: text}\n", "'9x' is not a key"},
        {"settings-description:\n  pier: {type: text, colour: red}\n", "'colour'"},
        {"settings-description:\n  pier: {type: text}\nothers: some\n", "allowed or refused"},
        {"settings-description:\n  pier: {type: text}\n  pier: {type: text}\n", ":3:"},
    };

    for (size_t i = 0; i < sizeof rows / sizeof rows[0]; i++) {
        g_autoptr(GError) error = NULL;
        scratch_text("mistaken.yaml", rows[i].text);
        struct settings_description *read =
            settings_description_load(scratch_file("mistaken.yaml"), &error);
        check_context("%s: %s", rows[i].text, error ? error->message : "no error");
        CHECK(!read && error && strstr(error->message, rows[i].wanted));
        CHECK(error && strstr(error->message, "mistaken.yaml:"));
        settings_description_free(read);
    }
}

static void others_may_be_allowed(void)
{
    g_autoptr(GError) error = NULL;

    scratch_text("others.yaml", "settings-description:\n  pier: {type: text}\nothers: allowed\n");
    struct settings_description *read =
        settings_description_load(scratch_file("others.yaml"), &error);
    CHECK(read && settings_description_count(read) == 1);
    CHECK(settings_description_knows(read, "gauge", &error));
    CHECK(settings_description_knows(NULL, "gauge", &error) && !error);
    CHECK(settings_description_is_one(scratch_file("others.yaml")));
    settings_description_free(read);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_is_there_is_shown),
        FACT(a_change_is_told_and_touches_its_own_slot_alone),
        FACT(one_key_is_changed_within_a_second),
        FACT(what_is_wrong_changes_nothing),
        FACT(keys_come_and_go),
        FACT(a_secret_comes_from_the_environment_or_a_file_and_is_not_shown),
        FACT(a_secret_is_typed_without_echo),
        FACT(what_is_saved_is_loaded_again),
        FACT(nothing_is_lost_by_saving_or_loading),
        FACT(other_chips_have_settings_too),
        FACT(a_description_decides_what_is_allowed),
        FACT(a_layout_brings_its_description),
        FACT(a_card_brings_its_description),
        FACT(the_shelf_knows_the_settings_of_a_program),
        FACT(files_are_shown_and_changed_into_others),
        FACT(a_file_without_settings_is_named),
        FACT(mistakes_of_a_description_are_named_by_line),
        FACT(others_may_be_allowed),
    };
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return code;
}
