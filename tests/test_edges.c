/* The command at its edges: stores that fail, two computers, closed outputs, odd files and names.
 */
#include <fcntl.h>
#include <glib.h>
#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <sqlite3.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utime.h>

#include "command.h"
#include "harness.h"
#include "rig.h"
#include "tables.h"

static uint8_t first[3000], second[3000];

static const char *link_of(const char *name)
{
    g_autofree char *text = g_strdup_printf("bench:%s", name);

    return g_intern_string(text);
}

static const char *journal_of(const char *name)
{
    g_autofree char *text = g_strdup_printf("bench/%s/journal.db", name);

    return scratch_file(text);
}

/* A write of part of a sector full of content, cut by the power at its n-th flash operation. */
static void cut_a_write(const char *name, unsigned operation)
{
    g_autofree char *fault = g_strdup_printf("power-cut=%u", operation);

    scratch_add_gauge(name);
    EXPECT(0, "", command("bench", "fault", name, fault, NULL));
    EXPECT(7, "was interrupted. Run it again from this computer",
           command("write", "-l", link_of(name), placed("0x41400", "first"), NULL));
    EXPECT(0, "", command("bench", "fault", name, "none", NULL));
}

static void change_journal(const char *name, const char *statements)
{
    tables_change(journal_of(name), statements);
}

/* A dry run recovers nothing, and says so; the restore itself does, and need not. */
static void a_dry_restore_says_what_was_interrupted_and_a_real_one_recovers_it(void)
{
    size_t n;

    scratch_add_gauge("dry");
    EXPECT(0, "", command("backup", "-l", link_of("dry"), scratch_file("dry.zip"), NULL));
    EXPECT(0, "", command("bench", "remove", "dry", NULL));
    cut_a_write("dry", 2);
    g_autofree uint8_t *before = scratch_flash("dry", &n);
    struct said said =
        command("restore", "-l", link_of("dry"), "--dry-run", scratch_file("dry.zip"), NULL);
    EXPECT(0, "was interrupted. Run it again from this computer", said);
    CHECK(scratch_flash_is("dry", before, n));
    said = command("restore", "-l", link_of("dry"), scratch_file("dry.zip"), NULL);
    EXPECT(0, "was restored first: sector 0x041000", said);
    CHECK(!says(&said, "was interrupted. Run it again from this computer"));
    g_autofree uint8_t *returned = scratch_read("returned-1.bin", &n);
    CHECK(scratch_flash_is("dry", returned, n));
}

static void content_for_no_sector_of_this_flash_is_said_to_be_that(void)
{
    size_t n;

    cut_a_write("beyond", 2);
    g_autofree uint8_t *before = scratch_flash("beyond", &n);
    change_journal("beyond", "DELETE FROM unsettled WHERE old IS NULL;"
                             "UPDATE unsettled SET offset = 8388608;");
    struct said said = command("backup", "-l", link_of("beyond"), scratch_file("beyond.zip"), NULL);
    EXPECT(0, "content for 0x800000, beyond the end of this flash", said);
    CHECK(says(&said, "Their content before the interruption is in"));
    CHECK(!says(&said, "by somebody else"));
    CHECK(scratch_flash_is("beyond", before, n));
}

static void a_journal_of_version_1_is_no_empty_one(void)
{
    cut_a_write("older", 2);
    change_journal("older", "CREATE TABLE sectors (board TEXT NOT NULL, offset INTEGER NOT NULL, "
                            "content BLOB, PRIMARY KEY (board, offset)) WITHOUT ROWID;"
                            "INSERT INTO sectors SELECT board, offset, old FROM unsettled;"
                            "DROP TABLE unsettled; PRAGMA user_version = 1");
    EXPECT(0, "written by an older version", command("identify", "-l", link_of("older"), NULL));
    EXPECT(0, "restored first",
           command("backup", "-l", link_of("older"), scratch_file("older.zip"), NULL));
    struct said said = command("identify", "-l", link_of("older"), NULL);
    CHECK_EQUAL(0, said.code);
    CHECK(!says(&said, "journal"));
}

