/* Settings: the block, the file that makes one, and what the command and the firmware do with it.
 */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "core/bytes/fields.h"
#include "harness.h"
#include "rig.h"
#include "store/image/settings_file.h"
#include "wrytograph/bytes.h"
#include "wrytograph/settings_block.h"

enum {
    REGION = 0x10000, /* of the demo gauges: 16 KiB, two copies of 8 KiB */
    SLOT = 0x2000,
};

static struct wry_setting text(const char *key, const char *value)
{
    return (struct wry_setting){.key = key,
                                .key_length = (uint8_t)strlen(key),
                                .type = WRY_SETTING_TEXT,
                                .bytes = (const uint8_t *)value,
                                .length = (uint16_t)strlen(value)};
}

static struct wry_setting integer(const char *key, int64_t value)
{
    return (struct wry_setting){.key = key,
                                .key_length = (uint8_t)strlen(key),
                                .type = WRY_SETTING_INTEGER,
                                .integer = value};
}

static size_t make(uint8_t *bytes, size_t room)
{
    struct wry_settings_writer writer;
    struct wry_setting pier = text("pier", "A"), datum = integer("datum_mm", INT64_MIN);
    struct wry_setting on = {.key = "on", .key_length = 2, .type = WRY_SETTING_BOOLEAN};
    struct wry_setting scale = {.key = "scale", .key_length = 5, .type = WRY_SETTING_REAL};
    struct wry_setting key = text("key", "fair winds");

    on.boolean = true;
    scale.real = -1.0011;
    key.secret = true;
    key.type = WRY_SETTING_BYTES;
    wry_settings_begin(&writer, bytes, room);
    wry_settings_add(&writer, &pier);
    wry_settings_add(&writer, &datum);
    wry_settings_add(&writer, &on);
    wry_settings_add(&writer, &scale);
    wry_settings_add(&writer, &key);
    return wry_settings_end(&writer, 7);
}

static void a_block_gives_back_what_was_put_in(void)
{
    uint8_t bytes[512];
    size_t n = make(bytes, sizeof bytes), at = WRY_SETTINGS_HEAD_SIZE;
    struct wry_settings_head head;
    struct wry_setting s;

    CHECK(n > 0 && wry_settings_get(&head, bytes, n));
    CHECK_EQUAL(7, head.generation);
    CHECK_EQUAL(5, head.count);
    CHECK_EQUAL(n, head.length);
    CHECK(wry_settings_next(bytes, &head, &at, &s) && memcmp(s.key, "pier", 4) == 0 &&
          s.length == 1 && s.bytes[0] == 'A' && !s.secret);
    CHECK(wry_settings_next(bytes, &head, &at, &s) && s.integer == INT64_MIN);
    CHECK(wry_settings_next(bytes, &head, &at, &s) && s.boolean);
    CHECK(wry_settings_next(bytes, &head, &at, &s) && s.real < -1.001 && s.real > -1.0012);
    CHECK(wry_settings_next(bytes, &head, &at, &s) && s.secret && s.type == WRY_SETTING_BYTES);
    CHECK(!wry_settings_next(bytes, &head, &at, &s));
    /* Behind it there may be anything. */
    CHECK(wry_settings_get(&head, bytes, sizeof bytes));
}

static void what_is_damaged_or_cut_is_no_block(void)
{
    uint8_t bytes[512];
    size_t n = make(bytes, sizeof bytes);
    struct wry_settings_head head;

    for (size_t i = 0; i < n; i++) {
        bytes[i] ^= 0x10;
        check_context("byte %zu", i);
        CHECK(!wry_settings_get(&head, bytes, n));
        bytes[i] ^= 0x10;
        CHECK(!wry_settings_get(&head, bytes, i));
    }
    CHECK(wry_settings_get(&head, bytes, n));
}

/* With a CRC-32 that fits, so that what is behind it is looked at. */
static void arbitrary_entries_are_decoded_or_refused(void)
{
    unsigned taken = 0;

    for (uint64_t seed = 1; seed <= 20000; seed++) {
        uint8_t bytes[160];
        size_t n = make(bytes, sizeof bytes);
        uint8_t noise[8];
        rig_random(noise, sizeof noise, seed);
        for (int i = 0; i < 3; i++)
            bytes[4 + noise[i] % (n - 8)] = noise[i + 3];
        bytes_put32(bytes + n - 4, wry_crc32(0, bytes, n - 4));
        struct wry_settings_head head;
        struct wry_setting s;
        size_t at = WRY_SETTINGS_HEAD_SIZE;
        if (!wry_settings_get(&head, bytes, n))
            continue;
        taken++;
        while (wry_settings_next(bytes, &head, &at, &s))
            CHECK(s.key_length > 0 && s.length <= n);
    }
    CHECK(taken > 100);
}

