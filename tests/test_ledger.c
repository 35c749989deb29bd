/* The ledger as a file: what is put on record, what is not, and what happens to it. */
#include <glib.h>
#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <signal.h>
#include <sqlite3.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cards.h"
#include "command.h"
#include "harness.h"
#include "store/ledger/ledger.h"
#include "store/ledger/ledger_migrations.h"
#include "store/ledger/ledger_sqlite.h"
#include "tables.h"

#define CHECK_TAKEN(expected, found) check_taken((expected), (found), __LINE__)

/* Frees what was found. */
static void check_taken(const char *expected, char *found, int line)
{
    check_text(expected, found, __FILE__, line, "it");
    g_free(found);
}

/* A ledger and a gauge of this name, for the commands that follow. */
static void set_up(const char *name)
{
    g_autofree char *ledger = g_strdup_printf("%s/of-%s.db", scratch(), name);

    g_setenv("WRYTOGRAPH_LEDGER", ledger, TRUE);
    scratch_use_gauge(name, "none");
}

/* A backup, a write, an erase and a restore; and two writes that fail. */
static void make_rows(const char *name)
{
    const char *archive = scratch_file("rows.zip");

    set_up(name);
    EXPECT(0, "", command("backup", "--replace", archive, NULL));
    EXPECT(0, "", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "", command("erase", "log", NULL));
    EXPECT(0, "", command("restore", archive, NULL));
    EXPECT(0, "", command("bench", "fault", name, "unpowered", NULL));
    EXPECT(4, "", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "", command("bench", "fault", name, "none", "protect=0x1c", NULL));
    EXPECT(8, "", command("write", placed("app", "gauge.bin"), NULL));
}

static void what_changes_or_saves_a_flash_is_on_record(void)
{
    set_up("gauge-1");
    EXPECT(0, "No such run is recorded", command("ledger", "list", NULL));
    EXPECT(0, "", command("backup", scratch_file("gauge-1.zip"), NULL));
    CHECK_TAKEN("backup|passed|0|4194304",
                cards_ledger("kind||'|'||outcome||'|'||exit_code||'|'||bytes"));
    EXPECT(0, "", command("write", placed("app", "gauge.bin"), NULL));
    CHECK_TAKEN("write|passed|app|gauge.bin",
                cards_ledger("kind||'|'||outcome||'|'||json_extract(contents,'$[0].region')||'|'||"
                             "json_extract(contents,'$[0].file')"));
    EXPECT(0, "", command("erase", "log", NULL));
    CHECK_TAKEN("erase|passed", cards_ledger("kind||'|'||outcome"));
    EXPECT(0, "", command("restore", scratch_file("gauge-1.zip"), NULL));
    CHECK_TAKEN("restore|gauge-1.zip",
                cards_ledger("kind||'|'||json_extract(contents,'$[0].file')"));
    /* When, where, who, what. */
    CHECK_TAKEN("1", cards_ledger("began <= ended AND began GLOB '20*-*-*T*:*:*.*Z'"));
    g_autofree char *where = g_strdup_printf("%s|%s|bench:gauge-1|02:57:B8:FE:82:F1|turnstone-t2",
                                             g_get_host_name(), g_get_user_name());
    CHECK_TAKEN(where, cards_ledger("computer||'|'||username||'|'||link||'|'||board||'|'||chip"));
    CHECK_TAKEN("4", cards_query("SELECT count(DISTINCT id) FROM run"));
}