static void after_a_cut_every_verb_says_what_only_the_journal_holds(void)
{
    size_t n;
    g_autofree uint8_t *before = NULL;

    scratch_add_gauge("cut");
    before = scratch_flash("cut", &n);
    EXPECT(0, "", command("bench", "fault", "cut", "power-cut=2", NULL));
    EXPECT(7, "0x041000 to 0x041FFF",
           command("write", "-l", link_of("cut"), placed("0x41400", "first"), NULL));
    EXPECT(0, "", command("bench", "fault", "cut", "none", NULL));
    EXPECT(0, "was interrupted. Run it again from this computer",
           command("identify", "-l", link_of("cut"), NULL));
    EXPECT(6, "was interrupted. Run it again from this computer",
           command("verify", "-l", link_of("cut"), placed("0x41400", "first"), NULL));
    EXPECT(0, "restored first: sector 0x041000",
           command("backup", "-l", link_of("cut"), scratch_file("cut.zip"), NULL));
    CHECK(scratch_flash_is("cut", before, n));
    struct said said = command("identify", "-l", link_of("cut"), NULL);
    CHECK(said.code == 0 && !says(&said, "journal"));
}

/* Computer A is cut, B writes and verifies something else there, A goes on with another job. */
static void newer_work_of_another_computer_is_not_overwritten(void)
{
    for (unsigned operation = 1; operation < 14; operation += 3) {
        g_autofree char *name = g_strdup_printf("two-%u", operation);
        g_autofree char *away = g_strconcat(journal_of(name), ".away", NULL);
        size_t n;
        cut_a_write(name, operation);
        CHECK_EQUAL(0, g_rename(journal_of(name), away));
        EXPECT(0, "Written, and verified",
               command("write", "-l", link_of(name), placed("0x41000", "second"), NULL));
        g_unlink(journal_of(name));
        CHECK_EQUAL(0, g_rename(away, journal_of(name)));
        struct said said = command("write", "-l", link_of(name), placed("0x200000", "first"), NULL);
        check_context("cut at operation %u", operation);
        CHECK_EQUAL(0, said.code);
        CHECK(says(&said, "have been written since") && says(&said, "beside-"));
        g_autofree uint8_t *flash = scratch_flash(name, &n);
        CHECK(memcmp(flash + 0x41000, second, sizeof second) == 0);
        CHECK(memcmp(flash + 0x200000, first, sizeof first) == 0);
    }
}

/* B writes the same image: what A kept completes it, and takes nothing away. */
static void the_same_image_written_elsewhere_gets_its_neighbours_back(void)
{
    size_t n;
    g_autofree char *away = g_strconcat(journal_of("same"), ".away", NULL);

    scratch_add_gauge("same");
    g_autofree uint8_t *expected = scratch_flash("same", &n);
    memcpy(expected + 0x41400, first, sizeof first);
    memcpy(expected + 0x200000, second, sizeof second);
    cut_a_write("other", 2);
    EXPECT(0, "", command("bench", "fault", "same", "power-cut=2", NULL));
    EXPECT(7, "", command("write", "-l", link_of("same"), placed("0x41400", "first"), NULL));
    EXPECT(0, "", command("bench", "fault", "same", "none", NULL));
    CHECK_EQUAL(0, g_rename(journal_of("same"), away));
    EXPECT(0, "", command("write", "-l", link_of("same"), placed("0x41400", "first"), NULL));
    g_unlink(journal_of("same"));
    CHECK_EQUAL(0, g_rename(away, journal_of("same")));
    EXPECT(0, "restored first",
           command("write", "-l", link_of("same"), placed("0x200000", "second"), NULL));
    CHECK(scratch_flash_is("same", expected, n));
}

static void neighbours_that_are_blank_beside_content_are_warned_of(void)
{
    scratch_add_gauge("beside");
    EXPECT(0, "", command("erase", "-l", link_of("beside"), "0x41000+4K", NULL));
    EXPECT(0, "", command("write", "-l", link_of("beside"), placed("0x41000", "first"), NULL));
    EXPECT(0, "0x041BB8 to 0x041FFF is blank in a sector with content",
           command("write", "-l", link_of("beside"), placed("0x41000", "second"), NULL));
}

