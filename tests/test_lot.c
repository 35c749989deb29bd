/* Lots: which boards of a card are done, failed and left, and doing only some of them. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "desk.h"
#include "harness.h"
#include "tables.h"
#include "wrytograph-host/lot.h"

/* Only settings: a lot is many runs. */
static void make_card(const char *lines)
{
    g_autofree char *text = g_strconcat("card: Pier gauges\nversion: 3\nchip: turnstone-t2\n"
                                        "flash: 4MiB\nbackup: {when: never}\n",
                                        lines ? lines : "", NULL);

    scratch_text("card.yaml", text);
}

static const char *card_of_lot(const char *name, const char *rows)
{
    g_autofree char *table = g_strdup_printf("%s.csv", name);
    g_autofree char *lines =
        g_strdup_printf("boards: {file: %s, row: next, name: [gauge, pier]}\n", table);

    make_card(lines);
    scratch_text(table, rows);
    return scratch_file("card.yaml");
}

static struct said run(const char *lot, const char *board, const char *more, const char *value)
{
    g_autofree char *link = g_strdup_printf("bench:%s", board);

    return command("card", "run", scratch_file("card.yaml"), "--link", link, "--lot", lot, more,
                   value, NULL);
}

static void add(const char *name, const char *fault)
{
    scratch_use_gauge(name, fault);
}

static void set_fault(const char *name, const char *fault)
{
    EXPECT(0, "", command("bench", "fault", name, "none", NULL));
    EXPECT(0, "", command("bench", "fault", name, fault, NULL));
}

static struct wry_lot *read_lot(const char *name)
{
    g_autoptr(GPtrArray) mistakes = NULL;
    struct wry_card *card = wry_card_open(scratch_file("card.yaml"), NULL, &mistakes, NULL);
    struct wry_ledger *ledger = wry_ledger_open(NULL, NULL);
    struct wry_lot *lot = wry_lot_read(ledger, card, name, NULL);

    CHECK(card && ledger && lot);
    wry_ledger_close(ledger);
    wry_card_close(card);
    return lot;
}

/* "done failed running left of total, silent" */
static void check_lot(const char *name, const char *expected, int line)
{
    struct wry_lot *lot = read_lot(name);
    g_autofree char *found = g_strdup_printf("%u %u %u %u of %u, %u", lot->done, lot->failed,
                                             lot->running, lot->left, lot->total, lot->silent->len);

    check_text(expected, found, __FILE__, line, name);
    wry_lot_free(lot);
}

#define CHECK_LOT(expected, name) check_lot((name), (expected), __LINE__)

#define FOUR_ROWS "gauge,pier\n1,A\n2,B\n3,C\n4,D\n"

static void a_lot_is_counted(void)
{
    card_of_lot("counted", FOUR_ROWS);
    add("c-1", "none");
    add("c-2", "protect=0x1c");
    add("c-3", "unpowered");
    CHECK_LOT("0 0 0 4 of 4, 0", "counted");
    EXPECT(0, "Lot counted: 1 of 4 done", run("counted", "c-1", NULL, NULL));
    CHECK_LOT("1 0 0 3 of 4, 0", "counted");
    EXPECT(8, "Lot counted: 1 of 4 done, 1 to retry", run("counted", "c-2", NULL, NULL));
    CHECK_LOT("1 1 0 2 of 4, 0", "counted");
    /* A board that never gave its address is nobody's row. */
    run("counted", "c-3", NULL, NULL);
    CHECK_LOT("1 1 0 2 of 4, 1", "counted");
    struct wry_lot *lot = read_lot("counted");
    const struct wry_lot_board *failed = g_ptr_array_index(lot->boards, 1);
    CHECK_EQUAL(WRY_LOT_FAILED, failed->state);
    CHECK_TEXT("gauge 2, pier B", failed->name);
    CHECK_TEXT("write", failed->failed_at);
    CHECK(strstr(failed->reason, "write-protected") &&
          strstr(failed->advice, "--clear-protection"));
    CHECK_EQUAL(3, failed->row);
    CHECK(strstr(((struct wry_lot_board *)g_ptr_array_index(lot->silent, 0))->advice, "no power"));
    wry_lot_free(lot);
    /* Once it passes, it is done; a later failure takes that back. */
    set_fault("c-2", "none");
    run("counted", "c-2", NULL, NULL);
    CHECK_LOT("2 0 0 2 of 4, 1", "counted");
    set_fault("c-2", "protect=0x1c");
    run("counted", "c-2", NULL, NULL);
    CHECK_LOT("1 1 0 2 of 4, 1", "counted");
}

