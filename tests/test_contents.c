/* What is looked at before it is written: kinds of files that are no firmware, and where they may
 * go all the same. */
#include <glib.h>
#include <string.h>
#include <zlib.h>

#include "command.h"
#include "harness.h"
#include "rig.h"

static const char page[] = "<!DOCTYPE html>\n<html><head><title>tide-gauge 2.3.1</title></head>\n"
                           "<body><p>Please sign in to go on.</p></body></html>\n";
static const char markup[] = "<?xml version=\"1.0\"?>\n<Error><Code>NoSuchKey</Code></Error>\n";
static const char readable[] = "tide-gauge 2.3.1\nbuilt for the harbour master, see the notes\n";
static const char listing[] = "{\"name\": \"tide-gauge\", \"files\": [\"gauge.bin\"]}\n";
static const char picture[] =
    "\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\0\x10\0\0\0\x10\x08\2\0\0\0\x90\x91h6";
static const char document[] = "%PDF-1.4\n1 0 obj\n<< /Type /Catalog >>\nendobj\n";

/* Files, and what is said of each where it does not belong. */
static const struct {
    const char *file, *said;
} kinds[] = {
    {"page.bin", "page.bin is a web page, not firmware: the download went wrong"},
    {"markup.bin", "markup.bin is a web page"},
    {"zip.bin", "zip.bin is a ZIP archive, not firmware"},
    {"backup.zip", "backup.zip is a ZIP archive"},
    {"gauge.bin.gz", "gauge.bin.gz is compressed, not firmware"},
    {"linked", "linked is the output of a linker, not an image"},
    {"text.bin", "text.bin is text, not firmware"},
    {"list.bin", "list.bin is text"},
    {"picture.bin", "picture.bin is a picture or a document"},
    {"document.bin", "document.bin is a picture or a document"},
};

static void make_packed(void)
{
    size_t n = 0;
    g_autofree uint8_t *image = scratch_read("gauge.bin", &n);
    uLongf length = compressBound(n) + 32;
    g_autofree uint8_t *packed = g_malloc(length);
    z_stream z = {.next_in = image, .avail_in = (uInt)n, .next_out = packed};

    z.avail_out = (uInt)length;
    CHECK_EQUAL(Z_OK, deflateInit2(&z, 6, Z_DEFLATED, 31, 8, Z_DEFAULT_STRATEGY));
    CHECK_EQUAL(Z_STREAM_END, deflate(&z, Z_FINISH));
    scratch_write("gauge.bin.gz", packed, z.total_out);
    deflateEnd(&z);
}

static void make_files(void)
{
    size_t n = 0;

    scratch_make_images();
    scratch_add_gauge("gauge");
    EXPECT(0, "", command("backup", "-l", "bench:gauge", scratch_file("backup.zip"), NULL));
    scratch_write("page.bin", page, sizeof page - 1);
    scratch_write("markup.bin", markup, sizeof markup - 1);
    scratch_write("text.bin", readable, sizeof readable - 1);
    scratch_write("list.bin", listing, sizeof listing - 1);
    scratch_write("picture.bin", picture, sizeof picture - 1);
    scratch_write("document.bin", document, sizeof document - 1);
    g_autofree uint8_t *zip = scratch_read("backup.zip", &n);
    scratch_write("zip.bin", zip, n);
    make_packed();
    /* Any linked program will do; its head tells. */
    gsize length = 0;
    g_autofree char *linked = NULL;
    CHECK(g_file_get_contents(command_path(), &linked, &length, NULL));
    scratch_write("linked", linked, MIN(length, 40000));
}