static void a_journal_that_cannot_be_used_stops_before_the_erase(void)
{
    size_t n;
    sqlite3 *db = NULL;

    scratch_add_gauge("stuck");
    g_autofree uint8_t *before = scratch_flash("stuck", &n);
    /* Damaged. */
    CHECK(g_file_set_contents(journal_of("stuck"), "no journal at all, but a text", -1, NULL));
    EXPECT(3, "the journal cannot be used",
           command("write", "-l", link_of("stuck"), placed("0x41400", "first"), NULL));
    EXPECT(0, "cannot be read", command("identify", "-l", link_of("stuck"), NULL));
    CHECK(scratch_flash_is("stuck", before, n));
    g_unlink(journal_of("stuck"));
    /* Locked, for longer than anybody waits. */
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(journal_of("stuck"), &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "BEGIN EXCLUSIVE", NULL, NULL, NULL));
    EXPECT(3, "locked", command("write", "-l", link_of("stuck"), placed("0x41400", "first"), NULL));
    CHECK(scratch_flash_is("stuck", before, n));
    sqlite3_close(db);
    /* Of a version to come. */
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(journal_of("stuck"), &db));
    sqlite3_exec(db, "PRAGMA user_version = 99", NULL, NULL, NULL);
    sqlite3_close(db);
    EXPECT(3, "newer version",
           command("write", "-l", link_of("stuck"), placed("0x41400", "first"), NULL));
    CHECK(scratch_flash_is("stuck", before, n));
}

static void an_address_that_many_boards_have_is_warned_of(void)
{
    size_t n;

    scratch_add_gauge("nobody");
    g_autofree char *yaml = (char *)scratch_read("bench/nobody/board.yaml", &n);
    g_autofree char *text = g_strndup(yaml, n);
    char *at = strstr(text, "address: ");
    CHECK(at != NULL);
    memcpy(at + strlen("address: "), "FF:FF:FF:FF:FF:FF", 17);
    scratch_write("bench/nobody/board.yaml", text, strlen(text));
    EXPECT(0, "is not a unique address",
           command("write", "-l", link_of("nobody"), placed("0x41400", "first"), NULL));
    EXPECT(0, "", command("bench", "fault", "nobody", "power-cut=2", NULL));
    EXPECT(7, "Their content is in",
           command("write", "-l", link_of("nobody"), placed("0x41400", "second"), NULL));
}

/* Records are laid out in a temporary file before anything is sent. */
static void a_temporary_disk_that_is_full_stops_before_the_board(void)
{
    size_t n;
    GString *text = g_string_new(NULL);

    scratch_add_gauge("nospace");
    g_autofree uint8_t *before = scratch_flash("nospace", &n);
    for (unsigned at = 0; at < 0x10000; at += 16) {
        uint8_t record[20] = {16, (uint8_t)(at >> 8), (uint8_t)at, 0};
        uint8_t sum = 0;
        rig_random(record + 4, 16, at);
        g_string_append_c(text, ':');
        for (size_t i = 0; i < sizeof record; i++) {
            sum = (uint8_t)(sum + record[i]);
            g_string_append_printf(text, "%02X", record[i]);
        }
        g_string_append_printf(text, "%02X\n", (uint8_t)-sum);
    }
    g_string_append(text, ":00000001FF\n");
    scratch_write("nospace.hex", text->str, text->len);
    g_string_free(text, TRUE);
    g_autofree char *line = g_strdup_printf("ulimit -f 16; exec '%s' write -l bench:nospace '%s'",
                                            command_path(), scratch_file("nospace.hex"));
    EXPECT(3, "set TMPDIR to another folder", run_program("sh", "-c", line, NULL));
    CHECK(scratch_flash_is("nospace", before, n));
    EXPECT(0, "Written",
           command("write", "-l", "bench:nospace", "--any-content", "--any-place",
                   scratch_file("nospace.hex"), NULL));
}

static void options_given_twice_are_refused(void)
{
    scratch_add_gauge("twice");
    EXPECT(2, "--link was given twice",
           command("identify", "-l", link_of("twice"), "--link=bench:other", NULL));
    EXPECT(2, "--log was given twice",
           command("start", "-l", link_of("twice"), "--log=a", "--log=b", NULL));
}

