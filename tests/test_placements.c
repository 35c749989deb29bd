/* What a place means: wrong inputs by kind and verb, regions that are touched, new tables. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>
#include <zlib.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "rig.h"
#include "wrytograph/region_table.h"

static const struct wry_region_table usual = {
    .flash_size = 0x400000,
    .count = 5,
    .regions = {
        {.name = "start", .kind = WRY_REGION_START, .offset = 0x4000, .length = 0xA000},
        {.name = "table", .kind = WRY_REGION_TABLE, .offset = 0xE000, .length = 0x1000},
        {.name = "calibration", .kind = WRY_REGION_SETTINGS, .offset = 0x10000, .length = 0x4000},
        {.name = "app", .kind = WRY_REGION_APP, .offset = 0x40000, .length = 0x180000},
        {.name = "log", .kind = WRY_REGION_FILES, .offset = 0x1C0000, .length = 0x240000}}};

static void write_table(const char *name, const struct wry_region_table *table)
{
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];

    scratch_write(name, bytes, wry_region_table_put(bytes, table));
}

static void make_tables(void)
{
    struct wry_region_table table = usual;

    table.flash_size = 0x800000;
    write_table("table-8.bin", &table);
    table = usual;
    table.flash_size = 0;
    table.regions[4].length = 0x640000;
    write_table("table-long.bin", &table);
    table = usual;
    table.regions[3].offset = 0x50000;
    table.regions[3].length = 0x170000;
    table.regions[2].offset = 0x20000;
    write_table("table-moved.bin", &table);
    table.regions[2].offset = 0x50000;
    write_table("table-overlap.bin", &table);
}

static void make_programs(void)
{
    struct wry_boot_header header = program_header("tide-gauge 9.0.0", 5000);
    size_t n = 0;

    program_write("app.bin", &header);
    program_write("huge.bin", &(struct wry_boot_header){.chip_code = 0x7402,
                                                        .kind = WRY_PROGRAM_APP,
                                                        .version = "tide-gauge 9.9",
                                                        .body_length = 0x180000});
    g_autofree uint8_t *bytes = scratch_read("app.bin", &n);
    scratch_write("cut.bin", bytes, n - 100);
    bytes[200] ^= 1;
    scratch_write("body.bin", bytes, n);
    bytes[20] ^= 1;
    scratch_write("header.bin", bytes, n);
    header.chip_code = 0xD103;
    program_write("dunlin.bin", &header);
    header = program_header("tide-gauge 9.0.0", 5000);
    header.flash_size_log2 = 23;
    program_write("for-8.bin", &header);
    header = program_header("gauge-start 9.0.0", 5000);
    header.kind = WRY_PROGRAM_START;
    program_write("begin.bin", &header);
    header = program_header("tide-gauge 9.1.0", 5000);
    header.only_upgrade = true;
    program_write("upgrade.bin", &header);
    header = program_header("tide-gauge 9.2.0", 5000);
    header.read_clock = 120;
    program_write("fast.bin", &header);
    header = program_header("old-gauge 1", 5000);
    header.kind = WRY_PROGRAM_UNSAID;
    program_write("kindless.bin", &header);
}

static void make_others(void)
{
    static const char page[] = "<!DOCTYPE html>\n<html><body>Sign in</body></html>\n";
    static const char words[] = "built for the harbour master\nsee the notes\n";
    static const char records[] = ":10400000000102030405060708090A0B0C0D0E0F38\n:00000001FF\n";
    static const char elf[] = "\x7F"
                              "ELF\x01\x01\x01\0\0\0\0\0\0\0\0\0\x02\0\xF3\0\x01\0\0\0";
    uint8_t noise[0x3000], packed[0x4000];
    uLongf length = sizeof packed;

    rig_random(noise, sizeof noise, 77);
    noise[0] = 0xE9; /* that no kind of file begins with */
    scratch_write("noise.bin", noise, sizeof noise);
    scratch_write("page.bin", page, sizeof page - 1);
    scratch_write("text.bin", words, sizeof words - 1);
    scratch_write("records.bin", records, sizeof records - 1);
    scratch_write("records.hex", records, sizeof records - 1);
    scratch_write("linked.bin", elf, sizeof elf - 1);
    z_stream z = {.next_in = noise, .avail_in = sizeof noise, .next_out = packed};
    z.avail_out = (uInt)length;
    CHECK_EQUAL(Z_OK, deflateInit2(&z, 6, Z_DEFLATED, 31, 8, Z_DEFAULT_STRATEGY));
    CHECK_EQUAL(Z_STREAM_END, deflate(&z, Z_FINISH));
    scratch_write("app.bin.gz", packed, z.total_out);
    deflateEnd(&z);
    CHECK_EQUAL(0, g_mkdir(scratch_file("site"), 0755));
    scratch_write("site/index.html", page, sizeof page - 1);
    CHECK_EQUAL(0, g_mkdir(scratch_file("large"), 0755));
    g_autofree uint8_t *content = g_malloc0(0x250000);
    scratch_write("large/log", content, 0x250000);
}