/* A table that somebody else made, whose row has nothing of what every row has. */
static void a_row_of_nothing_ends_no_view(void)
{
    static const char *const views[][3] = {
        {"list", NULL, NULL},      {"list", "--json", NULL},
        {"export", "--csv", NULL}, {"export", "--json", NULL},
        {"report", NULL, NULL},    {"list", "--day", "2026-10-01"},
        {"show", "1", NULL},       {"label", "02:00:00:00:00:01", NULL}};
    const char *path = scratch_file("nothing.db");
    sqlite3 *db = NULL;
    GError *error = NULL;

    wry_ledger_close(wry_ledger_open(path, &error));
    CHECK(error == NULL && sqlite3_open(path, &db) == SQLITE_OK);
    CHECK_EQUAL(SQLITE_OK,
                sqlite3_exec(db,
                             "CREATE TABLE other AS SELECT * FROM run; DROP TABLE run; "
                             "ALTER TABLE other RENAME TO run; INSERT INTO run DEFAULT VALUES; "
                             "INSERT INTO run (card, board) VALUES ('Pier', '02:00:00:00:00:01')",
                             NULL, NULL, NULL));
    sqlite3_close(db);
    for (size_t i = 0; i < G_N_ELEMENTS(views); i++) {
        check_context("%s %s", views[i][0], views[i][1] ? views[i][1] : "");
        struct said said =
            command("ledger", "--ledger", path, views[i][0], views[i][1], views[i][2], NULL);
        CHECK(i < 6 ? said.code == 0 : said.code > 0);
    }
    check_context(NULL);
}

/* Rows come from other computers as well. */
static void a_row_of_anything_ends_no_view(void)
{
    static const char *const values[] = {
        "''",
        "'null'",
        "'['",
        "'3'",
        "'\"a\"'",
        "'[null, 1, [], {}]'",
        "x'FF00'",
        "'[{\"step\": 3, \"outcome\": {}, \"seconds\": \"x\", \"bytes\": 1e300}]'",
        "'[{\"offset\": 9223372036854775807, \"length\": 9223372036854775807}, "
        "{\"offset\": -1}, {\"offset\": \"0x40000\"}, {\"offset\": 1, \"file\": []}]'",
        "replace(hex(zeroblob(100000)), '0', '[')"};
    static const char *const views[][3] = {{"list", NULL, NULL},      {"list", "--json", NULL},
                                           {"export", "--csv", NULL}, {"export", "--json", NULL},
                                           {"report", NULL, NULL},    {"show", "17", NULL}};
    const char *path = scratch_file("anything.db");
    GError *error = NULL;

    wry_ledger_close(wry_ledger_open(path, &error));
    CHECK(error == NULL);
    for (size_t v = 0; v < G_N_ELEMENTS(values); v++) {
        g_autofree char *change = g_strdup_printf(
            "DELETE FROM run; INSERT INTO run (id, kind, began, computer, username, program, "
            "outcome, waiting, board, steps, contents) VALUES ('17', 'write', "
            "'2026-10-01T08:00:00.000Z', 'a', 'b', '0.2.0', 'passed', 0, '02:00:00:00:00:01', "
            "%s, %s)",
            values[v], values[v]);
        tables_change(path, change);
        for (size_t i = 0; i < G_N_ELEMENTS(views); i++) {
            check_context("%s %s of %s", views[i][0], views[i][1], values[v]);
            EXPECT(
                0, "2026-10-01",
                command("ledger", "--ledger", path, views[i][0], views[i][1], views[i][2], NULL));
        }
    }
    check_context(NULL);
}

/* Bytes that are no text, control characters, markup, numbers beyond numbers: JSON and CSV stay
 * what they are, and the terminal is not steered. */