static bool is_json(const char *text, int64_t code)
{
    g_autoptr(JsonParser) parser = json_parser_new();

    if (!json_parser_load_from_data(parser, text, -1, NULL) ||
        !JSON_NODE_HOLDS_OBJECT(json_parser_get_root(parser)))
        return false;
    JsonObject *object = json_node_get_object(json_parser_get_root(parser));
    return json_object_get_int_member_with_default(object, "exit_code", -1) == code;
}

static void json_is_printed_for_usage_errors_too(void)
{
    struct said said = command("identify", "--json", "--no-such-option", NULL);

    CHECK(said.code == 2 && is_json(said.out, 2));
    said = command("no-such-verb", "--json", NULL);
    CHECK(said.code == 2 && is_json(said.out, 2));
    said =
        command("write", "--json", "-l", "bench:none", placed("0x0", "bad\xFFname\x1B[31m"), NULL);
    CHECK(said.code != 0 && is_json(said.out, said.code));
    CHECK(g_utf8_validate(said.out, -1, NULL));
    CHECK(strchr(said.err, 0x1B) == NULL);
}

static void output_that_cannot_be_written_is_a_failure(void)
{
    g_autofree char *full = g_strdup_printf("%s bench list > /dev/full", command_path());
    g_autofree char *closed =
        g_strdup_printf("%s identify -l bench:outputs >&- 2>&-", command_path());
    size_t n;

    scratch_add_gauge("outputs");
    g_autofree uint8_t *before = scratch_flash("outputs", &n);
    CHECK_EQUAL(1, run_program("sh", "-c", full, NULL).code);
    run_program("sh", "-c", closed, NULL);
    CHECK(scratch_flash_is("outputs", before, n));
}

static void files_that_are_no_plain_files_are_refused_at_once(void)
{
    CHECK_EQUAL(0, mkfifo(scratch_file("pipe"), 0600));
    EXPECT(3, "not a regular file", command("inspect", scratch_file("pipe"), NULL));
    scratch_add_gauge("plain");
    EXPECT(3, "not a regular file",
           command("write", "-l", link_of("plain"), placed("0x0", "pipe"), NULL));
    EXPECT(3, "not a regular file",
           command("identify", "-l", link_of("plain"), "--layout", scratch_file("pipe"), NULL));
    EXPECT(3, "not a regular file",
           command("restore", "-l", link_of("plain"), scratch_file("pipe"), NULL));
    EXPECT(3, "not a regular file",
           command("backup", "-l", link_of("plain"), "--replace", "/dev/null", NULL));
}

static void a_board_description_may_be_anything_and_is_refused_in_words(void)
{
    g_autofree char *deep = g_strnfill(200000, '[');

    scratch_add_gauge("described");
    scratch_write("bench/described/board.yaml", "", 0);
    EXPECT(3, "this is not a board", command("identify", "-l", link_of("described"), NULL));
    scratch_write("bench/described/board.yaml", deep, strlen(deep));
    EXPECT(3, "nested too deep", command("identify", "-l", link_of("described"), NULL));
}

static void records_in_other_clothes_are_recognised_or_refused(void)
{
    static const char record[] = ":0400000001020304F2\n:00000001FF\n";
    static const char lower[] = "s1070000010203 04EE\ns9030000FC\n";
    char wide[2 * sizeof record + 2] = {(char)0xFF, (char)0xFE};
    g_autofree char *marked = g_strconcat("\xEF\xBB\xBF", record, NULL);
    g_autofree char *spaced = g_strconcat("\n  \r\n\n", record, NULL);
    g_autofree char *commented = g_strconcat("; made by hand\n", record, NULL);

    for (size_t i = 0; i < sizeof record - 1; i++)
        wide[2 + 2 * i] = record[i];
    scratch_write("marked.hex", marked, strlen(marked));
    EXPECT(0, "Intel HEX", command("inspect", scratch_file("marked.hex"), NULL));
    scratch_write("spaced.hex", spaced, strlen(spaced));
    EXPECT(0, "Intel HEX", command("inspect", scratch_file("spaced.hex"), NULL));
    scratch_write("lower.srec", lower, strlen(lower));
    EXPECT(0, "S-record", command("inspect", scratch_file("lower.srec"), NULL));
    scratch_write("commented.hex", commented, strlen(commented));
    EXPECT(3, "after other text", command("inspect", scratch_file("commented.hex"), NULL));
    scratch_write("wide.hex", wide, 2 + 2 * (sizeof record - 1));
    EXPECT(3, "UTF-16", command("inspect", scratch_file("wide.hex"), NULL));
}