enum verbs {
    WRITES = 1, /* write, and write --dry-run */
    PLANS = 2,  /* plan, for the board and without one */
    ALL = 3,
};

/* Wrong inputs: up to two placements, what is said, and how it ends. */
static const struct {
    const char *place, *file, *other_place, *other_file;
    int code;
    const char *said;
    enum verbs verbs;
} wrong[] = {
    /* No firmware. */
    {"app", "page.bin", NULL, NULL, 3, "is a web page, not firmware: the download went wrong", ALL},
    {"0x40000", "page.bin", NULL, NULL, 3, "is a web page, not firmware", ALL},
    {"0x180000", "page.bin", NULL, NULL, 3, "is a web page, not firmware", ALL},
    {"table", "page.bin", NULL, NULL, 3, "is a web page, not firmware", ALL},
    {"app", "backup.zip", NULL, NULL, 3, "is a ZIP archive, not firmware", ALL},
    {"app", "app.bin.gz", NULL, NULL, 3, "is compressed, not firmware", ALL},
    {"start", "linked.bin", NULL, NULL, 3, "is the output of a linker", ALL},
    {"app", "text.bin", NULL, NULL, 3, "is text, not firmware", ALL},
    {"app", "records.bin", NULL, NULL, 3, "has the name of a binary, but contains Intel HEX text",
     ALL},
    {NULL, "records.bin", NULL, NULL, 3, "has the name of a binary, but contains Intel HEX text",
     ALL},
    {"app", "noise.bin", NULL, NULL, 3, "has no boot header", ALL},
    {"start", "noise.bin", NULL, NULL, 3, "has no boot header", ALL},
    {"0x40000", "noise.bin", NULL, NULL, 3, "has no boot header", WRITES},
    {NULL, "records.hex", NULL, NULL, 3, "has no boot header", WRITES},
    /* Damaged. */
    {"app", "header.bin", NULL, NULL, 3, "the boot header is damaged", ALL},
    {"app", "body.bin", NULL, NULL, 3, "the SHA-256 at its end does not fit", ALL},
    {"app", "cut.bin", NULL, NULL, 3, "cut short: the boot header promises 5096 bytes", ALL},
    {"app", "missing.bin", NULL, NULL, 3, "No such file", ALL},
    {"app", "empty.bin", NULL, NULL, 3, "is empty", ALL},
    /* For another board. */
    {"app", "dunlin.bin", NULL, NULL, 5, "was built for a Dunlin D3", ALL},
    {NULL, "dunlin.bin", NULL, NULL, 5, "was built for a Dunlin D3", ALL},
    {"app", "for-8.bin", NULL, NULL, 5, "was built for 8 MiB (64 Mbit) of flash", ALL},
    {"app", "fast.bin", NULL, NULL, 5, "at 120 MHz; a Turnstone T2 supports 4 at 80 MHz", ALL},
    /* In the wrong place. */
    {"start", "app.bin", "app", "begin.bin", 5, "the two files are swapped", ALL},
    {"app", "begin.bin", NULL, NULL, 5,
     "is a start program, but region 'app' is for an application", ALL},
    {"start", "app.bin", NULL, NULL, 5, "which belongs in region 'app': write app=", ALL},
    {"start", "gauge.bin", NULL, NULL, 5, "which belongs in region 'app': write app=", ALL},
    {"calibration", "app.bin", NULL, NULL, 5, "is an application, but region 'calibration' is for",
     ALL},
    {"log", "begin.bin", NULL, NULL, 5, "It is for region 'start'", WRITES},
    {"app", "huge.bin", NULL, NULL, 5, "does not fit region 'app'", WRITES},
    {"app", "app.bin", "app", "kindless.bin", 2, "are both for region 'app'", ALL},
    {"app", "app.bin", "0x41000", "noise.bin", 2, "overlap from 0x041000", ALL},
    {NULL, "kindless.bin", NULL, NULL, 2, "would fit several regions: start, app", ALL},
    {NULL, "noise.bin", NULL, NULL, 2, "does not say where it goes", ALL},
    {"0x41000", "app.bin", NULL, NULL, 5, "is not the start of region 'app'", WRITES},
    {"0x14000", "app.bin", NULL, NULL, 5, "no region begins at 0x014000", WRITES},
    {"0x1BF000", "noise.bin", NULL, NULL, 5, "extends across an end of region 'app'", WRITES},
    {"0x13000", "noise.bin", NULL, NULL, 5, "would overwrite region 'calibration'", WRITES},
    {"0x12000", "noise.bin", NULL, NULL, 5, "holds settings of this board", WRITES},
    {"0xD000", "noise.bin", NULL, NULL, 5, "would overwrite the region table at 0x00E000", WRITES},
    {"0xE100", "regions.bin", NULL, NULL, 5, "would overwrite the region table", WRITES},
    {"0x3FF000", "noise.bin", NULL, NULL, 5, "beyond the end of the flash", ALL},
    {"attic", "app.bin", NULL, NULL, 2, "there is no region 'attic'", ALL},
    {"4000", "app.bin", NULL, NULL, 2, "is not an offset", ALL},
    {"app", "site", NULL, NULL, 5, "region 'app' is not for files", ALL},
    {"log", "large", NULL, NULL, 5, "does not fit region 'log'", WRITES},
    /* Tables. */
    {"table", "noise.bin", NULL, NULL, 3, "is not a region table", ALL},
    {"0xE000", "noise.bin", NULL, NULL, 3, "is not a region table", ALL},
    {"app", "regions.bin", NULL, NULL, 5, "is a region table, but region 'app' is for a program",
     ALL},
    {"table", "app.bin", NULL, NULL, 5,
     "is an application, but region 'table' is for a region table", ALL},
    {"table", "table-8.bin", NULL, NULL, 5, "for 8 MiB (64 Mbit) of flash, this board has", ALL},
    {"table", "table-long.bin", NULL, NULL, 5, "region 'log' (0x1C0000, 6400 KiB) does not fit",
     ALL},
    {NULL, "table-overlap.bin", NULL, NULL, 5, "does not fit this flash", ALL},
    {"table", "table-moved.bin", NULL, NULL, 5, "moves region 'app' from 0x040000 to 0x050000",
     WRITES},
    {"table", "table-moved.bin", "0x40000", "app.bin", 5, "no region begins at 0x040000", ALL},
    /* The shelf. */
    {"app", "shelf:nothing", NULL, NULL, 2, "there is no 'nothing' on the shelf", ALL},
};