static void what_does_not_fit_is_refused_by_the_writer(void)
{
    uint8_t bytes[64];
    struct wry_settings_writer writer;
    struct wry_setting s = text("pier", "A");
    struct wry_settings_head head;

    for (size_t room = 0; room < sizeof bytes; room++) {
        memset(bytes, 0xEE, sizeof bytes);
        wry_settings_begin(&writer, bytes, room);
        wry_settings_add(&writer, &s);
        size_t n = wry_settings_end(&writer, 1);
        CHECK(n <= room && (n == 0 || wry_settings_get(&head, bytes, n)));
        CHECK_EQUAL(0xEE, bytes[room]);
    }
    static const char *const bad[] = {"",      "1st",       "a b",
                                      "-a",    "k\xC3\xA4", "a23456789012345678901234567890123",
                                      "ab cd", "abc.",      "depth!m"};
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        s = text(bad[i], "A");
        wry_settings_begin(&writer, bytes, sizeof bytes);
        wry_settings_add(&writer, &s);
        check_context("%s", bad[i]);
        CHECK_EQUAL(0, wry_settings_end(&writer, 1));
    }
    /* A key that stands twice is no block. */
    s = text("pier", "A");
    wry_settings_begin(&writer, bytes, sizeof bytes);
    wry_settings_add(&writer, &s);
    wry_settings_add(&writer, &s);
    CHECK_EQUAL(0, wry_settings_end(&writer, 1));
}

static void write_yaml(const char *name, const char *lines)
{
    scratch_write(name, lines, strlen(lines));
}

static void a_file_s_values_have_the_types_that_they_read_as(void)
{
    static uint8_t block[WRY_SETTINGS_BLOCK_MAX];
    GError *error = NULL;

    write_yaml("types.yaml",
               "settings:\n  a: 7\n  b: -0x10\n  c: 1.5\n  d: true\n  e: \"7\"\n"
               "  f: pier A\n  g: {value: 0A FF, type: bytes}\n"
               "  h: {value: 3, type: real}\n  i: {file: token.txt, secret: true}\n  j:\n");
    scratch_write("token.txt", "wind\n", 5);
    struct settings *settings = settings_load(scratch_file("types.yaml"), &error);
    CHECK(settings != NULL && settings_count(settings) == 10);
    static const struct {
        uint8_t type;
        const char *text;
    } expected[] = {{WRY_SETTING_INTEGER, "7"},     {WRY_SETTING_INTEGER, "-16"},
                    {WRY_SETTING_REAL, "1.5"},      {WRY_SETTING_BOOLEAN, "true"},
                    {WRY_SETTING_TEXT, "7"},        {WRY_SETTING_TEXT, "pier A"},
                    {WRY_SETTING_BYTES, "0A FF"},   {WRY_SETTING_REAL, "3"},
                    {WRY_SETTING_TEXT, "********"}, {WRY_SETTING_TEXT, ""}};
    for (guint i = 0; settings && i < settings_count(settings); i++) {
        const struct wry_setting *s = settings_at(settings, i);
        g_autofree char *shown = settings_text(s);
        check_context("setting %u", i);
        CHECK_EQUAL(expected[i].type, s->type);
        CHECK(strcmp(expected[i].text, shown) == 0);
    }
    CHECK(settings_make(settings, 1, block, sizeof block) > 0);
    const struct wry_setting *last = settings_at(settings, 8);
    CHECK(last->length == 4 && memcmp(last->bytes, "wind", 4) == 0);
    settings_free(settings);
}

static void a_file_s_mistakes_are_named_by_line(void)
{
    static const struct {
        const char *lines, *said;
    } mistakes[] = {
        {"settings:\n  a: 1\n  a: 2\n", ":3: 'a' is in line 2 already"},
        {"settings:\n  1st: 1\n", ":2: '1st' is not a key"},
        {"settings:\n  a: [1, 2]\n", ":2: 'a': a setting is one value"},
        {"settings:\n  a: {value: x, type: integer}\n",
         ":2: 'a': its value is not of type integer"},
        {"settings:\n  a: {value: 1, type: number}\n", ":2: 'number' is not a type"},
        {"settings:\n  a: {value: 1, env: B}\n", ":2: give one of value, env and file"},
        {"settings:\n  a: {secret: true}\n", ":2: give one of value, env and file"},
        {"settings:\n  a: {env: WRY_NO_SUCH_NAME}\n", ":2: WRY_NO_SUCH_NAME is not set"},
        {"settings:\n  a: {file: nowhere.txt}\n", "nowhere.txt: No such file"},
        {"settings:\n  a: {value: 1, hidden: yes}\n", ":2: a setting has value, env or file"},
        {"settings:\n  a: 1\nlayout: 2\n", ":3: a settings file has 'settings:'"},
        {"settings: {}\n", "there are no settings"},
        {"settings:\n  a: \"\n", ":"},
        {"settings:\n  a: 1\n---\nb: 2\n", ":4: a second document"},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(mistakes); i++) {
        g_autoptr(GError) error = NULL;
        write_yaml("mistake.yaml", mistakes[i].lines);
        struct settings *settings = settings_load(scratch_file("mistake.yaml"), &error);
        check_context("%s", mistakes[i].lines);
        CHECK(settings == NULL && error && strstr(error->message, mistakes[i].said));
        settings_free(settings);
    }
}