static void backups_are_the_owner_s_and_take_no_name_that_is_taken(void)
{
    struct utimbuf long_ago = {.actime = 1000000000, .modtime = 1000000000};
    struct stat info = {0};

    scratch_add_gauge("owner");
    scratch_write(".mine.zip.part-999999", "left", 4);
    /* Names of earlier versions do not tell the computer: only old ones go. */
    CHECK_EQUAL(0, g_utime(scratch_file(".mine.zip.part-999999"), &long_ago));
    EXPECT(0, "Backed up",
           command("backup", "-l", link_of("owner"), "--only", "0x0+64K", scratch_file("mine.zip"),
                   NULL));
    CHECK_EQUAL(0, stat(scratch_file("mine.zip"), &info));
    CHECK_EQUAL(0600, info.st_mode & 0777);
    CHECK(stat(scratch_file(".mine.zip.part-999999"), &info) != 0);
    EXPECT(2, "the file exists already",
           command("backup", "-l", link_of("owner"), scratch_file("mine.zip"), NULL));
    scratch_write("map.svg", "mine", 4);
    EXPECT(2, "the file exists already",
           command("plan", "--chip", "turnstone-t2", "--flash", "4M", "--svg",
                   scratch_file("map.svg"), placed("0x41400", "first"), NULL));
    EXPECT(0, "The map is in",
           command("plan", "--chip", "turnstone-t2", "--flash", "4M", "--replace", "--svg",
                   scratch_file("map.svg"), placed("0x41400", "first"), NULL));
}

static void a_flash_that_claims_too_much_is_found_before_it_harms(void)
{
    size_t n;

    scratch_add_gauge("claims");
    EXPECT(0, "", command("bench", "fault", "claims", "claims=8MiB", NULL));
    g_autofree uint8_t *before = scratch_flash("claims", &n);
    EXPECT(5, "it repeats itself",
           command("write", "-l", link_of("claims"), placed("0x600400", "first"), NULL));
    CHECK(scratch_flash_is("claims", before, n));
    EXPECT(5, "it repeats itself",
           command("erase", "--without-backup", "-l", link_of("claims"), "all", NULL));
    CHECK(scratch_flash_is("claims", before, n));
    EXPECT(0, "Written",
           command("write", "-l", link_of("claims"), placed("0x200400", "first"), NULL));
}

static void a_restart_in_the_middle_names_the_supply(void)
{
    scratch_add_gauge("weak");
    EXPECT(0, "", command("bench", "fault", "weak", "brown-out", NULL));
    EXPECT(7, "its supply fails",
           command("write", "-l", link_of("weak"), placed("0x40000", "gauge.bin"), NULL));
}

static void a_large_flash_is_worked_on_to_its_end(void)
{
    EXPECT(0, "",
           command("bench", "add", "large", "--chip", "dunlin-d3", "--flash", "128MiB", NULL));
    EXPECT(0, "128 MiB (1024 Mbit)", command("identify", "-l", link_of("large"), NULL));
    EXPECT(0, "Written",
           command("write", "-l", link_of("large"), placed("0x7FFF000", "first"), NULL));
    EXPECT(0, "agrees",
           command("verify", "-l", link_of("large"), placed("0x7FFF000", "first"), NULL));
}

