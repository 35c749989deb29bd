/* Questions to the ledger: by a part of an address, by firmware, by day, by lot, and what was on a
 * board before. */
#include <glib.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cards.h"
#include "cli/views/times.h"
#include "command.h"
#include "harness.h"
#include "tables.h"
#include "wrytograph-host/ledger.h"

static void execute(const char *sql)
{
    tables_change(g_getenv("WRYTOGRAPH_LEDGER"), sql);
}

/* A run of a card; began: SQLite's words for a time from now, such as "-3 days". */
static void add_run(const char *id, const char *board, const char *began, const char *outcome,
                    const char *firmware, const char *lot)
{
    g_autofree char *quoted = firmware ? g_strdup_printf("'%s'", firmware) : g_strdup("NULL");
    g_autofree char *sql = g_strdup_printf(
        "INSERT INTO run (id, kind, began, ended, computer, username, program, board, card, "
        "outcome, firmware, lot, failed_at, reason) VALUES ('%s', 'card', "
        "strftime('%%Y-%%m-%%dT%%H:%%M:%%fZ', 'now', '%s'), "
        "strftime('%%Y-%%m-%%dT%%H:%%M:%%fZ', 'now', '%s'), 'bench', 'ann', '0.2.0', '%s', "
        "'Pier gauges', '%s', %s, '%s', %s, %s)",
        id, began, began, board, outcome, quoted, lot,
        strcmp(outcome, "failed") == 0 ? "'write'" : "NULL",
        strcmp(outcome, "failed") == 0 ? "'the link was lost'" : "NULL");

    execute(sql);
}

static void begin_empty(void)
{
    EXPECT(0, "", command("ledger", "list", NULL));
    execute("DELETE FROM run");
}

#define ONE "02:57:00:00:00:01"
#define TWO "02:57:00:00:AB:02"
#define THREE "02:57:00:00:AB:03"

static void a_board_is_found_by_a_part_of_its_address(void)
{
    begin_empty();
    add_run("a1", ONE, "-1 hours", "passed", NULL, "spring");
    add_run("a2", TWO, "-1 hours", "passed", NULL, "spring");
    add_run("a3", THREE, "-1 hours", "passed", NULL, "spring");
    struct said said = command("ledger", "list", "--board", "ab:02", NULL);
    EXPECT(0, TWO, said);
    CHECK(!says(&said, ONE) && !says(&said, THREE));
    EXPECT(0, THREE, command("ledger", "list", "--board", "0ab03", NULL));
    EXPECT(2, "board: several have 'AB'", command("ledger", "list", "--board", "AB", NULL));
    EXPECT(2, TWO ", " THREE, command("ledger", "list", "--board", "AB", NULL));
    EXPECT(2, "nothing in the ledger has 'CD'", command("ledger", "list", "--board", "CD", NULL));
    EXPECT(2, "is not an address", command("ledger", "list", "--board", "gauge", NULL));
    /* A whole address is taken as it is, known or not. */
    EXPECT(0, "No such run", command("ledger", "list", "--board", "02:57:00:00:00:99", NULL));
}

static void boards_have_the_firmware_written_last(void)
{
    begin_empty();
    add_run("b1", ONE, "-3 days", "passed", "tide-gauge 2.3.0", "spring");
    add_run("b2", ONE, "-2 days", "passed", "tide-gauge 2.3.1", "spring");
    add_run("b3", ONE, "-1 days", "failed", "tide-gauge 2.4.0", "summer");
    add_run("b4", TWO, "-2 days", "passed", "tide-gauge 2.3.0", "spring");
    add_run("b5", TWO, "-1 hours", "refused", NULL, "spring");
    struct said said = command("ledger", "boards", "--firmware", "2.3.1", NULL);
    EXPECT(0, ONE, said);
    CHECK(!says(&said, TWO));
    said = command("ledger", "boards", "--firmware", "2.3.0", NULL);
    CHECK(says(&said, TWO) && !says(&said, ONE));
    EXPECT(0, "No such board", command("ledger", "boards", "--firmware", "2.4.0", NULL));
    EXPECT(2, "--firmware: several have '2.3'",
           command("ledger", "boards", "--firmware", "2.3", NULL));
    EXPECT(2, "nothing in the ledger has '9'",
           command("ledger", "boards", "--firmware", "9", NULL));
    /* Without a selection: the latest run of each that did something. */
    said = command("ledger", "boards", NULL);
    CHECK(says(&said, "failed at write: the link was lost") && says(&said, "2.4.0"));
    CHECK(says(&said, TWO) && !says(&said, "refused"));
}