static void settings_are_written_and_the_firmware_shows_them(void)
{
    size_t n = 0;

    scratch_use_gauge("written", "none");
    g_setenv("HARBOUR_WIFI_KEY", "fair winds", TRUE);
    write_yaml("pier.yaml", "settings:\n  gauge: 12\n  pier: C\n"
                            "  wifi_key: {env: HARBOUR_WIFI_KEY, secret: true}\n");
    g_autofree uint8_t *before = scratch_flash("written", &n);
    /* Two settings of the board are not in the file. */
    struct said said =
        command("write", placed("calibration", "pier.yaml"), placed("app", "gauge.bin"), NULL);
    EXPECT(5, "these settings in region 'calibration' would be lost, and no known backup", said);
    CHECK(says(&said, "  datum_mm: -1827\n  scale: 1.0011\n") && !says(&said, "gauge: 1"));
    CHECK(scratch_flash_is("written", before, n));
    EXPECT(0, "Backed up", command("backup", scratch_file("written.zip"), NULL));
    said = command("write", placed("calibration", "pier.yaml"), placed("app", "gauge.bin"), NULL);
    EXPECT(0, "settings (gauge, pier, wifi_key)", said);
    CHECK(!says(&said, "fair winds"));
    EXPECT(0, "wifi_key = (secret)",
           command("start", "--send", "settings", "--expect", "pier = C", "--expect", "wifi_key",
                   NULL));
    said = command("identify", NULL);
    EXPECT(0, "gauge = 12, pier = C, wifi_key = ********", said);
    said = command("identify", "--json", NULL);
    CHECK(says(&said, "\"wifi_key\" : \"********\"") && !says(&said, "fair winds"));
    said = command("inspect", scratch_file("pier.yaml"), NULL);
    CHECK(says(&said, "wifi_key = ********") && !says(&said, "fair winds"));
    /* Behind it the region is blank, the other copy included. */
    g_autofree uint8_t *flash = scratch_flash("written", &n);
    struct wry_settings_head head;
    CHECK(wry_settings_get(&head, flash + REGION, SLOT));
    CHECK(wry_bytes_blank(flash + REGION + head.length, 2 * SLOT - head.length));
    EXPECT(0, "the flash has the image",
           command("verify", placed("calibration", "pier.yaml"), NULL));
}

static void one_setting_is_changed_and_the_others_stay(void)
{
    size_t n = 0;

    scratch_use_gauge("changed", "none");
    g_autofree uint8_t *before = scratch_flash("changed", &n);
    struct said said = command("write", "--set", "datum_mm=-1900", NULL);
    EXPECT(0, "settings (datum_mm)", said);
    CHECK(says(&said, " to 0x013FFF, is erased: "));
    g_autofree uint8_t *after = scratch_flash("changed", &n);
    /* The next generation went into the other copy; nothing else was touched. */
    struct wry_settings_head old, new;
    CHECK(wry_settings_get(&old, after + REGION, SLOT));
    CHECK(wry_settings_get(&new, after + REGION + SLOT, SLOT));
    CHECK_EQUAL(old.generation + 1, new.generation);
    memcpy(before + REGION + SLOT, after + REGION + SLOT, SLOT);
    CHECK(memcmp(before, after, n) == 0);
    EXPECT(0, "gauge = 1, pier = A, datum_mm = -1900, scale = 1.0011", command("identify", NULL));
    EXPECT(0, "Nothing to write", command("write", "--set", "datum_mm=-1900", NULL));
    EXPECT(0, "Written",
           command("write", "--set", "calibration/pier=B", "--set-new", "note=harbour", NULL));
    EXPECT(0, "pier = B, datum_mm = -1900, scale = 1.0011, note = harbour",
           command("identify", NULL));
    EXPECT(0, "set", command("start", "--send", "set datum_mm -7", "--expect", "set", NULL));
    EXPECT(0, "datum_mm = -7", command("identify", NULL));
    /* And beside a settings file it changes what the file says. */
    write_yaml("both.yaml", "settings:\n  gauge: 1\n  pier: A\n");
    EXPECT(0, "Written",
           command("write", "--without-backup", placed("calibration", "both.yaml"), "--set",
                   "pier=D", NULL));
    EXPECT(0, "gauge = 1, pier = D", command("identify", NULL));
}