/* What never ended once: slow speeds, a cable for slow speeds only, noise, latency, full flash. */
static void reading_ends_at_every_speed_on_every_line(void)
{
    static const char *const cases[][2] = {
        {"none", "9600"},          {"none", "115200"},
        {"none", "460800"},        {"cable=115200", "2000000"},
        {"noise=2e-4", "921600"},  {"noise=1e-3", "921600"},
        {"latency=0.1", "230400"}, {"noise=1e-4", "57600"},
        {"lost=1e-4", "1500000"},
    };
    size_t n;
    g_autofree uint8_t *full = g_malloc(0x400000);

    rig_random(full, 0x400000, 5);
    scratch_write("full.bin", full, 0x400000);
    EXPECT(0, "",
           command("bench", "add", "full", "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file("full.bin"), NULL));
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        check_context("%s at %s baud", cases[i][0], cases[i][1]);
        EXPECT(0, "", command("bench", "fault", "full", "none", cases[i][0], NULL));
        EXPECT(0, "Backed up",
               command("backup", "-l", link_of("full"), "--replace", "--plain", "--speed",
                       cases[i][1], "--only", "0x40000+24K", scratch_file("part.bin"), NULL));
        g_autofree uint8_t *part = scratch_read("part.bin", &n);
        CHECK(part && n == 24 * 1024 && memcmp(part, full + 0x40000, n) == 0);
    }
    EXPECT(0, "", command("bench", "fault", "full", "none", "noise=2.5e-3", NULL));
    EXPECT(7, "loses nearly everything",
           command("backup", "-l", link_of("full"), "--replace", "--speed", "921600", "--only",
                   "0x40000+24K", scratch_file("part.zip"), NULL));
}

static void words_that_come_with_the_last_answer_are_heard(void)
{
    scratch_add_gauge("words");
    EXPECT(0, "", command("bench", "fault", "words", "latency=0.2", NULL));
    EXPECT(0, "Seen: \"boot ROM 1\"",
           command("start", "-l", link_of("words"), "--speed", "115200", "--expect", "boot ROM 1",
                   NULL));
}

static void a_layout_s_names_mean_one_thing_only(void)
{
    static const struct {
        const char *text, *says;
    } cases[] = {
        {"regions:\n- {name: all, offset: 0x1000, length: 4K}\n", "'all' is not a name"},
        {"regions:\n- {name: 16K, offset: 0x1000, length: 4K}\n", "'16K' is not a name"},
        {"regions:\n- {name: a, offset: 0x1000, length: 0}\n", "'0' is not a length"},
        {"regions:\n- {name: a, name: b, offset: 0x1000, length: 4K}\n", "is in line 2 already"},
        {"regions:\n- {name: a, offset: 0x1000, length: 4K}\n---\nregions: []\n",
         "a second document"},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        scratch_write("layout.yaml", cases[i].text, strlen(cases[i].text));
        EXPECT(3, cases[i].says, command("inspect", scratch_file("layout.yaml"), NULL));
    }
    scratch_write("rest.yaml", "regions:\n- {name: a, offset: 0x1000, length: rest}\n", 51);
    EXPECT(0, "to the end", command("inspect", scratch_file("rest.yaml"), NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(after_a_cut_every_verb_says_what_only_the_journal_holds),
        FACT(a_dry_restore_says_what_was_interrupted_and_a_real_one_recovers_it),
        FACT(content_for_no_sector_of_this_flash_is_said_to_be_that),
        FACT(a_journal_of_version_1_is_no_empty_one),
        FACT(newer_work_of_another_computer_is_not_overwritten),
        FACT(the_same_image_written_elsewhere_gets_its_neighbours_back),
        FACT(neighbours_that_are_blank_beside_content_are_warned_of),
        FACT(a_journal_that_cannot_be_used_stops_before_the_erase),
        FACT(an_address_that_many_boards_have_is_warned_of),
        FACT(a_temporary_disk_that_is_full_stops_before_the_board),
        FACT(options_given_twice_are_refused),
        FACT(json_is_printed_for_usage_errors_too),
        FACT(output_that_cannot_be_written_is_a_failure),
        FACT(files_that_are_no_plain_files_are_refused_at_once),
        FACT(a_board_description_may_be_anything_and_is_refused_in_words),
        FACT(records_in_other_clothes_are_recognised_or_refused),
        FACT(backups_are_the_owner_s_and_take_no_name_that_is_taken),
        FACT(a_flash_that_claims_too_much_is_found_before_it_harms),
        FACT(a_restart_in_the_middle_names_the_supply),
        FACT(reading_ends_at_every_speed_on_every_line),
        FACT(words_that_come_with_the_last_answer_are_heard),
        FACT(a_layout_s_names_mean_one_thing_only),
        FACT(a_large_flash_is_worked_on_to_its_end),
    };

    rig_random(first, sizeof first, 1);
    rig_random(second, sizeof second, 2);
    scratch_make_images();
    scratch_write("first", first, sizeof first);
    scratch_write("second", second, sizeof second);
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