static void a_row_of_bytes_is_shown_as_text(void)
{
    static const char change[] =
        "DELETE FROM run; INSERT INTO run VALUES ('17', :t, :t, :t, :t, :t, :t, :t, "
        "'02:00:00:00:00:01', :t, -9e99, :t, :t, :t, :t, :t, 'failed', 1e99, :t, :t, 9e999, "
        "'many', "
        ":t, :t, :t, :t, :t, NULL, 0, :t, :t, 0, :t, -9e99, :t, :t, :t, :t)";
    static const char *const views[][2] = {{"list", NULL},       {"list", "--json"},
                                           {"export", "--json"}, {"export", "--csv"},
                                           {"show", "17"},       {"report", NULL}};
    g_auto(GStrv) parts = g_strsplit(change, ":t", -1);
    g_autofree char *filled = g_strjoinv("CAST(x'FF1B5B324A3C2F74643E2C220AC3' AS TEXT)", parts);
    const char *path = scratch_file("bytes.db");

    wry_ledger_close(wry_ledger_open(path, NULL));
    tables_change(path, filled);
    for (size_t i = 0; i < G_N_ELEMENTS(views); i++) {
        check_context("%s %s", views[i][0], views[i][1]);
        struct said said = command("ledger", "--ledger", path, views[i][0], views[i][1], NULL);
        CHECK_EQUAL(0, said.code);
        CHECK(g_utf8_validate(said.out, -1, NULL));
        CHECK(i == 3 || i == 5 || strchr(said.out, 0x1B) == NULL);
        CHECK(i != 5 || strstr(said.out, "[2J</td>") == NULL);
        if (i == 1 || i == 2) {
            g_autoptr(JsonNode) node = json_from_string(said.out, NULL);
            CHECK(node != NULL && strstr(said.out, "inf") == NULL);
        }
    }
    check_context(NULL);
}

static void what_only_looks_is_not(void)
{
    set_up("looked-at");
    EXPECT(0, "", command("identify", NULL));
    command("verify", placed("start", "start.bin"), NULL);
    EXPECT(0, "", command("write", placed("app", "gauge.bin"), "--dry-run", NULL));
    EXPECT(0, "", command("erase", "log", "--dry-run", NULL));
    /* Nor what never came to a board. */
    EXPECT(3, "", command("write", "app=/nowhere/x.bin", NULL));
    EXPECT(0, "No such run is recorded", command("ledger", "list", NULL));
}

static void failures_are_on_record_with_their_reason(void)
{
    set_up("failing");
    EXPECT(0, "", command("bench", "fault", "failing", "unpowered", NULL));
    EXPECT(4, "", command("write", placed("app", "gauge.bin"), NULL));
    CHECK_TAKEN("failed|4|connect|no answer from the board on bench:failing",
                cards_ledger("outcome||'|'||exit_code||'|'||failed_at||'|'||reason"));
    CHECK_TAKEN("1", cards_ledger("board IS NULL"));
    EXPECT(0, "", command("bench", "fault", "failing", "none", "protect=0x1c", NULL));
    EXPECT(8, "", command("write", placed("app", "gauge.bin"), NULL));
    CHECK_TAKEN("failed|8", cards_ledger("outcome||'|'||exit_code"));
}

static void runs_are_listed_and_shown(void)
{
    make_rows("listed");
    struct said said = command("ledger", "list", NULL);
    EXPECT(0, "connect: no answer", said);
    CHECK(strstr(said.out, "restore") < strstr(said.out, "backup")); /* the latest first */
    said = command("ledger", "list", "--outcome", "passed", "--kind", "erase", NULL);
    CHECK(says(&said, "erase") && !says(&said, "restore"));
    g_autofree char *board =
        g_strdelimit(cards_query("SELECT lower(max(board)) FROM run"), ":", '-');
    said = command("ledger", "list", "--board", board, "--most", "1", NULL);
    EXPECT(0, "The latest 1; --most 0 shows all", said);
    EXPECT(0, "No such run", command("ledger", "list", "--board", "02:00:00:00:00:09", NULL));
    EXPECT(0, "No such run", command("ledger", "list", "--day", "2001-01-01", NULL));
    EXPECT(0, "restore", command("ledger", "list", "--since", "2001-01-01", NULL));
    EXPECT(0, "No such run", command("ledger", "list", "--until", "2001-01-01", NULL));
    EXPECT(0, "No such run", command("ledger", "list", "--card", "none", NULL));
    g_autofree char *id = cards_query("SELECT substr(id, 1, 12) FROM run WHERE kind = 'restore'");
    said = command("ledger", "show", id, NULL);
    EXPECT(0, "what        restore", said);
    CHECK(says(&said, "rows.zip") && says(&said, "exit code   0"));
    static const char *const labels[] = {"run  ",  "board  ",   "chip  ",   "flash  ",
                                         "link  ", "began  ",   "ended  ",  "computer  ",
                                         "user  ", "program  ", "outcome  "};
    for (size_t i = 0; i < G_N_ELEMENTS(labels); i++) {
        check_context("%s", labels[i]);
        CHECK(says(&said, labels[i]));
    }
    check_context(NULL);
    EXPECT(2, "there is no run 'ffffffffffff'", command("ledger", "show", "ffffffffffff", NULL));
    EXPECT(2, "several runs begin with ''", command("ledger", "show", "", NULL));
    EXPECT(2, "named by its first digits", command("ledger", "show", "x%", NULL));
    EXPECT(2, "is not an address of a board",
           command("ledger", "list", "--board", "gauge-1", NULL));
    EXPECT(2, "is not a day", command("ledger", "list", "--day", "soon", NULL));
    EXPECT(2, "is not a day", command("ledger", "list", "--since", "2026-02-30", NULL));
    EXPECT(2, "is not an outcome", command("ledger", "list", "--outcome", "good", NULL));
    EXPECT(2, "--most: 'all' is not a number", command("ledger", "list", "--most", "all", NULL));
    EXPECT(2, "choose list, boards, lots, before, show, export", command("ledger", NULL));
    EXPECT(2, "a file of this computer: nothing waits", command("ledger", "send", NULL));
}

