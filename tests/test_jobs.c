/* Back up, restore, erase, plan, regions: the work on a board's flash, as commands. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "rig.h"
#include "wrytograph/boot_header.h"

/* A gauge of its own for a fact, with its link as the default one. */
static uint8_t *use_gauge(const char *name, size_t *n)
{
    g_autofree char *link = g_strdup_printf("bench:%s", name);

    scratch_add_gauge(name);
    g_setenv("WRYTOGRAPH_LINK", link, TRUE);
    return scratch_flash(name, n);
}

static void a_backup_opens_anywhere_and_goes_back(void)
{
    size_t n = 0, m = 0;
    g_autofree uint8_t *before = use_gauge("backed-up", &n);
    const char *archive = scratch_file("g.zip");

    EXPECT(0, "verified by the board's SHA-256: 4 MiB", command("backup", archive, NULL));
    EXPECT(0, "No errors detected", run_program("unzip", "-t", archive, NULL));
    EXPECT(0, "", run_program("unzip", "-q", "-d", scratch(), archive, NULL));
    const char *member = "flash-0x00000000.bin";
    g_autofree uint8_t *inside = scratch_read(member, &m);
    CHECK(inside && m == n && memcmp(inside, before, n) == 0);
    EXPECT(0, "0x000000 to 0x3FFFFF  SHA-256", command("inspect", archive, NULL));
    EXPECT(0, "Erased", command("erase", "all", NULL));
    EXPECT(6, "DIFFERS", command("verify", archive, NULL));
    EXPECT(0, "sectors written", command("restore", archive, NULL));
    CHECK(scratch_flash_is("backed-up", before, n));
    EXPECT(0, "0 sectors written, 1024 were unchanged", command("restore", archive, NULL));
    EXPECT(0, "has the content of the archive", command("verify", archive, NULL));
}

static void a_backup_is_of_parts_or_plain_when_asked(void)
{
    size_t n = 0, m = 0;
    g_autofree uint8_t *before = use_gauge("parts", &n);

    EXPECT(0, "17 KiB",
           command("backup", "--only", "calibration", "--only", "0x100+1K",
                   scratch_file("parts.zip"), NULL));
    EXPECT(0, "0x010000 to 0x013FFF", command("inspect", scratch_file("parts.zip"), NULL));
    EXPECT(0, "0x000100 to 0x0004FF", command("inspect", scratch_file("parts.zip"), NULL));
    EXPECT(0, "calibration", command("verify", scratch_file("parts.zip"), NULL));
    EXPECT(0, "Backed up", command("backup", "--plain", scratch_file("plain.bin"), NULL));
    g_autofree uint8_t *plain = scratch_read("plain.bin", &m);
    CHECK(plain && m == n && memcmp(plain, before, n) == 0);
    EXPECT(
        2, "overlap",
        command("backup", "--only", "app", "--only", "0x40000+4K", scratch_file("no.zip"), NULL));
    EXPECT(2, "one part only",
           command("backup", "--plain", "--only", "app", "--only", "table", scratch_file("no.zip"),
                   NULL));
    EXPECT(2, "there is no region 'attic'",
           command("backup", "--only", "attic", scratch_file("no.zip"), NULL));
    EXPECT(2, "the file exists", command("backup", scratch_file("plain.bin"), NULL));
    CHECK(!g_file_test(scratch_file("no.zip"), G_FILE_TEST_EXISTS));
}

