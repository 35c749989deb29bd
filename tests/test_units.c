/* Sizes, offsets and speeds as people write them. */
#include "base/folders.h"
#include "base/words_distance.h"
#include "wrytograph-host/units.h"

#include <string.h>

#include "harness.h"

static uint32_t size_of(const char *text)
{
    uint32_t bytes = 1;

    return wry_units_parse_size(text, &bytes) ? bytes : 1;
}

static void sizes_are_read_in_bytes_and_bits(void)
{
    CHECK_EQUAL(0x400000, size_of("4MiB"));
    CHECK_EQUAL(0x400000, size_of("4M"));
    CHECK_EQUAL(0x400000, size_of("32Mbit"));
    CHECK_EQUAL(0x400000, size_of("0x400000"));
    CHECK_EQUAL(0x400000, size_of("4194304"));
    CHECK_EQUAL(0x400000, size_of("4 mib"));
    CHECK_EQUAL(0x80000, size_of("512K"));
    CHECK_EQUAL(0x10000, size_of("512Kbit"));
}

static void what_is_no_size_is_refused(void)
{
    static const char *const texts[] = {"",     "M",      "4G",    "-4M",  "0x",
                                        "0x4M", "4.5MiB", "5000M", "4MiBx"};

    for (size_t i = 0; i < sizeof texts / sizeof texts[0]; i++) {
        check_context("'%s'", texts[i]);
        CHECK_EQUAL(1, size_of(texts[i]));
    }
}

static void an_offset_without_0x_is_refused_as_ambiguous(void)
{
    uint32_t offset = 1;

    CHECK(!wry_units_parse_offset("4000", &offset));
    CHECK(wry_units_parse_offset("0", &offset));
    CHECK_EQUAL(0, offset);
    CHECK(wry_units_parse_offset("0x4000", &offset));
    CHECK_EQUAL(0x4000, offset);
    CHECK(wry_units_parse_offset("16K", &offset));
    CHECK_EQUAL(0x4000, offset);
    CHECK(!wry_units_parse_offset("", &offset));
    CHECK(!wry_units_parse_offset("0x100000000", &offset));
}

static void sizes_are_shown_in_bytes_and_bits(void)
{
    static const struct {
        uint32_t bytes;
        const char *text;
    } cases[] = {{0x400000, "4 MiB (32 Mbit)"},
                 {0x80000, "512 KiB (4 Mbit)"},
                 {0x2000000, "32 MiB (256 Mbit)"},
                 {0x10000, "64 KiB (512 Kbit)"}};

    for (size_t i = 0; i < 4; i++) {
        g_autofree char *text = wry_units_flash_size(cases[i].bytes);
        check_context("%s", cases[i].text);
        CHECK(strcmp(cases[i].text, text) == 0);
    }
}

static void byte_counts_are_exact(void)
{
    g_autofree char *one = wry_units_bytes(1);
    g_autofree char *many = wry_units_bytes(942972);
    g_autofree char *even = wry_units_bytes(0x20000);
    g_autofree char *none = wry_units_bytes(0);

    CHECK(strcmp("1 byte", one) == 0);
    CHECK(strcmp("942,972 bytes", many) == 0);
    CHECK(strcmp("128 KiB", even) == 0);
    CHECK(strcmp("0 bytes", none) == 0);
}

static void speeds_are_plain_numbers(void)
{
    uint32_t baud = 0;

    CHECK(wry_units_parse_speed("921600", &baud));
    CHECK_EQUAL(921600, baud);
    CHECK(!wry_units_parse_speed("300", &baud));
    CHECK(!wry_units_parse_speed("921600baud", &baud));
    CHECK(!wry_units_parse_speed("", &baud));
}

/* As the XDG Base Directory Specification wants it; and ours never depend on where one stands. */
static void relative_folders_are_ignored_or_made_absolute(void)
{
    g_autofree char *here = g_get_current_dir();
    g_autofree char *ours = g_build_filename(here, "shelf", NULL);

    g_setenv("HOME", "/pier", TRUE);
    g_setenv("XDG_DATA_HOME", "data", TRUE);
    g_setenv("WRYTOGRAPH_SHELF", "./x/../shelf", TRUE);
    g_autofree char *data = folders_user(FOLDER_DATA, "ledger.db");
    g_autofree char *shelf = folders_named("WRYTOGRAPH_SHELF");
    CHECK(g_str_has_suffix(data, "/.local/share/wrytograph/ledger.db") && data[0] == '/');
    CHECK(strcmp(shelf, ours) == 0);
    g_setenv("XDG_DATA_HOME", "/quay", TRUE);
    g_setenv("WRYTOGRAPH_SHELF", "", TRUE);
    g_autofree char *quay = folders_user(FOLDER_DATA, NULL);
    CHECK(strcmp(quay, "/quay/wrytograph") == 0);
    CHECK(folders_named("WRYTOGRAPH_SHELF") == NULL);
}

static void a_misspelled_word_is_near_to_what_was_meant(void)
{
    CHECK_EQUAL(0, words_distance("datum_mm", "DATUM_MM"));
    CHECK_EQUAL(1, words_distance("datum_mm", "datum_m"));
    CHECK_EQUAL(1, words_distance("datum_mm", "dtaum_mm"));
    CHECK_EQUAL(2, words_distance("pier", "pierre"));
    CHECK_EQUAL(4, words_distance("pier", ""));
}

static void times_are_written_with_their_unit(void)
{
    static const struct {
        const char *text;
        uint64_t us;
    } cases[] = {{"10", 10000000},    {"90s", 90000000},  {"1.5s", 1500000},    {"200ms", 200000},
                 {"2min", 120000000}, {"1h", 3600000000}, {"24h", 86400000000}, {"1ms", 1000}};
    static const char *const wrong[] = {"",      "s",  "soon", "25h", "0s",
                                        "0.1ms", "2m", "1 h",  "-1s", "nan"};
    uint64_t us;

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        check_context("%s", cases[i].text);
        CHECK(wry_units_parse_time(cases[i].text, &us));
        CHECK_EQUAL(cases[i].us, us);
    }
    for (size_t i = 0; i < sizeof wrong / sizeof wrong[0]; i++) {
        check_context("%s", wrong[i]);
        CHECK(!wry_units_parse_time(wrong[i], &us));
    }
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(times_are_written_with_their_unit),
        FACT(sizes_are_read_in_bytes_and_bits),
        FACT(what_is_no_size_is_refused),
        FACT(an_offset_without_0x_is_refused_as_ambiguous),
        FACT(sizes_are_shown_in_bytes_and_bits),
        FACT(byte_counts_are_exact),
        FACT(speeds_are_plain_numbers),
        FACT(relative_folders_are_ignored_or_made_absolute),
        FACT(a_misspelled_word_is_near_to_what_was_meant),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