/* A row that was set aside by hand, and one that an older version of the program marked as used. */
static void the_table_counts_too(void)
{
    card_of_lot("marked", "gauge,pier,address,used\n1,A,02:57:00:00:00:01,2026-11-01T10:00:00Z\n"
                          "2,B,,broken\n3,C,,\n");
    CHECK_LOT("1 0 0 1 of 2, 0", "marked");
}

/* A run of a card as the ledger has it; row: its line, or -1. */
static void record(const char *lot, const char *board, int row, int minutes, const char *outcome)
{
    g_autofree char *sql = g_strdup_printf(
        "INSERT INTO run (id, kind, began, ended, computer, username, program, link, board, card, "
        "outcome, lot, lot_row) VALUES ('%s-%s-%d', 'card', "
        "strftime('%%Y-%%m-%%dT%%H:%%M:%%fZ', 'now', '-%d minutes'), "
        "strftime('%%Y-%%m-%%dT%%H:%%M:%%fZ', 'now', '-%d minutes'), 'bench-2', 'ann', '0.2.0', "
        "'/dev/x', '%s', 'Pier gauges', '%s', '%s', %s)",
        lot, board, minutes, minutes, minutes, board, outcome, lot,
        row > 0 ? (const char[]){(char)('0' + row), '\0'} : "NULL");

    tables_change(g_getenv("WRYTOGRAPH_LEDGER"), sql);
}

/* What other benches did to boards that this bench's table does not have. */
static void a_row_is_that_of_the_board_that_has_it_now(void)
{
    card_of_lot("now", FOUR_ROWS);
    EXPECT(0, "", command("ledger", "list", NULL));
    /* One board passed, and failed later before it got its row: one board, and failed. */
    record("now", "02:57:00:00:00:01", 2, 50, "passed");
    record("now", "02:57:00:00:00:01", -1, 10, "failed");
    CHECK_LOT("0 1 0 3 of 4, 0", "now");
    /* A faulty board was replaced: the row is done, and the faulty one is nobody's. */
    record("now", "02:57:00:00:00:02", 3, 40, "failed");
    record("now", "02:57:00:00:00:03", 3, 20, "passed");
    CHECK_LOT("1 1 0 2 of 4, 0", "now");
    /* A row that was given to another board in the table, which was not there yet, is left. */
    scratch_text("now.csv", "gauge,pier,address\n1,A,\n2,B,\n3,C,02:57:00:00:00:05\n4,D,\n");
    record("now", "02:57:00:00:00:04", 4, 15, "passed");
    CHECK_LOT("1 1 0 2 of 4, 0", "now");
}

/* A ledger that cannot be used is not a lot in which all is well. */
static void without_its_ledger_a_lot_is_not_known(void)
{
    card_of_lot("unknown", "gauge,pier\n1,A\n");
    add("u-1", "none");
    EXPECT(0, "Lot unknown: 1 of 1 done", run("unknown", "u-1", NULL, NULL));
    scratch_text("broken.db", "no database\n");
    struct said said = run("unknown", "u-1", "--ledger", scratch_file("broken.db"));
    EXPECT(0, "this job is not recorded", said);
    CHECK(says(&said, "PASSED") && !says(&said, "Lot unknown"));
    said = command("card", "run", scratch_file("card.yaml"), "--only", "gauge 1", "--link",
                   "bench:u-1", "--lot", "unknown", "--ledger", scratch_file("broken.db"), NULL);
    EXPECT(0, "PASSED", said);
    EXPECT(1, "there is no ledger",
           command("card", "run", scratch_file("card.yaml"), "--failed", "--link", "bench:u-1",
                   "--lot", "unknown", "--ledger", scratch_file("broken.db"), NULL));
}

static void a_refusal_is_no_failure(void)
{
    card_of_lot("refused", "gauge,pier\n1,A\n");
    add("r-1", "none");
    add("r-2", "none");
    EXPECT(0, "PASSED", run("refused", "r-1", NULL, NULL));
    EXPECT(3, "no row is free", run("refused", "r-2", NULL, NULL));
    CHECK_LOT("1 0 0 0 of 1, 0", "refused");
}