static void boards_that_failed_and_did_not_pass_since(void)
{
    begin_empty();
    add_run("c1", ONE, "-2 days", "failed", NULL, "spring");
    add_run("c2", ONE, "-1 days", "passed", NULL, "spring");
    add_run("c3", TWO, "-2 days", "failed", NULL, "spring");
    add_run("c4", TWO, "-1 days", "refused", NULL, "spring");
    add_run("c5", THREE, "-40 days", "failed", NULL, "spring");
    add_run("c6", "02:57:00:00:AB:04", "-3 hours", "cut", NULL, "spring");
    add_run("c7", "02:57:00:00:AB:05", "-1 hours", "stopped", NULL, "spring");
    struct said said = command("ledger", "boards", "--failed", NULL);
    EXPECT(0, TWO, said);
    CHECK(says(&said, THREE) && !says(&said, ONE));
    /* A board whose run was killed or stopped has not passed; the latest comes first. */
    CHECK(says(&said, "AB:04") && says(&said, "AB:05"));
    CHECK(strstr(said.out, "AB:05") < strstr(said.out, "AB:04") &&
          strstr(said.out, "AB:04") < strstr(said.out, TWO));
    said = command("ledger", "boards", "--failed", "--most", "1", NULL);
    CHECK(says(&said, "AB:05") && !says(&said, "AB:04"));
    said = command("ledger", "boards", "--failed", "--since", "3 days ago", NULL);
    CHECK(says(&said, TWO) && !says(&said, THREE));
    EXPECT(0, "\"board\" : \"" TWO "\"",
           command("ledger", "boards", "--failed", "--since", "3 days ago", "--json", NULL));
}

static void boards_that_a_card_has_left(void)
{
    begin_empty();
    cards_make("boards: {file: left.csv, row: next, name: [gauge, pier]}\n");
    scratch_text("left.csv", "gauge,pier,address\n1,A," ONE "\n2,B," TWO "\n3,C,\n");
    add_run("d1", ONE, "-2 hours", "passed", NULL, "spring");
    add_run("d2", TWO, "-1 hours", "failed", NULL, "spring");
    struct said said =
        command("ledger", "boards", "--left", scratch_file("card.yaml"), "--lot", "spring", NULL);
    EXPECT(0, "gauge 3, pier C", said);
    CHECK(says(&said, "write: the link was lost") && !says(&said, "gauge 1, pier A"));
    CHECK(says(&said, "Lot spring: 1 of 3 done, 1 to retry"));
    EXPECT(0, "\"state\" : \"failed\"",
           command("ledger", "boards", "--left", scratch_file("card.yaml"), "--lot", "spring",
                   "--json", NULL));
    cards_make(NULL);
    EXPECT(2, "does not say which boards it is for",
           command("ledger", "boards", "--left", scratch_file("card.yaml"), NULL));
    EXPECT(3, "No such file", command("ledger", "boards", "--left", "/nowhere/card.yaml", NULL));
}

static void lots_are_listed(void)
{
    begin_empty();
    EXPECT(0, "No lot is recorded", command("ledger", "lots", NULL));
    add_run("e1", ONE, "-2 hours", "passed", NULL, "spring round");
    add_run("e2", TWO, "-1 hours", "failed", NULL, "spring round");
    add_run("e3", TWO, "-1 hours", "passed", NULL, "summer");
    EXPECT(0, "\"done\" : 1,\n      \"failed\" : 1", command("ledger", "lots", "--json", NULL));
    EXPECT(0, "spring round     1       1", command("ledger", "lots", NULL));
    struct said said = command("ledger", "list", "--lot", "sum", NULL);
    CHECK(says(&said, "e3") && !says(&said, "e1"));
}

/* From real runs: a backup, an upgrade, and the way back. */
static void what_was_on_a_board_before(void)
{
    begin_empty();
    cards_make(NULL);
    scratch_use_gauge("before-1", "none");
    EXPECT(5, "no change of board", command("ledger", "before", "02:57:00:00:00:01", NULL));
    EXPECT(0, "PASSED", command("card", "run", scratch_file("card.yaml"), NULL));
    g_autofree char *board = cards_ledger("board");
    struct said said = command("ledger", "before", board + 12, NULL);
    EXPECT(0, "The ledger alone does not tell which application it had.", said);
    CHECK(says(&said, "it holds start: gauge-start 1.0.2, app: tide-gauge 2.3.0"));
    CHECK(says(&said, "To go back: wrytograph restore "));
    g_autofree char *backup = cards_ledger("backup_file");
    EXPECT(0, "Restored", command("restore", backup, NULL));
    EXPECT(0, "PASSED", command("card", "run", scratch_file("card.yaml"), NULL));
    EXPECT(0, "Nothing to write", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "By the ledger, its application was tide-gauge 2.3.1.",
           command("ledger", "before", board, NULL));
    CHECK(remove(backup) == 0);
    cards_make("times: any\n");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("card.yaml"), NULL));
    EXPECT(0, "\"firmware\" : \"tide-gauge 2.3.1\"",
           command("ledger", "before", board, "--json", NULL));
}