static const char *argument(const char *place, const char *file)
{
    bool on_shelf = file && g_str_has_prefix(file, "shelf:");
    const char *path = !file || on_shelf ? file : scratch_file(file);
    g_autofree char *text = place ? g_strdup_printf("%s=%s", place, path) : g_strdup(path);

    return g_intern_string(text);
}

static void check_one(size_t i, const char *const *words)
{
    const char *first = argument(wrong[i].place, wrong[i].file);
    const char *second =
        wrong[i].other_file ? argument(wrong[i].other_place, wrong[i].other_file) : NULL;
    struct said said;

    check_context("%s %s: %s %s", words[0], words[1] ? words[1] : "", first, second ? second : "");
    if (!words[1])
        said = command(words[0], first, second, NULL);
    else if (!words[2])
        said = command(words[0], words[1], first, second, NULL);
    else
        said = command(words[0], words[1], words[2], words[3], words[4], first, second, NULL);
    EXPECT(wrong[i].code, wrong[i].said, said);
}

/* Each command takes its time under the sanitizers: there each input is tried in one way alone. */
#ifdef __SANITIZE_ADDRESS__
static const bool sanitized = true;
#else
static const bool sanitized = false;
#endif

static bool is_tried(size_t i, size_t k)
{
    bool plans = (wrong[i].verbs & PLANS) != 0;

    if (sanitized)
        return k == (plans && i % 2 ? 3 : 0);
    /* What only the board's own table makes wrong is no mistake without it. The two that touch
     * nothing by themselves take turns. */
    return k == 0 || (k == 3 && plans) || k == 2 - i % 2;
}