static void exports_are_read_by_others(void)
{
    make_rows("exported");
    struct said said = command("ledger", "export", "--json", NULL);
    g_autoptr(JsonParser) parser = json_parser_new();
    CHECK(json_parser_load_from_data(parser, said.out, -1, NULL));
    JsonArray *runs =
        json_object_get_array_member(json_node_get_object(json_parser_get_root(parser)), "runs");
    CHECK_EQUAL(6, json_array_get_length(runs));
    EXPECT(0, "", command("ledger", "export", "--csv", "-o", scratch_file("runs.csv"), NULL));
    /* Python's csv module reads the same rows. */
    said = run_program("python3", "-c",
                       "import csv, sys\n"
                       "rows = list(csv.DictReader(open(sys.argv[1], newline='')))\n"
                       "print(len(rows), rows[0]['kind'], rows[-1]['bytes'], rows[1]['reason'])",
                       scratch_file("runs.csv"), NULL);
    EXPECT(0, "6 write 4194304 no answer from the board", said);
    EXPECT(2, "choose --csv or --json", command("ledger", "export", NULL));
    /* What a spreadsheet would run; and a number, which stays one. */
    tables_change(g_getenv("WRYTOGRAPH_LEDGER"),
                  "UPDATE run SET link = '=1+1', heard = '@tide', username = '-7', reason = "
                  "char(9) || 'x', computer = '+44 pier'");
    said = command("ledger", "export", "--csv", NULL);
    CHECK(says(&said, ",'=1+1,") && says(&said, ",'@tide,") && says(&said, ",-7,"));
    CHECK(says(&said, "'\tx") && says(&said, ",'+44 pier,"));
    EXPECT(3, "", command("ledger", "export", "--csv", "-o", "/nowhere/runs.csv", NULL));
}

/* Nothing secret gets into the file, its log, or the logs of boards: not from the card, not from
 * the board's own block, not from what the board says. */