/* Every kind, by every verb that would write it, into regions and at offsets. */
static void what_is_no_firmware_is_refused_wherever_programs_or_tables_stand(void)
{
    static const char *const places[] = {"app", "start", "table", "0x40000", "0x180000", "0x1000"};
    size_t n = 0;
    g_autofree uint8_t *before = scratch_flash("gauge", &n);

    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        for (size_t k = 0; k < G_N_ELEMENTS(places); k++) {
            check_context("%s at %s", kinds[i].file, places[k]);
            struct said said =
                command("write", "-l", "bench:gauge", placed(places[k], kinds[i].file), NULL);
            CHECK_EQUAL(3, said.code);
            CHECK(says(&said, kinds[i].said));
            CHECK(says(&said, "Nothing was changed."));
        }
        EXPECT(3, kinds[i].said,
               command("plan", "--chip", "turnstone-t2", "--flash", "4MiB",
                       placed("app", kinds[i].file), NULL));
        EXPECT(
            3, kinds[i].said,
            command("write", "-l", "bench:gauge", "--dry-run", placed("app", kinds[i].file), NULL));
        /* To compare, any content will do. */
        EXPECT(6, "differs",
               command("verify", "-l", "bench:gauge", placed("0x40000", kinds[i].file), NULL));
    }
    CHECK(scratch_flash_is("gauge", before, n));
}

static void regions_of_files_take_anything_and_those_of_settings_settings_alone(void)
{
    scratch_add_gauge("data");
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        size_t n = 0, flash_size = 0;
        g_autofree uint8_t *content = scratch_read(kinds[i].file, &n);
        check_context("%s", kinds[i].file);
        EXPECT(0, "by the board's SHA-256",
               command("write", "-l", "bench:data", placed("log", kinds[i].file), NULL));
        g_autofree uint8_t *flash = scratch_flash("data", &flash_size);
        CHECK(memcmp(flash + 0x1C0000, content, n) == 0);
    }
    size_t n = 0;
    g_autofree uint8_t *before = scratch_flash("data", &n);
    EXPECT(3, "text.bin contains no settings, but region 'calibration' is for settings",
           command("write", "-l", "bench:data", placed("calibration", "text.bin"), NULL));
    /* What the firmware keeps in a form of its own is the user's to know; and to lose. */
    EXPECT(5, "these settings in region 'calibration' would be lost",
           command("write", "-l", "bench:data", "--any-content", placed("calibration", "text.bin"),
                   NULL));
    CHECK(scratch_flash_is("data", before, n));
    EXPECT(0, "Written",
           command("write", "-l", "bench:data", "--any-content", "--without-backup",
                   placed("calibration", "text.bin"), NULL));
}

static void a_region_that_is_started_from_takes_nothing_without_a_header(void)
{
    uint8_t content[5000];
    size_t n = 0;

    rig_random(content, sizeof content, 9);
    scratch_write("data.bin", content, sizeof content);
    scratch_add_gauge("bare");
    g_autofree uint8_t *before = scratch_flash("bare", &n);
    /* Named, or where the board's own table says that a program begins. */
    EXPECT(3, "data.bin has no boot header: a Turnstone T2 would not start it from region 'app'",
           command("write", "-l", "bench:bare", placed("app", "data.bin"), NULL));
    EXPECT(3, "would not start it from region 'start'",
           command("write", "-l", "bench:bare", placed("start", "data.bin"), NULL));
    EXPECT(3, "would not start it from region 'app'",
           command("write", "-l", "bench:bare", placed("0x40000", "data.bin"), NULL));
    CHECK(scratch_flash_is("bare", before, n));
    EXPECT(0, "Written", command("write", "-l", "bench:bare", placed("0x50000", "data.bin"), NULL));
    EXPECT(0, "data.bin has no boot header: the board will not start from region 'app'.",
           command("write", "-l", "bench:bare", "--any-content", placed("app", "data.bin"), NULL));
    EXPECT(0, "Written",
           command("write", "-l", "bench:bare", "--any-content", placed("0x180000", "page.bin"),
                   NULL));
    g_autofree uint8_t *after = scratch_flash("bare", &n);
    CHECK(memcmp(after + 0x40000, content, sizeof content) == 0);
    CHECK(memcmp(after + 0x180000, page, sizeof page - 1) == 0);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_is_no_firmware_is_refused_wherever_programs_or_tables_stand),
        FACT(regions_of_files_take_anything_and_those_of_settings_settings_alone),
        FACT(a_region_that_is_started_from_takes_nothing_without_a_header),
    };
    make_files();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