static void only_failed_boards_are_done_again(void)
{
    card_of_lot("again", FOUR_ROWS);
    add("a-1", "none");
    add("a-2", "protect=0x1c");
    add("a-3", "none");
    run("again", "a-1", NULL, NULL);
    run("again", "a-2", NULL, NULL);
    EXPECT(0, "DONE BEFORE", run("again", "a-1", "--failed", NULL));
    struct said said = run("again", "a-3", "--failed", NULL);
    EXPECT(5, "this board has not failed in the lot 'again'", said);
    CHECK(says(&said, "Leave out --failed"));
    CHECK_LOT("1 1 0 2 of 4, 0", "again");
    set_fault("a-2", "none");
    EXPECT(0, "PASSED  gauge 2, pier B", run("again", "a-2", "--failed", NULL));
    CHECK_LOT("2 0 0 2 of 4, 0", "again");
    /* Without a lot there is nothing to look up. */
    make_card("set: {datum_mm: -1812}\n");
    EXPECT(
        2, "--failed: these runs belong to no lot",
        command("card", "run", scratch_file("card.yaml"), "--failed", "--link", "bench:a-1", NULL));
}

static void only_given_rows_are_assigned(void)
{
    card_of_lot("only", FOUR_ROWS);
    add("o-1", "none");
    add("o-2", "none");
    EXPECT(0, "PASSED  gauge 3, pier C", run("only", "o-1", "--only", "gauge 3"));
    EXPECT(3, "which --only does not name", run("only", "o-1", "--only", "2"));
    EXPECT(3, "none of the rows given by --only is free", run("only", "o-2", "--only", "4"));
    EXPECT(0, "PASSED  gauge 1, pier A", run("only", "o-2", "--only", "2-3"));
    EXPECT(0, "PASSED  gauge 1, pier A", run("only", "o-2", "--only", "gauge 1, pier A"));
    EXPECT(2, "the table has no row in line 9", run("only", "o-2", "--only", "9"));
    EXPECT(2, "no row of the table is 'gauge 7'", run("only", "o-2", "--only", "gauge 7"));
    CHECK_LOT("2 0 0 2 of 4, 0", "only");
    make_card("set: {datum_mm: -1812}\n");
    EXPECT(2, "this card has no table", run("only", "o-2", "--only", "2"));
}

static void a_card_without_a_table_gives_the_number(void)
{
    make_card("count: 2\nset: {datum_mm: -1812}\n");
    add("n-1", "none");
    add("n-2", "none");
    EXPECT(0, "Lot number: 1 of 2 done", run("number", "n-1", NULL, NULL));
    EXPECT(0, "Lot number: 1 of 2 done", run("number", "n-1", NULL, NULL));
    EXPECT(0, "Lot number: 2 of 2 done", run("number", "n-2", NULL, NULL));
    CHECK_LOT("2 0 0 0 of 2, 0", "number");
    make_card("count: 2\nboards: {file: number.csv, row: next}\n");
    scratch_text("number.csv", "gauge\n1\n");
    struct said said = command("card", "check", scratch_file("card.yaml"), NULL);
    EXPECT(3, "'count', and 'boards': the table has a row for each board", said);
    make_card("count: 0\n");
    EXPECT(3, "count", command("card", "check", scratch_file("card.yaml"), NULL));
}

/* Several places at once: it ends by itself when the lot is done. */
static void several_places_work_through_a_lot(void)
{
    card_of_lot("places", "gauge,pier\n1,A\n2,B\n3,C\n");
    add("p-1", "none");
    add("p-2", "none");
    add("p-3", "none");
    struct said said =
        command("card", "run", scratch_file("card.yaml"), "--each", "--link", "bench:p-1", "--link",
                "bench:p-2", "--link", "bench:p-3", "--lot", "places", NULL);
    EXPECT(0, "Lot places: 3 of 3 done. All boards are done.", said);
    CHECK(says(&said, "bench:p-2    PASSED  gauge ") && says(&said, "3 boards passed, 0 failed."));
    CHECK_LOT("3 0 0 0 of 3, 0", "places");
    /* The second time there is nothing to do. */
    said = command("card", "run", scratch_file("card.yaml"), "--each", "--link", "bench:p-1",
                   "--lot", "places", NULL);
    EXPECT(0, "All boards are done.", said);
    CHECK(!says(&said, "Waiting for a board"));
    EXPECT(0, "\"done\" : 3",
           command("card", "run", scratch_file("card.yaml"), "--each", "--link", "bench:p-1",
                   "--link", "bench:p-2", "--lot", "places", "--json", NULL));
}