static void every_wrong_input_has_its_message_and_changes_nothing(void)
{
    static const char *const lines[][6] = {
        {"write", NULL},
        {"write", "--dry-run", NULL},
        {"plan", NULL},
        {"plan", "--chip", "turnstone-t2", "--flash", "4MiB", NULL},
    };
    size_t n = 0;

    scratch_add_gauge("table-driven");
    g_autofree uint8_t *before = scratch_flash("table-driven", &n);
    CHECK(G_N_ELEMENTS(wrong) >= 40);
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        for (size_t k = 0; k < G_N_ELEMENTS(lines); k++) {
            if (!is_tried(i, k))
                continue;
            if (k == 3)
                g_unsetenv("WRYTOGRAPH_LINK");
            else
                g_setenv("WRYTOGRAPH_LINK", "bench:table-driven", TRUE);
            check_one(i, lines[k]);
        }
        CHECK(scratch_flash_is("table-driven", before, n));
    }
}

static void what_is_said_to_be_meant_is_done_and_named(void)
{
    size_t n = 0, m = 0;

    scratch_add_gauge("meant");
    g_setenv("WRYTOGRAPH_LINK", "bench:meant", TRUE);
    g_autofree uint8_t *noise = scratch_read("noise.bin", &m);
    EXPECT(0, "Warning: it extends across an end of region app",
           command("write", "--any-place", placed("0x1BF000", "noise.bin"), NULL));
    EXPECT(0, "over regions app, log",
           command("write", "--dry-run", "--any-place", placed("0x1BF000", "noise.bin"), NULL));
    EXPECT(0, "Warning: it overwrites region calibration",
           command("write", "--any-place", placed("0x12000", "noise.bin"), NULL));
    EXPECT(0, "noise.bin has no boot header: the board will not start from region 'app'",
           command("write", "--any-content", placed("app", "noise.bin"), NULL));
    EXPECT(0, "body.bin is damaged: the board will not start from region 'app'",
           command("write", "--any-content", placed("app", "body.bin"), NULL));
    EXPECT(0, "Warning: it overwrites region table",
           command("write", "--any-place", "--any-content", placed("0xD000", "noise.bin"), NULL));
    g_autofree uint8_t *flash = scratch_flash("meant", &n);
    CHECK(memcmp(flash + 0xD000, noise, m) == 0);
    CHECK(memcmp(flash + 0x1BF000, noise, m) == 0);
    EXPECT(6, "nothing to run", command("start", NULL));
}

/* The usual layout of a chip is a guess: it warns. */
static void a_blank_board_is_warned_of_and_not_refused(void)
{
    EXPECT(0, "",
           command("bench", "add", "guess", "--chip", "turnstone-t2", "--flash", "4MiB", NULL));
    g_setenv("WRYTOGRAPH_LINK", "bench:guess", TRUE);
    EXPECT(0, "Warning: it overwrites region calibration",
           command("write", placed("0x13000", "noise.bin"), NULL));
    EXPECT(0, "Warning: it has no boot header, but the chip may start from there",
           command("write", placed("0x40000", "noise.bin"), NULL));
    EXPECT(0, "Warning: it extends across an end of region app",
           command("write", placed("0x1FF000", "noise.bin"), NULL));
}

static void without_a_place_the_header_finds_it(void)
{
    scratch_add_gauge("found");
    g_setenv("WRYTOGRAPH_LINK", "bench:found", TRUE);
    struct said said = command("write", scratch_file("gauge.bin"), scratch_file("start.bin"),
                               scratch_file("regions.bin"), NULL);
    EXPECT(0, "its content belongs in this region", said);
    EXPECT(0, "tide-gauge 2.3.1", command("start", "--expect", "tide-gauge 2.3.1", NULL));
    EXPECT(0, "agrees", command("verify", scratch_file("gauge.bin"), NULL));
}