static void secrets_stay_out(void)
{
    static const char *const secrets[] = {"fair winds and no drift", "old moorings"};

    set_up("gauge-2");
    cards_make("set: {wifi_key: old moorings}\n");
    scratch_text("secret.yaml",
                 "card: Secrets\nchip: turnstone-t2\nflash: 4MiB\nwrite:\n"
                 "  - {region: start, file: start.bin}\n"
                 "  - {region: table, file: regions.bin}\n"
                 "  - {region: app, file: gauge.bin}\n"
                 "  - {region: calibration, file: pier.yaml}\n"
                 "boards: {file: keys.csv, row: next}\n"
                 "start: {steps: [{send: set pier fair winds and no drift, expect: set}, "
                 "{send: settings, expect: datum_mm}, "
                 "{expect: old moorings in sight, within: 2s}]}\n");
    scratch_text("keys.csv", "wifi_key\nold moorings\n");
    g_setenv("HARBOUR_WIFI_KEY", secrets[0], TRUE);
    command("write", placed("calibration", "pier.yaml"), NULL);
    EXPECT(
        6, "FAILED at start",
        command("card", "run", scratch_file("secret.yaml"), "--logs", scratch_file("logs"), NULL));
    scratch_use_gauge("gauge-3", "none");
    command("card", "run", scratch_file("secret.yaml"), "--link", "bench:gauge-2", "--link",
            "bench:gauge-3", "--logs", scratch_file("logs"), NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(secrets); i++) {
        g_autofree char *grep =
            g_strdup_printf("grep -rlaF '%s' %s* %s && echo found", secrets[i],
                            g_getenv("WRYTOGRAPH_LEDGER"), scratch_file("logs"));
        struct said said = run_program("sh", "-c", grep, NULL);
        CHECK(!strstr(said.out, "found"));
        if (strstr(said.out, "found"))
            g_printerr("%s\n", said.out);
    }
    /* The test would find them: what is no secret is there. */
    struct said said = run_program("grep", "-rlaF", "pier", scratch_file("logs"), NULL);
    CHECK(strstr(said.out, "gauge-2"));
    g_autofree char *heard =
        cards_query("SELECT heard FROM run WHERE card = 'Secrets' AND heard IS NOT NULL");
    CHECK(strstr(heard, "********"));
}

/* A run whose process is gone never said how it ended; one whose process lives is running. */
static void a_killed_run_is_told_as_cut(void)
{
    g_autofree char *path = g_build_filename(scratch(), "killed.db", NULL);
    pid_t child = fork();

    if (child == 0) {
        struct wry_ledger *ledger = wry_ledger_open(path, NULL);
        struct wry_ledger_run *run = ledger_run_new("write");
        ledger_note(ledger, run, true, NULL);
        kill(getpid(), SIGKILL);
        _exit(1);
    }
    int status = 0;
    CHECK(waitpid(child, &status, 0) == child && WIFSIGNALED(status));
    struct wry_ledger *own = wry_ledger_open(path, NULL);
    struct wry_ledger_run *run = ledger_run_new("erase");
    CHECK(own && ledger_note(own, run, true, NULL));
    struct said said = command("ledger", "list", "--ledger", path, NULL);
    CHECK(says(&said, "cut") && says(&said, "ended without saying how"));
    CHECK(says(&said, "running"));
    wry_ledger_run_free(run);
    wry_ledger_close(own);
}

/* A ledger of the first schema gets what came since; what is there stays. */
static void old_ledgers_are_brought_up_to_date(void)
{
    g_autofree char *path = g_build_filename(scratch(), "old.db", NULL);
    sqlite3 *db = NULL;

    set_up("old");
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(path, &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, ledger_sqlite_migrations[0], NULL, NULL, NULL));
    CHECK_EQUAL(SQLITE_OK,
                sqlite3_exec(db,
                             "PRAGMA user_version = 1; INSERT INTO run (id, kind, began, computer, "
                             "username, program, outcome, waiting) VALUES "
                             "('00000000-0000-4000-8000-000000000001', 'write', "
                             "'2026-01-02T03:04:05.678Z', 'bench-9', 'ada', '0.0.9', 'passed', 0)",
                             NULL, NULL, NULL));
    sqlite3_close(db);
    EXPECT(0, "00000000  2026-01-02 03:04:05", command("ledger", "list", "--ledger", path, NULL));
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(path, &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "DROP INDEX run_board", NULL, NULL, NULL));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "PRAGMA user_version = 99", NULL, NULL, NULL));
    sqlite3_close(db);
    EXPECT(3, "this file has schema 99, made by a newer version of this program",
           command("ledger", "list", "--ledger", path, NULL));
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(path, &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "PRAGMA user_version = -5", NULL, NULL, NULL));
    sqlite3_close(db);
    EXPECT(3, "its schema has the number -5, which no version of this program gave",
           command("ledger", "list", "--ledger", path, NULL));
    /* Work is not refused for that; it is told. */
    EXPECT(0, "Note: this job is not recorded:", command("erase", "log", "--ledger", path, NULL));
}