/* Days. */

static char *period(const char *text)
{
    g_autofree char *begin = NULL, *end = NULL;

    return times_period(text, &begin, &end) ? g_strconcat(begin, " ", end, NULL) : NULL;
}

static void check_period(const char *expected, const char *text, int line)
{
    g_autofree char *found = period(text);

    check_text(expected, found, __FILE__, line, text);
}

#define CHECK_PERIOD(expected, text) check_period((expected), (text), __LINE__)

static double length_of(const char *text)
{
    g_autofree char *found = period(text);
    g_auto(GStrv) ends = g_strsplit(found ? found : "", " ", 2);
    g_autoptr(GDateTime) begin = g_date_time_new_from_iso8601(ends[0], NULL);
    g_autoptr(GDateTime) end = g_date_time_new_from_iso8601(ends[1], NULL);

    return (double)g_date_time_difference(end, begin) / G_TIME_SPAN_HOUR;
}

static void days_are_local(void)
{
    g_setenv("TZ", "CET-1CEST,M3.5.0,M10.5.0/3", TRUE);
    tzset();
    CHECK_PERIOD("2026-11-28T23:00:00Z 2026-11-29T23:00:00Z", "2026-11-29");
    /* 25 hours on the day when summer time ends. */
    CHECK_PERIOD("2026-10-24T22:00:00Z 2026-10-25T23:00:00Z", "2026-10-25");
    CHECK_PERIOD("2026-07-01T12:05:00Z 2026-07-01T12:06:00Z", "2026-07-01 14:05");
    CHECK_PERIOD(NULL, "2026-02-30");
    CHECK_PERIOD(NULL, "2026-11-29x");
    CHECK_PERIOD(NULL, "2026-11-29 14");
    CHECK_PERIOD(NULL, "next week");
    CHECK_PERIOD(NULL, "3 moons ago");
    CHECK_PERIOD(NULL, "");
    g_autofree char *shown = times_local("2026-07-01T12:05:09.123Z");
    CHECK_TEXT("2026-07-01 14:05:09 CEST", shown);
    g_autofree char *day = times_day("2026-11-29T23:30:00.000Z");
    CHECK_TEXT("2026-11-30", day);
    g_autofree char *odd = times_local("once");
    CHECK_TEXT("once", odd);
    g_setenv("TZ", "UTC", TRUE);
    tzset();
    CHECK(length_of("today") == 24 && length_of("Yesterday") == 24);
    CHECK(length_of("last week") == 7 * 24 && length_of("this week") == 7 * 24);
    CHECK(length_of("last month") >= 28 * 24 && length_of("this month") <= 31 * 24);
    CHECK(length_of("2 days ago") == 0 && length_of("1 week ago") == 0);
}

static void days_select_runs(void)
{
    begin_empty();
    add_run("f1", ONE, "-20 minutes", "passed", NULL, "spring");
    add_run("f2", TWO, "-9 days", "passed", NULL, "spring");
    struct said said = command("ledger", "list", "--since", "1 hour ago", NULL);
    CHECK(says(&said, "f1") && !says(&said, "f2"));
    said = command("ledger", "list", "--until", "3 days ago", NULL);
    CHECK(says(&said, "f2") && !says(&said, "f1"));
    EXPECT(2, "--since: 'soon' is not a day", command("ledger", "list", "--since", "soon", NULL));
    EXPECT(2, "--day, and --since or --until",
           command("ledger", "list", "--day", "today", "--since", "today", NULL));
    g_setenv("TZ", "XYZ-5", TRUE);
    EXPECT(0, " XYZ", command("ledger", "list", NULL));
    EXPECT(0, " UTC", command("ledger", "list", "--utc", NULL));
    g_unsetenv("TZ");
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_board_is_found_by_a_part_of_its_address),
        FACT(boards_have_the_firmware_written_last),
        FACT(boards_that_failed_and_did_not_pass_since),
        FACT(boards_that_a_card_has_left),
        FACT(lots_are_listed),
        FACT(what_was_on_a_board_before),
        FACT(days_are_local),
        FACT(days_select_runs),
    };

    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return code;
}
