/* Files on the host: spools, pending files, archives, the journal. */
#include <errno.h>
#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "store/archive/archive.h"
#include "store/archive/archive_json.h"
#include "store/file/error.h"
#include "store/file/spool.h"
#include "store/text/csv_table.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/text_file.h"

/* Stands in for the system's: a disk that fails when content is to become durable. */
static unsigned failing_flushes;
int __real_fsync(int descriptor);
int __wrap_fsync(int descriptor);

int __wrap_fsync(int descriptor)
{
    if (failing_flushes == 0)
        return __real_fsync(descriptor);
    failing_flushes--;
    errno = EIO;
    return -1;
}

static void a_spool_gives_back_what_was_written_and_zeros_elsewhere(void)
{
    struct spool *spool = spool_new(scratch(), NULL);
    uint8_t bytes[8] = {0};

    CHECK(spool != NULL);
    CHECK(spool_write(spool, 0x10000000, (const uint8_t *)"tide", 4));
    CHECK(spool_read(spool, 0x0FFFFFFE, bytes, 6));
    CHECK(memcmp(bytes, "\0\0tide", 6) == 0);
    CHECK(!spool_read(spool, 0x10000002, bytes, 8));
    spool_free(spool);
    CHECK(spool_new("/nowhere", NULL) == NULL);
}

/* Pieces of any length, in order and not: what comes later counts. */
static void what_is_gathered_is_what_was_put(void)
{
    enum { SIZE = 0x30000 };
    struct spool_gather gather = {.spool = spool_new(scratch(), NULL)};
    g_autofree uint8_t *expected = g_malloc0(SIZE), *found = g_malloc0(SIZE),
                       *from = g_malloc(SIZE);
    uint64_t random = 3;
    uint32_t at = 0;

    rig_random(from, SIZE, 11);
    for (unsigned i = 0; i < 3000; i++) {
        uint32_t most = i % 50 == 0 ? 40000 : 700;
        uint32_t n = (uint32_t)(sim_random(&random) % most);
        if (i % 7 == 0 || at + n > SIZE)
            at = (uint32_t)(sim_random(&random) % (SIZE - n));
        CHECK(spool_gather_put(&gather, at, from + SIZE - n - i % 100, n));
        memcpy(expected + at, from + SIZE - n - i % 100, n);
        at += n;
    }
    CHECK(spool_gather_end(&gather));
    CHECK(spool_write(gather.spool, SIZE - 1, &expected[SIZE - 1], 1));
    CHECK(spool_read(gather.spool, 0, found, SIZE));
    CHECK(memcmp(found, expected, SIZE) == 0);
    spool_free(gather.spool);
}

static unsigned files_in(const char *folder)
{
    GDir *dir = g_dir_open(folder, 0, NULL);
    unsigned n = 0;

    while (dir && g_dir_read_name(dir))
        n++;
    if (dir)
        g_dir_close(dir);
    return n;
}

/* A row of one empty field would be a blank line without its quotes. */
static void a_table_is_saved_with_all_its_rows(void)
{
    static const char *const texts[] = {"level\r\n\"\"\r\n7\r\n", "a;b\r\n;\r\n\" 1\";\"\"\"\"\r\n",
                                        "a,b\r\n\"x\r\ny\",\",\"\r\n", "a;\"b,c\"\r\n1;2\r\n",
                                        "\xEF\xBB\xBFpi\xC3\xA8ge\r\n1\r\n"};
    GError *error = NULL;

    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++) {
        check_context("table %zu", i);
        scratch_write("rows.csv", texts[i], strlen(texts[i]));
        struct csv_table *table = csv_table_load(scratch_file("rows.csv"), &error);
        CHECK(table != NULL && csv_table_save(table, &error));
        size_t n = 0;
        g_autofree uint8_t *saved = scratch_read("rows.csv", &n);
        CHECK(n == strlen(texts[i]) && memcmp(saved, texts[i], n) == 0);
        csv_table_free(table);
    }
}