static void a_backup_since_an_older_one_is_complete_and_cheap(void)
{
    size_t n = 0;
    g_autofree uint8_t *before = use_gauge("since", &n);

    CHECK(before != NULL);
    EXPECT(0, "", command("backup", scratch_file("older.zip"), NULL));
    EXPECT(0, "", command("erase", "0x13000+4K", NULL));
    struct said said = command("backup", "--json", "--since", scratch_file("older.zip"),
                               scratch_file("newer.zip"), NULL);
    EXPECT(0, "\"bytes_from_older\" : 4194304", said);
    const char *received = strstr(said.out, "\"bytes_received\" : ");
    CHECK(received && g_ascii_strtoull(received + 19, NULL, 10) < 20000);
    EXPECT(0, "", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(
        0, "had not changed",
        command("backup", "--since", scratch_file("older.zip"), scratch_file("newest.zip"), NULL));
    EXPECT(0, "agrees", command("verify", scratch_file("newest.zip"), NULL));
    size_t m = 0;
    g_autofree uint8_t *other = use_gauge("since-other", &m);
    EXPECT(5, "comes from board",
           command("backup", "--since", scratch_file("older.zip"), scratch_file("no.zip"), NULL));
    CHECK(!g_file_test(scratch_file("no.zip"), G_FILE_TEST_EXISTS));
    CHECK(other != NULL);
}

/* Files in the scratch folder that look like the remains of a backup. */
static unsigned remains(void)
{
    GDir *dir = g_dir_open(scratch(), 0, NULL);
    unsigned count = 0;
    const char *name;

    while ((name = g_dir_read_name(dir)))
        count += strstr(name, "full.zip") != NULL || g_str_has_prefix(name, ".wrytograph");
    g_dir_close(dir);
    return count;
}

static void an_interrupted_backup_leaves_nothing(void)
{
    size_t n = 0;
    g_autofree uint8_t *before = use_gauge("full", &n);
    g_autofree char *limited = g_strdup_printf("ulimit -f 300; exec '%s' backup '%s'",
                                               command_path(), scratch_file("full.zip"));

    EXPECT(3, "no room for the backup", run_program("sh", "-c", limited, NULL));
    CHECK_EQUAL(0, remains());
    EXPECT(0, "", command("bench", "fault", "full", "cable-cut=600", NULL));
    EXPECT(7, "stopped answering", command("backup", scratch_file("full.zip"), NULL));
    CHECK_EQUAL(0, remains());
    EXPECT(3, "No such file", command("backup", scratch_file("nowhere/full.zip"), NULL));
    CHECK(scratch_flash_is("full", before, n));
}

static void restoring_is_refused_where_it_would_harm(void)
{
    size_t n = 0;
    g_autofree uint8_t *before = use_gauge("mine", &n);

    /* Settings that no other board has. */
    EXPECT(0, "", command("write", "--set", "datum_mm=-1866", NULL));
    g_free(before);
    before = scratch_flash("mine", &n);
    EXPECT(0, "", command("backup", scratch_file("mine.zip"), NULL));
    EXPECT(0, "", command("backup", "--plain", scratch_file("mine.bin"), NULL));
    size_t m = 0;
    g_autofree uint8_t *theirs = use_gauge("theirs", &m);
    EXPECT(0, "", command("erase", "log", NULL));
    g_autofree uint8_t *erased = scratch_flash("theirs", &m);
    struct said said = command("restore", scratch_file("mine.zip"), NULL);
    EXPECT(5, "comes from board 02:57:", said);
    CHECK(says(&said, "this is board 02:57:"));
    CHECK(says(&said, "--from-another-board"));
    /* A plain binary does not say whose it is; what is known of its settings may. */
    EXPECT(5,
           "mine.bin comes from board 02:57:", command("restore", scratch_file("mine.bin"), NULL));
    g_autofree uint8_t *blank = g_malloc(n);
    memset(blank, 0xFF, n);
    scratch_write("blank.bin", blank, n);
    EXPECT(5, "is a plain binary: it does not say which board it comes from",
           command("restore", scratch_file("blank.bin"), NULL));
    EXPECT(5, "has 21096 bytes",
           command("restore", "--from-another-board", scratch_file("start.bin"), NULL));
    EXPECT(3, "No such file", command("restore", scratch_file("none.zip"), NULL));
    EXPECT(2, "give one archive", command("restore", NULL));
    EXPECT(0, "Nothing was restored",
           command("restore", "--dry-run", "--from-another-board", scratch_file("mine.zip"), NULL));
    size_t length = 0;
    g_autofree uint8_t *zip = scratch_read("mine.zip", &length);
    zip[length / 2] ^= 4;
    scratch_write("damaged.zip", zip, length);
    EXPECT(3, "damaged",
           command("restore", "--from-another-board", scratch_file("damaged.zip"), NULL));
    scratch_write("short.zip", zip, length / 3);
    EXPECT(3, "cut short", command("restore", scratch_file("short.zip"), NULL));
    EXPECT(0, "",
           command("bench", "add", "large", "--chip", "turnstone-t2", "--flash", "8M", NULL));
    EXPECT(5, "4 MiB (32 Mbit) of flash, this one has 8 MiB",
           command("restore", "-l", "bench:large", scratch_file("mine.zip"), NULL));
    EXPECT(0, "", command("bench", "add", "dunlin", "--chip", "dunlin-d3", "--flash", "4M", NULL));
    EXPECT(5, "comes from a Turnstone T2, this board has a Dunlin D3",
           command("restore", "-l", "bench:dunlin", scratch_file("mine.zip"), NULL));
    CHECK(scratch_flash_is("theirs", erased, m));
    EXPECT(5, "no backup of the whole flash of board",
           command("restore", "--from-another-board", scratch_file("mine.bin"), NULL));
    EXPECT(0, "Restored",
           command("restore", "--from-another-board", "--without-backup", scratch_file("mine.bin"),
                   NULL));
    CHECK(scratch_flash_is("theirs", before, n));
    CHECK(theirs != NULL);
}

static void an_erase_takes_what_was_named_and_nothing_else(void)
{
    size_t n = 0;
    g_autofree uint8_t *expected = use_gauge("erased", &n);

    struct said said = command("erase", "--dry-run", "app", "0x10010+0x20", NULL);
    EXPECT(0, "Nothing was erased", said);
    CHECK(says(&said, "of: calibration"));
    CHECK(scratch_flash_is("erased", expected, n));
    EXPECT(5, "these settings in region 'calibration' would be lost",
           command("erase", "app", "0x10010+0x20", NULL));
    CHECK(scratch_flash_is("erased", expected, n));
    EXPECT(0, "verified to be blank",
           command("erase", "--without-backup", "app", "0x10010+0x20", NULL));
    memset(expected + 0x40000, 0xFF, 0x180000);
    memset(expected + 0x10010, 0xFF, 0x20);
    CHECK(scratch_flash_is("erased", expected, n));
    EXPECT(2, "there is no region 'attic'", command("erase", "attic", NULL));
    EXPECT(2, "is not a range", command("erase", "0x1000+", NULL));
    EXPECT(2, "is not a range", command("erase", "4096+4K", NULL));
    EXPECT(2, "overlap", command("erase", "all", "app", NULL));
    EXPECT(2, "nothing to erase was given", command("erase", NULL));
    EXPECT(5, "beyond the end", command("erase", "0x3FF000+8K", NULL));
    CHECK(scratch_flash_is("erased", expected, n));
}

static void regions_resolve_against_the_flash_that_is_found(void)
{
    static const char *const sizes[] = {"1M", "2M"};
    size_t n = 0;

    scratch_write("note", "rising tide", 11);
    for (size_t i = 0; i < 2; i++) {
        g_autofree char *name = g_strdup_printf("plover-%s", sizes[i]);
        g_autofree char *link = g_strdup_printf("bench:%s", name);
        EXPECT(0, "",
               command("bench", "add", name, "--chip", "sanderling-s1", "--flash", sizes[i], NULL));
        EXPECT(0, "Written",
               command("write", "-l", link, "--any-content", placed("calibration", "note"), NULL));
        g_autofree uint8_t *flash = scratch_flash(name, &n);
        CHECK_EQUAL((i + 1) * 0x100000, n);
        CHECK(memcmp(flash + n - 0x10000, "rising tide", 11) == 0);
    }
}

static void a_layout_file_overrides_the_board(void)
{
    static const char yaml[] = "regions:\n  - {name: shelf, offset: 0x300000, length: rest}\n";
    static const char bad[] = "regions:\n  - {name: shelf, offset: 0x300000, length: 5M}\n";
    static const char other[] = "chip: dunlin-d3\n";
    size_t n = 0;
    g_autofree uint8_t *expected = use_gauge("shelf", &n);

    scratch_write("shelf.yaml", yaml, sizeof yaml - 1);
    scratch_write("bad.yaml", bad, sizeof bad - 1);
    g_autofree char *wrong_chip = g_strconcat(other, yaml, NULL);
    scratch_write("other.yaml", wrong_chip, strlen(wrong_chip));
    scratch_write("note", "rising tide", 11);
    EXPECT(0, "shelf", command("identify", "--layout", scratch_file("shelf.yaml"), NULL));
    EXPECT(3, "bad.yaml:2: region 'shelf' ends beyond",
           command("write", "--layout", scratch_file("bad.yaml"), placed("shelf", "note"), NULL));
    EXPECT(5, "is a layout for a Dunlin D3",
           command("write", "--layout", scratch_file("other.yaml"), placed("shelf", "note"), NULL));
    CHECK(scratch_flash_is("shelf", expected, n));
    EXPECT(0, "Written",
           command("write", "--layout", scratch_file("shelf.yaml"), placed("shelf", "note"), NULL));
    memcpy(expected + 0x300000, "rising tide", 11);
    CHECK(scratch_flash_is("shelf", expected, n));
}

static void a_plan_is_checked_and_drawn_without_a_board(void)
{
    size_t n = 0;

    g_unsetenv("WRYTOGRAPH_LINK");
    struct said said =
        command("plan", "--chip", "turnstone-t2", "--flash", "4M", "--svg", scratch_file("map.svg"),
                placed("start", "start.bin"), placed("app", "gauge.bin"), NULL);
    EXPECT(0, "The plan is valid: 942,792 bytes in 232 sectors", said);
    CHECK(says(&said, "gauge.bin, 900.1 KiB"));
    CHECK(says(&said, "█"));
    g_autofree char *svg = (char *)scratch_read("map.svg", &n);
    CHECK(svg && g_str_has_prefix(svg, "<svg") && g_strstr_len(svg, (gssize)n, "gauge.bin"));
    /* The app, from 0x40000 on, is 226 sectors of 448 of its region and of 1024 of the flash. */
    static const char *const drawn[] = {
        "height=\"478\" viewBox=\"0 0 1120 478\"",
        "<text x=\"32.0\" y=\"38.0\" class=\"title\">Turnstone T2, 4 MiB (32 Mbit) of flash; "
        "layout: "
        "the usual one of this chip</text>",
        "<text x=\"32.0\" y=\"115.0\" class=\"tick\">0x000000</text>",
        "<text x=\"560.0\" y=\"115.0\" class=\"tick middle\">0x200000</text>",
        "<text x=\"1088.0\" y=\"115.0\" class=\"tick end\">0x400000</text>",
        "<rect x=\"98.00\" y=\"64.00\" width=\"233.06\" height=\"34.00\" fill=\"#d9a441\"/>",
        "<rect x=\"330.00\" y=\"348.00\" width=\"216.92\" height=\"20.00\" fill=\"#d9a441\"/>",
        "<rect x=\"330.00\" y=\"348.00\" width=\"215.98\" height=\"20.00\" fill=\"#22577a\"/>",
        "<text x=\"122.0\" y=\"163.0\" class=\"none\">no region</text>",
        "<text x=\"122.0\" y=\"403.0\" class=\"name\">files</text>",
        "<text x=\"316.0\" y=\"403.0\" class=\"size end\">2 MiB</text>",
        "<text x=\"53.0\" y=\"448.0\" class=\"size\">untouched</text>",
        ">preserved, in a rewritten sector</text>",
        ">image</text>",
    };
    for (size_t i = 0; svg && i < G_N_ELEMENTS(drawn); i++) {
        check_context("%s", drawn[i]);
        CHECK(strstr(svg, drawn[i]) != NULL);
    }
    check_context(NULL);
    g_setenv("LC_ALL", "C", TRUE);
    said = command("plan", "--chip", "turnstone-t2", "--flash", "4M", placed("app", "gauge.bin"),
                   NULL);
    EXPECT(0, "####", said);
    CHECK(!says(&said, "█"));
    g_setenv("LC_ALL", "C.UTF-8", TRUE);
    EXPECT(2, "no board to plan for", command("plan", placed("app", "gauge.bin"), NULL));
    EXPECT(2, "two boards",
           command("plan", "-l", "bench:x", "--chip", "turnstone-t2", "--flash", "4M",
                   placed("app", "gauge.bin"), NULL));
    EXPECT(2, "is not a flash size of a Turnstone T2",
           command("plan", "--chip", "turnstone-t2", "--flash", "1M", placed("app", "gauge.bin"),
                   NULL));
    EXPECT(
        5, "was built for a Turnstone T2, this board has a Dunlin D3",
        command("plan", "--chip", "dunlin-d3", "--flash", "4M", placed("app", "gauge.bin"), NULL));
}

static void what_does_not_fit_its_place_is_refused(void)
{
    size_t n = 0;
    g_autofree uint8_t *before = use_gauge("places", &n);
    static const uint8_t large[0x5000] = {1};

    scratch_write("large", large, sizeof large);
    EXPECT(5, "(0x010000 to 0x014FFF) does not fit region 'calibration' (0x010000 to 0x013FFF)",
           command("write", placed("calibration", "large"), NULL));
    EXPECT(5, "lies in region 'calibration', which is for settings",
           command("write", placed("0x10000", "start.bin"), NULL));
    EXPECT(5, "no region begins at 0x020000",
           command("write", placed("0x20000", "start.bin"), NULL));
    EXPECT(5, "is not the start of region 'app' (0x040000)",
           command("plan", placed("0x50000", "gauge.bin"), NULL));
    /* What does not say of itself what kind it is. */
    struct wry_boot_header header = program_header("old-gauge 1.9", 0xE0FFF);
    header.kind = WRY_PROGRAM_UNSAID;
    program_write("old.bin", &header);
    struct said said = command("plan", placed("start", "old.bin"), NULL);
    EXPECT(5, "does not fit region 'start'", said);
    CHECK(says(&said, "It is for region 'app'"));
    EXPECT(5, "ends at 0x0E505E, beyond region 'start', which ends at 0x00DFFF",
           command("plan", placed("0x4000", "old.bin"), NULL));
    CHECK(scratch_flash_is("places", before, n));
}

static void hex_and_s_record_files_go_where_they_say(void)
{
    size_t n = 0;
    g_autofree uint8_t *expected = use_gauge("records", &n);
    size_t length = 0;
    g_autofree uint8_t *image = scratch_read("gauge.bin", &length);

    EXPECT(0, "",
           run_program("objcopy", "-I", "binary", "-O", "ihex", "--change-addresses=0x40000",
                       scratch_file("gauge.bin"), scratch_file("gauge.hex"), NULL));
    EXPECT(0, "",
           run_program("objcopy", "-I", "binary", "-O", "srec", "--change-addresses=0x4000",
                       scratch_file("start.bin"), scratch_file("start.srec"), NULL));
    EXPECT(0, "tide-gauge 2.3.1", command("inspect", scratch_file("gauge.hex"), NULL));
    EXPECT(0, "Written",
           command("write", scratch_file("gauge.hex"), placed("start", "start.srec"), NULL));
    memcpy(expected + 0x40000, image, length);
    g_autofree uint8_t *start = scratch_read("start.bin", &length);
    memcpy(expected + 0x4000, start, length);
    CHECK(scratch_flash_is("records", expected, n));
    EXPECT(2, "which the offset contradicts",
           command("write", placed("0x4000", "gauge.hex"), NULL));
    EXPECT(5, "is an application, but region 'log' is for files",
           command("write", placed("log", "gauge.hex"), NULL));
    EXPECT(3, "a character that does not belong",
           command("write", "--as", "hex", scratch_file("gauge.bin"), NULL));
    EXPECT(2, "is not an image format",
           command("write", "--as", "elf", scratch_file("gauge.hex"), NULL));
    CHECK(scratch_flash_is("records", expected, n));
}

static void the_boot_header_learns_of_a_larger_flash(void)
{
    struct wry_boot_header header = {0};
    size_t n = 0;

    EXPECT(0, "", command("bench", "add", "wide", "--chip", "turnstone-t2", "--flash", "8M", NULL));
    g_setenv("WRYTOGRAPH_LINK", "bench:wide", TRUE);
    EXPECT(0, "is set to that of this board",
           command("write", placed("app", "gauge.bin"), placed("start", "start.bin"),
                   placed("table", "regions.bin"), NULL));
    g_autofree uint8_t *flash = scratch_flash("wide", &n);
    CHECK(wry_boot_header_get(&header, flash + 0x40000));
    CHECK_EQUAL(23, header.flash_size_log2);
    EXPECT(0, "agrees", command("verify", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "gauge ready", command("start", NULL));
    EXPECT(6, "DIFFERS", command("verify", "--leave-header", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "Written", command("write", "--leave-header", placed("app", "gauge.bin"), NULL));
    g_autofree uint8_t *left = scratch_flash("wide", &n);
    CHECK(wry_boot_header_get(&header, left + 0x40000));
    CHECK_EQUAL(22, header.flash_size_log2);
}

static void writing_again_touches_only_what_differs(void)
{
    size_t n = 0, length = 0;
    g_autofree uint8_t *before = use_gauge("again", &n);
    g_autofree uint8_t *raw = g_malloc(0x80000);

    rig_random(raw, 0x80000, 5);
    scratch_write("raw", raw, 0x80000);
    EXPECT(0, "Written", command("write", placed("log", "raw"), NULL));
    EXPECT(0, "\"sectors_written\" : 0", command("write", "--json", placed("log", "raw"), NULL));
    EXPECT(0, "Nothing to write", command("write", placed("log", "raw"), NULL));
    raw[0x41234] ^= 1;
    scratch_write("raw", raw, 0x80000);
    EXPECT(0, "1 sector was written, 575 already had the right content",
           command("write", placed("log", "raw"), NULL));
    EXPECT(0, "\"sectors_written\" : 576",
           command("write", "--json", "--every-sector", placed("log", "raw"), NULL));
    g_autofree uint8_t *after = scratch_flash("again", &length);
    memset(before + 0x1C0000, 0xFF, 0x240000);
    memcpy(before + 0x1C0000, raw, 0x80000);
    CHECK(length == n && memcmp(before, after, n) == 0);
}

static void a_cut_write_is_made_good_by_running_it_again(void)
{
    static const char *const faults[] = {"power-cut=3", "power-cut=40", "cable-cut=30000",
                                         "power-cut=9", "cable-cut=9000"};
    size_t n = 0;
    g_autofree uint8_t *expected = use_gauge("cut", &n);
    g_autofree uint8_t *raw = g_malloc(0x9000);

    rig_random(raw, 0x9000, 6);
    scratch_write("ragged", raw, 0x9000);
    memcpy(expected + 0x12345, raw, 0x9000);
    unsigned put_back = 0;
    for (size_t i = 0; i < 5; i++) {
        EXPECT(0, "", command("bench", "fault", "cut", "none", faults[i], NULL));
        check_context("%s", faults[i]);
        struct said said =
            command("write", "--any-place", "--every-sector", placed("0x12345", "ragged"), NULL);
        EXPECT(7, "Run the same command again", said);
        put_back += says(&said, "restored first");
    }
    EXPECT(0, "", command("bench", "fault", "cut", "none", NULL));
    EXPECT(0, "restored first", command("write", "--any-place", placed("0x12345", "ragged"), NULL));
    CHECK(scratch_flash_is("cut", expected, n));
    CHECK(put_back > 0);
    struct said said = command("write", "--any-place", placed("0x12345", "ragged"), NULL);
    EXPECT(0, "Nothing to write", said);
    CHECK(!says(&said, "restored first"));
}

static void a_protected_range_stops_the_work_before_the_first_erase(void)
{
    size_t n = 0;
    g_autofree uint8_t *before = use_gauge("locked", &n);

    EXPECT(0, "", command("bench", "fault", "locked", "protect=0x30", NULL));
    EXPECT(0, "protected 0x000000 to 0x07FFFF (block-protect bits 0x30)",
           command("identify", NULL));
    EXPECT(8, "write-protected from 0x000000 to 0x07FFFF",
           command("write", placed("log", "regions.bin"), placed("app", "gauge.bin"), NULL));
    EXPECT(8, "write-protected", command("erase", "--without-backup", "all", NULL));
    CHECK(scratch_flash_is("locked", before, n));
    scratch_write("note", "rising tide", 11);
    EXPECT(0, "Written", command("write", placed("log", "note"), NULL));
}

static void a_flash_that_claims_too_much_is_found_out(void)
{
    size_t n = 0;
    g_autofree uint8_t *before = use_gauge("boaster", &n);

    CHECK(before != NULL);
    EXPECT(0, "has its claimed size", command("identify", "--deep", NULL));
    EXPECT(0, "flash claims 16384 KiB", command("bench", "fault", "boaster", "claims=16M", NULL));
    EXPECT(5, "claims 16 MiB (128 Mbit), but its content repeats every 4 MiB (32 Mbit)",
           command("identify", "--deep", NULL));
    EXPECT(0, "",
           command("bench", "add", "blank", "--chip", "turnstone-t2", "--flash", "4M", NULL));
    EXPECT(0, "proves nothing", command("identify", "--deep", "-l", "bench:blank", NULL));
}

static void reading_back_finds_what_digests_find(void)
{
    size_t n = 0, length = 0;
    g_autofree uint8_t *before = use_gauge("read-back", &n);
    g_autofree uint8_t *image = scratch_read("gauge.bin", &length);

    CHECK(before != NULL);
    EXPECT(0, "", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "agrees byte for byte",
           command("verify", "--read-back", placed("app", "gauge.bin"), NULL));
    image[0x1000] ^= 1;
    image[0x80000] ^= 1;
    scratch_write("two.bin", image, length);
    struct said said = command("verify", "--read-back", placed("0x40000", "two.bin"), NULL);
    EXPECT(6, "flash 0x041000 to 0x041000", said);
    CHECK(says(&said, "flash 0x0C0000 to 0x0C0000"));
    CHECK(says(&said, "✗"));
    said = command("verify", placed("0x40000", "two.bin"), NULL);
    EXPECT(6, "flash 0x041000 to 0x041000", said);
    CHECK(says(&said, "flash 0x0C0000 to 0x0C0000"));
}

static void inspect_tells_what_is_wrong_with_a_file(void)
{
    static const char yaml[] = "regions:\n- {name: a, offset: 0x0, length: 4K}\n";
    size_t length = 0;
    g_autofree uint8_t *image = scratch_read("gauge.bin", &length);

    EXPECT(0, "matches the body", command("inspect", scratch_file("gauge.bin"), NULL));
    EXPECT(0, "a region table", command("inspect", scratch_file("regions.bin"), NULL));
    image[5000] ^= 1;
    scratch_write("bad.bin", image, length);
    EXPECT(3, "DIFFERS", command("inspect", scratch_file("bad.bin"), NULL));
    image[9] ^= 1;
    scratch_write("bad.bin", image, length);
    EXPECT(3, "DAMAGED", command("inspect", scratch_file("bad.bin"), NULL));
    EXPECT(3, "No such file", command("inspect", scratch_file("none"), NULL));
    EXPECT(2, "give a file to inspect", command("inspect", NULL));
    scratch_write("l.yaml", yaml, sizeof yaml - 1);
    EXPECT(0, "The layout is valid", command("inspect", scratch_file("l.yaml"), NULL));
}

static void restore_names_what_it_replaces(void)
{
    scratch_use_gauge("replaced", "none");
    EXPECT(0, "Backed up", command("backup", scratch_file("before-update.zip"), NULL));
    struct said said = command("restore", scratch_file("before-update.zip"), NULL);
    EXPECT(0, "0 sectors written", said);
    CHECK(!says(&said, "It replaces"));
    EXPECT(0, "Written", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "Changed", command("settings", "set", "datum_mm=-1700", NULL));
    said = command("restore", scratch_file("before-update.zip"), "--dry-run", NULL);
    EXPECT(0, "app: tide-gauge 2.3.1 → tide-gauge 2.3.0", said);
    CHECK(says(&said, "calibration: settings, change 2 → change 1"));
    said = command("restore", scratch_file("before-update.zip"), "--only", "app", NULL);
    EXPECT(0, "app: tide-gauge 2.3.1 → tide-gauge 2.3.0", said);
    CHECK(!says(&said, "calibration:"));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(restore_names_what_it_replaces),
        FACT(a_backup_opens_anywhere_and_goes_back),
        FACT(a_backup_is_of_parts_or_plain_when_asked),
        FACT(a_backup_since_an_older_one_is_complete_and_cheap),
        FACT(an_interrupted_backup_leaves_nothing),
        FACT(restoring_is_refused_where_it_would_harm),
        FACT(an_erase_takes_what_was_named_and_nothing_else),
        FACT(regions_resolve_against_the_flash_that_is_found),
        FACT(a_layout_file_overrides_the_board),
        FACT(a_plan_is_checked_and_drawn_without_a_board),
        FACT(what_does_not_fit_its_place_is_refused),
        FACT(hex_and_s_record_files_go_where_they_say),
        FACT(the_boot_header_learns_of_a_larger_flash),
        FACT(writing_again_touches_only_what_differs),
        FACT(a_cut_write_is_made_good_by_running_it_again),
        FACT(a_protected_range_stops_the_work_before_the_first_erase),
        FACT(a_flash_that_claims_too_much_is_found_out),
        FACT(reading_back_finds_what_digests_find),
        FACT(inspect_tells_what_is_wrong_with_a_file),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