/* A lot that is done is left alone, unless its boards are to be done again. */
static void a_lot_that_is_done_may_be_done_again(void)
{
    struct desk desk;

    card_of_lot("done", "gauge,pier\n1,A\n");
    add("f-1", "none");
    EXPECT(0, "PASSED", run("done", "f-1", NULL, NULL));
    EXPECT(0, "All boards are done.",
           command("card", "run", scratch_file("card.yaml"), "--each", "--link", "bench:f-1",
                   "--lot", "done", NULL));
    desk_begin(&desk, 100, 40, "card", "run", scratch_file("card.yaml"), "--each", "--again",
               "--link", "bench:f-1", "--lot", "done", NULL);
    CHECK(desk_see(&desk, "PASSED  gauge 1, pier A"));
    CHECK(desk_see(&desk, "Remove the board."));
    desk_type(&desk, "\x03");
    desk_watch(&desk);
    CHECK_EQUAL(0, desk_end(&desk));
}

static void a_place_that_is_no_link_is_told(void)
{
    card_of_lot("bad", "gauge,pier\n1,A\n");
    add("b-1", "none");
    struct said said = command("card", "run", scratch_file("card.yaml"), "--each", "--link",
                               "nonsense", "--link", "bench:b-1", "--lot", "bad", NULL);
    EXPECT(0, "nonsense: 'nonsense' is not a link", said);
    CHECK(says(&said, "1 board passed, 0 failed."));
    card_of_lot("worse", "gauge,pier\n1,A\n");
    EXPECT(2, "is not a link",
           command("card", "run", scratch_file("card.yaml"), "--each", "--link", "nonsense",
                   "--link", "nowhere", "--lot", "worse", NULL));
}

/* At a terminal: the next board is named, a silent one is tried by a key, and what failed is
 * listed. */
static void a_lot_at_a_terminal(void)
{
    struct desk desk;

    card_of_lot("desk", "gauge,pier\n1,A\n2,B\n");
    add("d-1", "unpowered");
    desk_begin(&desk, 100, 40, "card", "run", scratch_file("card.yaml"), "--each", "--link",
               "bench:d-1", "--lot", "desk", NULL);
    CHECK(desk_see(&desk, "gauge 1, pier A (line 2)  (0 of 2 done)"));
    CHECK(desk_see(&desk, "Enter begins at once"));
    desk_type(&desk, "\n");
    CHECK(desk_see(&desk, "FAILED at connect: no answer"));
    CHECK(desk_see(&desk, "most likely it has no power"));
    /* The board is away for the command: the next one is waited for. */
    while (command("bench", "fault", "d-1", "none", NULL).code != 0)
        continue;
    CHECK(desk_see(&desk, "PASSED  gauge 1, pier A"));
    CHECK(desk_see(&desk, "Remove the board. 1 of 2 done"));
    desk_type(&desk, "\n");
    CHECK(desk_see(&desk, "gauge 2, pier B (line 3)"));
    desk_type(&desk, "\x03");
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "Lot desk: 1 of 2 done"));
    CHECK_EQUAL(4, desk_end(&desk));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_lot_is_counted),
        FACT(the_table_counts_too),
        FACT(a_row_is_that_of_the_board_that_has_it_now),
        FACT(without_its_ledger_a_lot_is_not_known),
        FACT(a_refusal_is_no_failure),
        FACT(only_failed_boards_are_done_again),
        FACT(only_given_rows_are_assigned),
        FACT(a_card_without_a_table_gives_the_number),
        FACT(several_places_work_through_a_lot),
        FACT(a_lot_that_is_done_may_be_done_again),
        FACT(a_place_that_is_no_link_is_told),
        FACT(a_lot_at_a_terminal),
    };

    int code = 0;

    scratch_make_images();
    code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