static void a_setting_that_cannot_be_changed_changes_nothing(void)
{
    size_t n = 0;

    scratch_use_gauge("refused", "none");
    g_autofree uint8_t *before = scratch_flash("refused", &n);
    EXPECT(2, "'datum_mm' is an integer here", command("write", "--set", "datum_mm=low", NULL));
    EXPECT(2, "is not a key", command("write", "--set", "1st=low", NULL));
    EXPECT(2, "there is no setting 'datum_m'; did you mean 'datum_mm'?",
           command("write", "--set", "datum_m=-1", NULL));
    EXPECT(2, "there is no setting 'dat'; did you mean 'datum_mm'?",
           command("write", "--set", "dat=-1", NULL));
    EXPECT(2, "there is no setting 'da'; did you mean 'datum_mm'?",
           command("write", "--set", "da=-1", NULL));
    EXPECT(2, "there is no setting 'd'\n", command("write", "--set", "d=-1", NULL));
    EXPECT(2, "To add colour, use 'settings set --new'",
           command("write", "--set", "colour=blue", NULL));
    EXPECT(2, "an integer has no leading zeros", command("write", "--set", "gauge=0123", NULL));
    /* A real number may begin with a zero: that is not what is wrong with this one. */
    struct said said = command("write", "--set", "scale=0low", NULL);
    EXPECT(2, "'scale' is a real here", said);
    CHECK(!says(&said, "leading zeros"));
    EXPECT(2, "is not a setting", command("write", "--set", "datum_mm", NULL));
    EXPECT(2, "is not a setting", command("write", "--set", "/a=1", NULL));
    EXPECT(2, "there is no region 'attic'", command("write", "--set", "attic/a=1", NULL));
    EXPECT(5, "region 'app' holds no settings block", command("write", "--set", "app/a=1", NULL));
    CHECK(scratch_flash_is("refused", before, n));
    EXPECT(0, "",
           command("bench", "add", "blank", "--chip", "turnstone-t2", "--flash", "4M", NULL));
    EXPECT(5, "no region of this board holds a settings block",
           command("write", "-l", "bench:blank", "--set", "a=1", NULL));
    GString *large = g_string_new("settings:\n");
    for (int i = 0; i < 400; i++)
        g_string_append_printf(large, "  key%d: a text of some length\n", i);
    scratch_write("large.yaml", large->str, large->len);
    g_string_free(large, TRUE);
    EXPECT(5, "its settings block takes",
           command("write", placed("calibration", "large.yaml"), NULL));
    write_yaml("wrong.yaml", "settings:\n  a: {type: integer, value: low}\n");
    EXPECT(3, "wrong.yaml:2:", command("write", placed("calibration", "wrong.yaml"), NULL));
    EXPECT(3, "is text, not firmware", command("write", placed("app", "wrong.yaml"), NULL));
    CHECK(scratch_flash_is("refused", before, n));
}

/* A cut anywhere leaves the old settings or the new ones, and saying it again ends the same. */
static void a_cut_change_leaves_one_copy_or_the_other(void)
{
    size_t n = 0;

    for (unsigned at = 1; at <= 12; at++) {
        g_autofree char *name = g_strdup_printf("cut-%u", at);
        g_autofree char *fault = g_strdup_printf("power-cut=%u", at);
        check_context("%s", fault);
        scratch_use_gauge(name, "none");
        EXPECT(0, "Written", command("write", "--set", "pier=B", NULL));
        EXPECT(0, "", command("bench", "fault", name, fault, NULL));
        struct said said = command("write", "--set", "pier=C", NULL);
        CHECK(said.code == 7 || said.code == 0);
        EXPECT(0, "", command("bench", "fault", name, "none", NULL));
        said = command("identify", NULL);
        CHECK(says(&said, "pier = B") || says(&said, "pier = C"));
        EXPECT(0, "", command("write", "--set", "pier=C", NULL));
        EXPECT(0, "gauge = 1, pier = C", command("identify", NULL));
        g_autofree uint8_t *flash = scratch_flash(name, &n);
        CHECK(flash != NULL);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_block_gives_back_what_was_put_in),
        FACT(what_is_damaged_or_cut_is_no_block),
        FACT(arbitrary_entries_are_decoded_or_refused),
        FACT(what_does_not_fit_is_refused_by_the_writer),
        FACT(a_file_s_values_have_the_types_that_they_read_as),
        FACT(a_file_s_mistakes_are_named_by_line),
        FACT(settings_are_written_and_the_firmware_shows_them),
        FACT(one_setting_is_changed_and_the_others_stay),
        FACT(a_setting_that_cannot_be_changed_changes_nothing),
        FACT(a_cut_change_leaves_one_copy_or_the_other),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