static void a_pending_file_appears_only_when_it_is_committed(void)
{
    const char *path = scratch_file("pending.txt");
    GError *error = NULL;
    unsigned before = files_in(scratch());
    struct wry_atomic_file *file = wry_atomic_file_begin(path, FALSE, &error);

    CHECK(file != NULL);
    CHECK(g_file_set_contents(wry_atomic_file_path(file), "done", 4, NULL));
    CHECK(!g_file_test(path, G_FILE_TEST_EXISTS));
    wry_atomic_file_abandon(file);
    CHECK_EQUAL(before, files_in(scratch()));
    file = wry_atomic_file_begin(path, FALSE, &error);
    CHECK(g_file_set_contents(wry_atomic_file_path(file), "done", 4, NULL));
    CHECK(wry_atomic_file_commit(file, &error));
    CHECK(g_file_test(path, G_FILE_TEST_EXISTS));
    CHECK_EQUAL(before + 1, files_in(scratch()));
    CHECK(wry_atomic_file_begin(path, FALSE, &error) == NULL);
    CHECK(g_error_matches(error, WRY_STORE_ERROR, WRY_STORE_ERROR_EXISTS));
    g_clear_error(&error);
    file = wry_atomic_file_begin(path, TRUE, &error);
    CHECK(g_file_set_contents(wry_atomic_file_path(file), "anew", 4, NULL));
    CHECK(wry_atomic_file_commit(file, &error));
    size_t n = 0;
    g_autofree uint8_t *text = scratch_read("pending.txt", &n);
    CHECK(n == 4 && memcmp(text, "anew", 4) == 0);
}

static void content_that_cannot_be_flushed_takes_no_name(void)
{
    const char *path = scratch_file("flush.txt");
    GError *error = NULL;
    unsigned before = files_in(scratch());
    size_t n = 0;

    for (gboolean replace = FALSE; replace <= TRUE; replace++) {
        struct wry_atomic_file *file = wry_atomic_file_begin(path, replace, &error);
        CHECK(g_file_set_contents(wry_atomic_file_path(file), "new", 3, NULL));
        failing_flushes = 1;
        CHECK(!wry_atomic_file_commit(file, &error));
        CHECK_EQUAL(0, failing_flushes);
        CHECK(error && strstr(error->message, g_strerror(EIO)));
        g_clear_error(&error);
        CHECK_EQUAL(before + (replace ? 1 : 0), files_in(scratch()));
        if (!replace)
            scratch_write("flush.txt", "older", 5);
    }
    g_autofree uint8_t *text = scratch_read("flush.txt", &n);
    CHECK(n == 5 && memcmp(text, "older", 5) == 0);
}

static void a_name_that_was_taken_meanwhile_is_not_overwritten(void)
{
    const char *path = scratch_file("race.txt");
    GError *error = NULL;
    struct wry_atomic_file *file = wry_atomic_file_begin(path, FALSE, &error);

    CHECK(g_file_set_contents(wry_atomic_file_path(file), "mine", 4, NULL));
    CHECK(g_file_set_contents(path, "theirs", 6, NULL));
    CHECK(!wry_atomic_file_commit(file, &error));
    CHECK(g_error_matches(error, WRY_STORE_ERROR, WRY_STORE_ERROR_EXISTS));
    g_clear_error(&error);
    size_t n = 0;
    g_autofree uint8_t *text = scratch_read("race.txt", &n);
    CHECK_EQUAL(6, n);
}

/* An archive with two ranges. */
static struct archive *make_archive(void)
{
    static const uint8_t eui48[] = {0x02, 0x57, 1, 2, 3, 4};
    struct archive *archive = archive_new();
    struct archive_range ranges[] = {{.archive = archive, .offset = 0x1000, .length = 5000},
                                     {.archive = archive, .offset = 0x8000, .length = 1}};
    uint8_t bytes[5000];