static void an_upgrade_wants_a_program_to_upgrade(void)
{
    scratch_add_gauge("upgraded");
    EXPECT(0, "",
           command("bench", "add", "empty", "--chip", "turnstone-t2", "--flash", "4MiB", NULL));
    EXPECT(5, "is meant only as an upgrade, and there is no program on this board yet",
           command("write", "-l", "bench:empty", placed("app", "upgrade.bin"), NULL));
    EXPECT(0, "Written",
           command("write", "-l", "bench:upgraded", placed("app", "upgrade.bin"), NULL));
    EXPECT(0, "only as an upgrade", command("inspect", scratch_file("upgrade.bin"), NULL));
}

static void read_mode_and_clock_are_set_as_wanted(void)
{
    size_t n = 0;
    struct wry_boot_header header;

    scratch_add_gauge("mode");
    g_setenv("WRYTOGRAPH_LINK", "bench:mode", TRUE);
    EXPECT(0, "set to 4 data lines at 80 MHz",
           command("write", "--read-mode", "4", "--read-clock", "80", placed("app", "gauge.bin"),
                   NULL));
    g_autofree uint8_t *flash = scratch_flash("mode", &n);
    CHECK(wry_boot_header_get(&header, flash + 0x40000));
    CHECK_EQUAL(4, header.read_lines);
    CHECK_EQUAL(80, header.read_clock);
    EXPECT(0, "agrees",
           command("verify", "--read-mode", "4", "--read-clock", "80", placed("app", "gauge.bin"),
                   NULL));
    EXPECT(6, "DIFFERS", command("verify", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "tide-gauge 2.3.1", command("start", "--expect", "tide-gauge 2.3.1", NULL));
    EXPECT(5, "a Turnstone T2 supports 4 at 80 MHz",
           command("write", "--read-clock", "133", placed("app", "gauge.bin"), NULL));
    EXPECT(2, "is not a value",
           command("write", "--read-mode", "3", placed("app", "gauge.bin"), NULL));
    EXPECT(
        2, "--leave-header together with a read mode",
        command("write", "--leave-header", "--read-mode", "2", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "Written", command("write", "--read-clock", "80", placed("app", "fast.bin"), NULL));
}

static void a_chip_takes_the_read_modes_that_it_has(void)
{
    struct wry_boot_header header = program_header("creek-gauge 1.0.0", 4000);

    header.chip_code = WRY_CHIP_SANDERLING_S1;
    header.flash_size_log2 = 19;
    header.read_lines = 1;
    header.read_clock = 20;
    program_write("creek.bin", &header);
    EXPECT(0, "",
           command("bench", "add", "creek", "--chip", "sanderling-s1", "--flash", "512KiB", NULL));
    EXPECT(0, "set to 2 data lines at 40 MHz",
           command("write", "-l", "bench:creek", "--read-mode", "2", "--read-clock", "40",
                   placed("app", "creek.bin"), NULL));
    EXPECT(5, "a Sanderling S1 supports 2 at 40 MHz",
           command("write", "-l", "bench:creek", "--read-mode", "4", placed("app", "creek.bin"),
                   NULL));
    EXPECT(5, "a Sanderling S1 supports 2 at 40 MHz",
           command("write", "-l", "bench:creek", "--read-clock", "41", placed("app", "creek.bin"),
                   NULL));
}

/* A file with addresses is the job's region table where the chip looks for one, and only there. */
static void a_table_in_records_rules_its_job_by_its_address(void)
{
    static const struct {
        const char *address, *name, *layout;
    } cases[] = {{"0xE000", "regions.hex", "the region table that is written"},
                 {"0x300000", "copy.hex", "the usual one of this chip"}};

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct said said = run_program(
            "objcopy", "-I", "binary", "-O", "ihex", "--change-addresses", cases[i].address,
            scratch_file("regions.bin"), scratch_file(cases[i].name), NULL);
        CHECK_EQUAL(0, said.code);
        EXPECT(0, cases[i].layout,
               command("plan", "--chip", "turnstone-t2", "--flash", "4MiB", "--any-content",
                       scratch_file(cases[i].name), NULL));
    }
}

/* Records begin at an address of their own; what is changed in the header lies there. */
static void a_header_is_adapted_wherever_its_image_begins(void)
{
    struct wry_boot_header header = program_header("tide-gauge 2.2.0", 40000);
    struct wry_boot_header written;
    size_t n = 0, m = 0;

    header.flash_size_log2 = 21;
    program_write("small.bin", &header);
    CHECK_EQUAL(0,
                run_program("objcopy", "-I", "binary", "-O", "ihex", "--change-addresses",
                            "0x40000", scratch_file("small.bin"), scratch_file("small.hex"), NULL)
                    .code);
    scratch_use_gauge("adapted", "none");
    EXPECT(0, "the flash size in its boot header is set to that of this board",
           command("write", "--without-backup", scratch_file("small.hex"), NULL));
    g_autofree uint8_t *flash = scratch_flash("adapted", &n);
    g_autofree uint8_t *image = scratch_read("small.bin", &m);
    CHECK(wry_boot_header_get(&written, flash + 0x40000));
    CHECK_EQUAL(22, written.flash_size_log2);
    CHECK(memcmp(flash + 0x40000 + WRY_BOOT_HEADER_SIZE, image + WRY_BOOT_HEADER_SIZE,
                 m - WRY_BOOT_HEADER_SIZE) == 0);
    EXPECT(0, "the flash has the image", command("verify", scratch_file("small.hex"), NULL));
    /* An image at the beginning of the flash goes by its name, too. */
    EXPECT(6, "\"name\" : \"small.bin\"",
           command("verify", "--json", placed("0x0", "small.bin"), NULL));
}

static void a_new_table_rules_its_own_job(void)
{
    size_t n = 0, m = 0;

    scratch_add_gauge("moved");
    g_setenv("WRYTOGRAPH_LINK", "bench:moved", TRUE);
    struct said said =
        command("write", placed("app", "app.bin"), placed("table", "table-moved.bin"), NULL);
    EXPECT(0, "region app moves from 0x040000 to 0x050000 by table-moved.bin", said);
    CHECK(says(&said, "region calibration moves from 0x010000 to 0x020000"));
    g_autofree uint8_t *flash = scratch_flash("moved", &n);
    g_autofree uint8_t *app = scratch_read("app.bin", &m);
    CHECK(memcmp(flash + 0x50000, app, m) == 0);
    EXPECT(0, "tide-gauge 9.0.0", command("start", "--expect", "tide-gauge 9.0.0", NULL));
    EXPECT(0, "agrees",
           command("verify", placed("app", "app.bin"), placed("table", "table-moved.bin"), NULL));
    /* Compared by the table in the job, not by the one that the board has. */
    EXPECT(6, "DIFFERS",
           command("verify", placed("table", "regions.bin"), placed("app", "app.bin"), NULL));
    EXPECT(0, "0x050000",
           command("plan", "--chip", "turnstone-t2", "--flash", "4MiB",
                   placed("table", "table-moved.bin"), placed("app", "app.bin"), NULL));
    /* Back, in one command; and what comes later is said to. */
    EXPECT(0, "region app moves from 0x050000 to 0x040000",
           command("write", "--any-place", placed("table", "regions.bin"), NULL));
}

static void a_whole_set_makes_a_blank_board_boot(void)
{
    static const char *const sizes[] = {"4MiB", "8MiB"};
    static const char yaml[] = "settings:\n  gauge: 40\n  pier: F\n";

    scratch_write("pier-f.yaml", yaml, sizeof yaml - 1);
    for (size_t i = 0; i < G_N_ELEMENTS(sizes); i++) {
        g_autofree char *name = g_strdup_printf("whole-%s", sizes[i]);
        g_autofree char *link = g_strdup_printf("bench:%s", name);
        check_context("%s", sizes[i]);
        EXPECT(0, "",
               command("bench", "add", name, "--chip", "turnstone-t2", "--flash", sizes[i], NULL));
        EXPECT(0, "Written",
               command("write", "-l", link, placed("start", "start.bin"),
                       placed("table", "regions.bin"), placed("app", "gauge.bin"),
                       placed("calibration", "pier-f.yaml"), placed("log", "site"), NULL));
        EXPECT(0, "Seen",
               command("start", "-l", link, "--expect", "tide-gauge 2.3.1 on", "--send", "settings",
                       "--expect", "pier = F", "--send", "files", "--expect", "index.html", NULL));
    }
}

/* Any tar reads the folder again. */
static void a_folder_is_an_archive_that_others_read(void)
{
    scratch_add_gauge("folder");
    g_setenv("WRYTOGRAPH_LINK", "bench:folder", TRUE);
    CHECK_EQUAL(0, g_mkdir(scratch_file("site/piers"), 0755));
    scratch_write("site/piers/a.txt", "pier A", 6);
    EXPECT(0, "a folder, as a ustar archive", command("write", placed("log", "site"), NULL));
    EXPECT(0, "", command("backup", "--plain", "--only", "log", scratch_file("log.tar"), NULL));
    EXPECT(0, "piers/a.txt", run_program("tar", "-tf", scratch_file("log.tar"), NULL));
    EXPECT(0, "pier A", run_program("tar", "-xOf", scratch_file("log.tar"), "piers/a.txt", NULL));
    EXPECT(0, "Nothing to write", command("write", placed("log", "site"), NULL));
    EXPECT(0, "files, as a tar archive", command("identify", NULL));
    CHECK_EQUAL(0, symlink("a.txt", scratch_file("site/piers/link")));
    EXPECT(3, "neither a file nor a folder", command("write", placed("log", "site"), NULL));
    CHECK_EQUAL(0, g_unlink(scratch_file("site/piers/link")));
}

/* One file that carries a whole set: each program in it is looked at. */
static void programs_behind_the_first_are_looked_at_too(void)
{
    size_t n = 0, m = 0, k = 0;
    g_autofree uint8_t *start = scratch_read("start.bin", &n);
    g_autofree uint8_t *other = scratch_read("dunlin.bin", &m);
    g_autofree uint8_t *app = scratch_read("app.bin", &k);

    scratch_add_gauge("set");
    g_setenv("WRYTOGRAPH_LINK", "bench:set", TRUE);
    g_autofree uint8_t *image = g_malloc(0x48000);
    memset(image, 0xFF, 0x48000);
    memcpy(image + 0x4000, start, n);
    memcpy(image + 0x40000, other, m);
    scratch_write("set.raw", image, 0x48000);
    EXPECT(0, "",
           run_program("objcopy", "-I", "binary", "-O", "ihex", "-j", ".data",
                       scratch_file("set.raw"), scratch_file("set.hex"), NULL));
    EXPECT(5, "was built for a Dunlin D3",
           command("write", "--any-place", scratch_file("set.hex"), NULL));
    memcpy(image + 0x40000, app, k);
    image[0x40000 + 2000] ^= 1;
    scratch_write("set.raw", image, 0x48000);
    EXPECT(0, "",
           run_program("objcopy", "-I", "binary", "-O", "ihex", "-j", ".data",
                       scratch_file("set.raw"), scratch_file("set.hex"), NULL));
    EXPECT(3, "would not start it from region 'app'",
           command("write", "--any-place", scratch_file("set.hex"), NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_wrong_input_has_its_message_and_changes_nothing),
        FACT(what_is_said_to_be_meant_is_done_and_named),
        FACT(a_blank_board_is_warned_of_and_not_refused),
        FACT(without_a_place_the_header_finds_it),
        FACT(an_upgrade_wants_a_program_to_upgrade),
        FACT(read_mode_and_clock_are_set_as_wanted),
        FACT(a_chip_takes_the_read_modes_that_it_has),
        FACT(a_table_in_records_rules_its_job_by_its_address),
        FACT(a_header_is_adapted_wherever_its_image_begins),
        FACT(a_new_table_rules_its_own_job),
        FACT(a_whole_set_makes_a_blank_board_boot),
        FACT(a_folder_is_an_archive_that_others_read),
        FACT(programs_behind_the_first_are_looked_at_too),
    };
    scratch_make_images();
    scratch_write("empty.bin", "", 0);
    make_tables();
    make_programs();
    make_others();
    scratch_add_gauge("donor");
    EXPECT(0, "", command("backup", "-l", "bench:donor", scratch_file("backup.zip"), NULL));
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