static void a_ledger_that_cannot_be_used_is_told(void)
{
    set_up("unusable");
    EXPECT(0, "", command("erase", "log", NULL));
    EXPECT(3, "", command("ledger", "list", "--ledger", scratch(), NULL));
    scratch_text("text.db", "this is a text and no database, long enough for a head and more than "
                            "that, so that nobody takes it for one that is new and empty yet");
    EXPECT(3, "not a database",
           command("ledger", "list", "--ledger", scratch_file("text.db"), NULL));
    EXPECT(0, "Note: this job is not recorded:",
           command("erase", "log", "--ledger", scratch_file("text.db"), NULL));
    /* Locked by somebody for longer than anybody waits. */
    sqlite3 *db = NULL;
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(g_getenv("WRYTOGRAPH_LEDGER"), &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "BEGIN EXCLUSIVE", NULL, NULL, NULL));
    EXPECT(0, "Note: this job is not recorded:", command("erase", "log", NULL));
    sqlite3_close(db);
    /* And one that was begun and never came to a table: SQLite itself waits there, each time. */
    const char *begun = scratch_file("begun.db");
    scratch_write("begun.db", "", 0);
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(begun, &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "BEGIN EXCLUSIVE", NULL, NULL, NULL));
    EXPECT(3, "locked",
           run_program("timeout", "60", command_path(), "ledger", "list", "--ledger", begun, NULL));
    sqlite3_close(db);
}

/* Benches of one computer that write at once lose nothing. */
static void many_may_write_at_once(void)
{
    enum { WRITERS = 4, RUNS = 25 };
    g_autofree char *path = g_build_filename(scratch(), "shared.db", NULL);
    pid_t children[WRITERS];

    for (size_t i = 0; i < WRITERS; i++) {
        children[i] = fork();
        if (children[i] != 0)
            continue;
        struct wry_ledger *ledger = wry_ledger_open(path, NULL);
        bool good = ledger != NULL;
        for (unsigned k = 0; k < RUNS && good; k++) {
            struct wry_ledger_run *run = ledger_run_new("write");
            good = ledger_note(ledger, run, true, NULL);
            g_free(run->outcome);
            run->outcome = g_strdup("passed");
            good = good && ledger_end(ledger, run, NULL);
            wry_ledger_run_free(run);
        }
        wry_ledger_close(ledger);
        _exit(good ? 0 : 1);
    }
    for (size_t i = 0; i < WRITERS; i++) {
        int status = 1;
        CHECK(waitpid(children[i], &status, 0) == children[i] && status == 0);
    }
    struct wry_ledger *ledger = wry_ledger_open(path, NULL);
    struct wry_ledger_filter filter = {.outcome = "passed"};
    g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, NULL);
    CHECK(runs && runs->len == WRITERS * RUNS);
    wry_ledger_close(ledger);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(what_changes_or_saves_a_flash_is_on_record),
                                        FACT(a_row_of_anything_ends_no_view),
                                        FACT(a_row_of_bytes_is_shown_as_text),
                                        FACT(what_only_looks_is_not),
                                        FACT(a_row_of_nothing_ends_no_view),
                                        FACT(failures_are_on_record_with_their_reason),
                                        FACT(runs_are_listed_and_shown),
                                        FACT(exports_are_read_by_others),
                                        FACT(secrets_stay_out),
                                        FACT(a_killed_run_is_told_as_cut),
                                        FACT(old_ledgers_are_brought_up_to_date),
                                        FACT(a_ledger_that_cannot_be_used_is_told),
                                        FACT(many_may_write_at_once)};
    scratch_make_images();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