    memcpy(archive->eui48, eui48, sizeof eui48);
    archive->chip_code = WRY_CHIP_TURNSTONE_T2;
    archive->flash_size = 0x400000;
    archive->created = g_strdup("2026-11-23T08:00:00Z");
    archive->tool = g_strdup("test");
    archive->layout.count = 1;
    archive->layout.regions[0] =
        (struct wry_region){.name = "app", .kind = 3, .offset = 0x40000, .length = 0x1000};
    archive->content = spool_new(NULL, NULL);
    rig_random(bytes, sizeof bytes, 4);
    for (size_t i = 0; i < 2; i++) {
        CHECK(spool_write(archive->content, ranges[i].offset, bytes, ranges[i].length));
        ranges[i].archive = archive;
        CHECK(archive_range_digest(&ranges[i], ranges[i].sha256));
        g_array_append_val(archive->ranges, ranges[i]);
    }
    return archive;
}

static void an_archive_comes_back_as_it_was_written(void)
{
    struct archive *written = make_archive();
    const char *path = scratch_file("a.zip");
    uint8_t one[5000], other[5000];

    CHECK(archive_write(written, path, NULL));
    CHECK(archive_is_one(path));
    struct archive *archive = archive_open(path, NULL);
    CHECK(archive != NULL);
    CHECK(memcmp(archive->eui48, written->eui48, 6) == 0);
    CHECK_EQUAL(0x400000, archive->flash_size);
    CHECK_EQUAL(2, archive->ranges->len);
    CHECK(strcmp("app", archive->layout.regions[0].name) == 0);
    const struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, 0);
    const struct archive_range *was = &g_array_index(written->ranges, struct archive_range, 0);
    CHECK(archive_range_read(range, 0, one, 5000));
    CHECK(archive_range_read(was, 0, other, 5000));
    CHECK(memcmp(one, other, 5000) == 0);
    CHECK(archive_range_read(range, 4999, one, 1));
    CHECK(!archive_range_read(range, 4999, one, 2));
    archive_close(archive);
    archive_close(written);
}

static void every_flipped_byte_of_an_archive_is_noticed_or_harmless(void)
{
    struct archive *written = make_archive();
    const char *path = scratch_file("flip.zip");
    size_t n = 0;
    unsigned refused = 0;

    CHECK(archive_write(written, path, NULL));
    g_autofree uint8_t *bytes = scratch_read("flip.zip", &n);
    for (size_t i = 0; i < n; i += 7) {
        bytes[i] ^= 0x11;
        scratch_write("flip.zip", bytes, n);
        bytes[i] ^= 0x11;
        struct archive *archive = archive_open(path, NULL);
        refused += archive == NULL;
        /* What is still accepted has the content that was written. */
        for (guint k = 0; archive && k < archive->ranges->len; k++) {
            struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, k);
            uint8_t sha256[WRY_SHA256_SIZE];
            CHECK(archive_range_digest(range, sha256));
            CHECK(memcmp(sha256, g_array_index(written->ranges, struct archive_range, k).sha256,
                         sizeof sha256) == 0);
        }
        archive_close(archive);
    }
    CHECK(refused * 7 > n / 2);
    archive_close(written);
}

/* board.json with one text replaced by another. */
static bool reads(const char *from, const char *to)
{
    struct archive *written = make_archive(), *archive = archive_new();
    g_autofree char *json = archive_json_write(written);
    g_auto(GStrv) parts = g_strsplit(json, from, 2);
    g_autofree char *changed = g_strjoinv(to, parts);

    CHECK_EQUAL(2, g_strv_length(parts));
    bool read = archive_json_read(archive, changed, (gssize)strlen(changed), "x", NULL);
    archive_close(written);
    archive_close(archive);
    return read;
}

static void a_description_out_of_bounds_is_refused(void)
{
    static const char *const changes[][2] = {
        {"\"length\" : 5000", "\"length\" : 0"},
        {"\"length\" : 5000", "\"length\" : 4194304"},
        {"\"length\" : 5000", "\"length\" : -1"},
        {"\"length\" : 5000", "\"length\" : \"5000\""},
        {"\"offset\" : 32768", "\"offset\" : 4096"},
        {"\"offset\" : 32768", "\"offset\" : 99999999999"},
        {"\"flash_bytes\" : 4194304", "\"flash_bytes\" : 100"},
        {"flash-0x00001000.bin", "../../etc/passwd"},
        {"wrytograph backup", "something else"},
        {"\"version\" : 1", "\"version\" : 2"},
        {"02:57:01", "02-57-01"},
        {"\"name\" : \"app\"", "\"name\" : \"a-name-that-is-too-long\""},
        {"\"ranges\" : [", "\"ranges\" : 7, \"spare\" : ["},
        {"\"ranges\" : [", "\"ranges\" : [], \"spare\" : ["},
        {"{", "["},
    };

    CHECK(reads("\"length\" : 5000", "\"length\" : 5000"));
    for (size_t i = 0; i < sizeof changes / sizeof changes[0]; i++) {
        check_context("%s", changes[i][1]);
        CHECK(!reads(changes[i][0], changes[i][1]));
    }
}

static void texts_are_bounded_before_they_are_parsed(void)
{
    g_autofree char *deep = g_strnfill(100, '[');
    g_autofree char *marks = g_strdup("- - - - - - - - - - - - - - - - - - - - - - - - - - - a");
    static const char quoted[] = "{\"a\": \"[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[[\\\"[[[[\"}";

    CHECK(!wry_text_file_is_shallow(deep, 100, WRY_TEXT_FILE_JSON));
    CHECK(!wry_text_file_is_shallow(deep, 100, WRY_TEXT_FILE_YAML));
    CHECK(wry_text_file_is_shallow(deep, WRY_TEXT_FILE_DEPTH, WRY_TEXT_FILE_JSON));
    CHECK(!wry_text_file_is_shallow(deep, WRY_TEXT_FILE_DEPTH + 1, WRY_TEXT_FILE_JSON));
    CHECK(!wry_text_file_is_shallow(marks, strlen(marks), WRY_TEXT_FILE_YAML));
    CHECK(wry_text_file_is_shallow(quoted, sizeof quoted - 1, WRY_TEXT_FILE_JSON));
}

/* Brackets in a comment, in quotes or within words open no list. */
static void brackets_in_text_are_not_nesting(void)
{
    g_autofree char *many = g_strnfill(60, '[');
    g_autofree char *text = g_strdup_printf("# %s\ncard: pier %s\nname: '%s'\nnote: |\n  %s\n"
                                            "list: [a, b]\n",
                                            many, many, many, many);
    g_autofree char *huge = g_strnfill(WRY_TEXT_FILE_MAX - 1, '[');

    CHECK(wry_text_file_is_shallow(text, strlen(text), WRY_TEXT_FILE_YAML));
    CHECK(!wry_text_file_is_shallow(huge, strlen(huge), WRY_TEXT_FILE_YAML));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_spool_gives_back_what_was_written_and_zeros_elsewhere),
        FACT(what_is_gathered_is_what_was_put),
        FACT(a_table_is_saved_with_all_its_rows),
        FACT(a_pending_file_appears_only_when_it_is_committed),
        FACT(content_that_cannot_be_flushed_takes_no_name),
        FACT(a_name_that_was_taken_meanwhile_is_not_overwritten),
        FACT(an_archive_comes_back_as_it_was_written),
        FACT(every_flipped_byte_of_an_archive_is_noticed_or_harmless),
        FACT(a_description_out_of_bounds_is_refused),
        FACT(texts_are_bounded_before_they_are_parsed),
        FACT(brackets_in_text_are_not_nesting),
    };
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
