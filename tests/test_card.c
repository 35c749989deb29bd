/* Cards on a board: from connecting to the outcome, and again after whatever went wrong. */
#include <glib.h>
#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <stdlib.h>
#include <string.h>

#include "cards.h"
#include "command.h"
#include "harness.h"

static struct said run_card(const char *more)
{
    return command("card", "run", scratch_file("card.yaml"), more, NULL);
}

/* A board of its own for this fact, and the usual card. */
static void set_up(const char *name)
{
    cards_make(NULL);
    scratch_use_gauge(name, "none");
}

/* As its description has it; free with g_free. */
static char *address_of(const char *name)
{
    g_autofree char *file = g_strdup_printf("bench/%s/board.yaml", name);
    size_t n = 0;
    g_autofree char *yaml = (char *)scratch_read(file, &n);

    return g_strndup(strstr(yaml, "address: ") + strlen("address: "), 17);
}

/* The whole flash after a card: images in place, the log erased, all else as it was. */
static void check_flash(const char *name)
{
    size_t n = 0, length = 0;
    g_autofree uint8_t *flash = scratch_flash(name, &n);
    g_autofree uint8_t *before = scratch_read("returned-1.bin", &length);
    static const struct {
        const char *file;
        size_t at;
    } images[] = {{"start.bin", 0x4000}, {"regions.bin", 0xE000}, {"gauge.bin", 0x40000}};

    CHECK_EQUAL(0x400000, n);
    CHECK_EQUAL(0x400000, length);
    memset(before + 0x1C0000, 0xFF, 0x400000 - 0x1C0000);
    for (size_t i = 0; i < G_N_ELEMENTS(images); i++) {
        size_t bytes = 0;
        g_autofree uint8_t *image = scratch_read(images[i].file, &bytes);
        memcpy(before + images[i].at, image, bytes);
        /* The flash size in a boot header is set to the board's. */
        if (memcmp(flash + images[i].at, image, bytes) != 0)
            memcpy(before + images[i].at, flash + images[i].at, 64);
    }
    CHECK(memcmp(flash, before, n) == 0);
}

static void a_card_does_it_all(void)
{
    set_up("gauge-1");
    struct said said = run_card(NULL);
    EXPECT(0, "PASSED  tide-gauge 2.3.1  02:57:B8:FE:82:F1  Pier gauges 3", said);
    check_flash("gauge-1");
    g_autofree char *board = cards_ledger("board");
    CHECK(strcmp(board, "02:57:B8:FE:82:F1") == 0);
    g_autofree char *outcome = cards_ledger("kind || outcome || exit_code || card || card_version");
    CHECK(strcmp(outcome, "cardpassed0Pier gauges3") == 0);
    g_autofree char *steps =
        cards_ledger("(SELECT group_concat(json_extract(value, '$.step') || '=' || "
                     "json_extract(value, '$.outcome')) FROM json_each(steps))");
    CHECK(strcmp(
              steps,
              "connect=passed,check=passed,backup=passed,erase=passed,write=passed,start=passed") ==
          0);
    g_autofree char *heard = cards_ledger("heard");
    CHECK(strstr(heard, "gauge ready") && strstr(heard, "tide-gauge 2.3.1"));
    /* The backup is there, and is what the ledger says. */
    g_autofree char *backup = cards_ledger("backup_file");
    g_autofree char *digest = cards_ledger("backup_sha256");
    struct said sum = run_program("sha256sum", backup, NULL);
    CHECK(g_str_has_prefix(sum.out, digest) && strlen(digest) == 64);
    EXPECT(0, "02:57:B8:FE:82:F1", command("inspect", backup, NULL));
    /* So are the images. */
    g_autofree char *image = cards_ledger("json_extract(contents, '$[2].sha256')");
    sum = run_program("sha256sum", scratch_file("gauge.bin"), NULL);
    CHECK(g_str_has_prefix(sum.out, image) && strlen(image) == 64);
}

static void running_it_again_is_harmless(void)
{
    set_up("again");
    EXPECT(0, "PASSED", run_card(NULL));
    g_autofree char *before = cards_query("SELECT count(*) FROM run");
    struct said said = run_card(NULL);
    EXPECT(0, "This board had the card before", said);
    CHECK(says(&said, "backup      0.0 s  not needed"));
    check_flash("again");
    g_autofree char *count = cards_query("SELECT count(*) FROM run");
    CHECK_EQUAL(atoi(before) + 1, atoi(count));
}

static void a_dry_run_changes_nothing(void)
{
    size_t n = 0;

    set_up("gauge-2");
    EXPECT(0, "", command("erase", "log", NULL));
    g_autofree char *runs = cards_query("SELECT count(*) FROM run");
    g_autofree uint8_t *before = scratch_flash("gauge-2", &n);
    struct said said = run_card("--dry-run");
    EXPECT(0, "Nothing was changed (--dry-run)", said);
    CHECK(says(&said, "Would erase") && says(&said, "Would write"));
    CHECK(scratch_flash_is("gauge-2", before, n));
    g_autofree char *count = cards_query("SELECT count(*) FROM run");
    CHECK_TEXT(runs, count);
}

static void the_wrong_board_is_left_alone(void)
{
    size_t n = 0;
    static const struct {
        const char *chip, *flash;
        const char *says;
    } boards[] = {
        {"dunlin-d3", "4MiB", "FAILED at connect"},
        {"turnstone-t2", "16MiB",
         "the card 'Pier gauges' is for boards with 4 MiB (32 Mbit) or 8 MiB (64 Mbit) of flash, "
         "this one has 16 MiB"},
    };

    cards_make(NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(boards); i++) {
        EXPECT(0, "",
               command("bench", "add", boards[i].chip, "--chip", boards[i].chip, "--flash",
                       boards[i].flash, NULL));
        g_autofree char *link = g_strdup_printf("bench:%s", boards[i].chip);
        g_setenv("WRYTOGRAPH_LINK", link, TRUE);
        g_autofree uint8_t *before = scratch_flash(boards[i].chip, &n);
        EXPECT(5, boards[i].says, run_card(NULL));
        CHECK(scratch_flash_is(boards[i].chip, before, n));
        g_autofree char *where = cards_ledger("outcome || failed_at || exit_code");
        CHECK(strcmp(where, i == 0 ? "refusedconnect5" : "refusedcheck5") == 0);
    }
}

static void expectations_are_kept_to(void)
{
    size_t n = 0;
    static const struct {
        const char *lines, *says;
    } cases[] = {
        {"expect: {revision: 7}\n", "is for chip revision 7 and later, this is revision 1"},
        {"expect: {holds: {app: creek-gauge}}\n",
         "region 'app' should contain creek-gauge, but contains tide-gauge"},
        {"expect: {holds: {log: tide-gauge}}\n",
         "region 'log' should contain tide-gauge, but contains no"},
    };

    scratch_use_gauge("gauge-3", "none");
    g_autofree uint8_t *before = scratch_flash("gauge-3", &n);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        cards_make(cases[i].lines);
        EXPECT(5, cases[i].says, run_card(NULL));
        CHECK(scratch_flash_is("gauge-3", before, n));
    }
    cards_make("expect: {revision: 1, holds: {app: tide-gauge}}\n");
    EXPECT(0, "PASSED", run_card(NULL));
}

/* What cannot be written is found before anything is erased. */
static void nothing_is_erased_for_what_does_not_fit(void)
{
    size_t n = 0;

    scratch_text("card.yaml", "card: Unfit\nchip: turnstone-t2\nflash: 4MiB\nerase: [log, app]\n"
                              "write: [{region: app, file: start.bin}]\n");
    scratch_use_gauge("gauge-7", "none");
    g_autofree uint8_t *before = scratch_flash("gauge-7", &n);
    EXPECT(5, "FAILED at check: ", run_card(NULL));
    CHECK(scratch_flash_is("gauge-7", before, n));
    /* Settings that are changed are those that the card erases; also where it erases all. */
    static const char *const parts[] = {"calibration", "all", "0x13000+4K"};
    for (size_t i = 0; i < G_N_ELEMENTS(parts); i++) {
        g_autofree char *text = g_strdup_printf("card: Unfit\nchip: turnstone-t2\nflash: 4MiB\n"
                                                "erase: [%s]\nset: {pier: Q}\n",
                                                parts[i]);
        scratch_text("card.yaml", text);
        EXPECT(5, "the card erases region 'calibration'", run_card(NULL));
        CHECK(scratch_flash_is("gauge-7", before, n));
    }
}

static void failures_say_at_which_step(void)
{
    static const struct {
        const char *fault, *lines, *says;
        int code;
    } cases[] = {
        {"unpowered", NULL, "FAILED at connect: no answer", 4},
        {"protect=0x1c", NULL, "FAILED at erase: ", 8},
        {"cable-cut=20000", NULL, "FAILED at ", 7},
        {"line-end=cr", "times: any\n", "PASSED", 0},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *name = g_strdup_printf("faulty-%zu", i);
        check_context("fault %s", cases[i].fault);
        cards_make(cases[i].lines);
        scratch_use_gauge(name, cases[i].fault);
        EXPECT(cases[i].code, cases[i].says, run_card(NULL));
        g_autofree char *code = cards_ledger("exit_code");
        CHECK_EQUAL(cases[i].code, (int)g_ascii_strtoll(code, NULL, 10));
    }
    check_context(NULL);
    scratch_use_gauge("gauge-4", "none");
    cards_make(NULL);
    scratch_text("card.yaml", "card: Other words\nchip: turnstone-t2\nflash: 4MiB\n"
                              "start: {steps: [{send: version, expect: creek-gauge, within: 3s, "
                              "advice: Is this the right gauge?}]}\n");
    struct said said = run_card(NULL);
    EXPECT(6, "FAILED at start: \"creek-gauge\" was not seen", said);
    CHECK(says(&said, "Is this the right gauge?") && says(&said, "> gauge ready"));
    g_autofree char *heard = cards_ledger("heard");
    CHECK(strstr(heard, "gauge ready"));
}

/* Cut in the middle of the work, the card goes on where it was; the backup of what was on the board
 * before stays the one that counts. */
static void a_card_that_was_cut_goes_on(void)
{
    cards_make("expect: {holds: {app: tide-gauge}}\n");
    scratch_use_gauge("gauge-5", "power-cut=40");
    EXPECT(7, "FAILED at ", run_card(NULL));
    g_autofree char *backup = cards_ledger("backup_file");
    CHECK(backup[0] != '\0');
    EXPECT(0, "", command("bench", "fault", "gauge-5", "none", NULL));
    struct said said = run_card(NULL);
    EXPECT(0, "PASSED", said);
    CHECK(says(&said, "backup      0.0 s  not needed"));
    g_autofree char *same = cards_ledger("backup_file");
    CHECK(strcmp(backup, same) == 0);
    check_flash("gauge-5");
}

static void a_board_gets_a_card_as_often_as_it_may(void)
{
    size_t n = 0;

    cards_make("times: 1\n");
    scratch_text("twice.yaml", "card: Once\nchip: turnstone-t2\nflash: 4MiB\ntimes: 1\n");
    scratch_use_gauge("gauge-6", "none");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("twice.yaml"), NULL));
    g_autofree uint8_t *before = scratch_flash("gauge-6", &n);
    /* That is no failure, and is counted apart. */
    struct said said = command("card", "run", scratch_file("twice.yaml"), NULL);
    EXPECT(0, "DONE BEFORE: already done 20", said);
    CHECK(!says(&said, "PASSED"));
    g_autofree char *outcome = cards_ledger("outcome || ' ' || exit_code");
    CHECK(strcmp(outcome, "done before 0") == 0);
    EXPECT(0, "done before", command("ledger", "list", "--outcome", "done before", NULL));
    EXPECT(0, ">1</b>done before</li>", command("ledger", "report", NULL));
    CHECK(scratch_flash_is("gauge-6", before, n));
    EXPECT(0, "PASSED", command("card", "run", scratch_file("twice.yaml"), "--again", NULL));
    /* Without the ledger, nobody knows. */
    scratch_text("no-ledger",
                 "this is no database, and long enough not to be taken for an empty one");
    EXPECT(1, "the number of earlier runs of this card is not known",
           command("card", "run", scratch_file("twice.yaml"), "--ledger", scratch_file("no-ledger"),
                   NULL));
}

static char *read_text(const char *name)
{
    size_t n = 0;

    return (char *)scratch_read(name, &n);
}

static void each_board_gets_its_row(void)
{
    cards_make("boards: {file: gauges.csv, row: next, new: [note]}\n");
    scratch_text("gauges.csv", "datum_mm;note;address;used\r\n"
                               "-1801;\"high; and dry\";;\r\n"
                               "-1802;;;broken\r\n"
                               "-1803;x;;\r\n");
    scratch_use_gauge("row-1", "none");
    EXPECT(0, "PASSED", run_card(NULL));
    g_autofree char *first = read_text("gauges.csv");
    CHECK(strstr(first, "-1801;\"high; and dry\";02:"));
    CHECK(strstr(first, "\r\n-1802;;;broken\r\n-1803;x;;\r\n"));
    EXPECT(0, "datum_mm = -1801", command("identify", NULL));
    /* Its own row, also when it comes again. */
    EXPECT(0, "PASSED", run_card(NULL));
    /* The next board takes the next row that nobody has and that is not used. */
    scratch_use_gauge("row-2", "none");
    EXPECT(0, "PASSED", run_card(NULL));
    EXPECT(0, "datum_mm = -1803", command("identify", NULL));
    scratch_use_gauge("row-3", "none");
    EXPECT(3, "gauges.csv: no row is free for board", run_card(NULL));
    /* A dry run claims none. */
    scratch_text("gauges.csv", "datum_mm\n-1804\n");
    EXPECT(0, "Nothing was changed", run_card("--dry-run"));
    g_autofree char *untouched = read_text("gauges.csv");
    CHECK(strcmp(untouched, "datum_mm\n-1804\n") == 0);
}

/* It needs nothing; what it had is told all the same, and its row stays its own. */
static void a_board_that_is_done_shows_its_row(void)
{
    cards_make("boards: {file: done.csv, row: next}\ntimes: 1\n");
    scratch_text("done.csv", "gauge,datum_mm,address,used\n12,-1801,,\n13,-1802,,\n");
    scratch_use_gauge("done-1", "none");
    EXPECT(0, "PASSED", run_card(NULL));
    struct said said = run_card(NULL);
    EXPECT(0, "DONE BEFORE: already done ", said);
    CHECK(says(&said, ".  gauge 12  02:57:"));
    EXPECT(0, "\"row\" : \"gauge 12\"", run_card("--json"));
    EXPECT(0, "PASSED", run_card("--again"));
    g_autofree char *table = read_text("done.csv");
    CHECK(strstr(table, "13,-1802,,") != NULL);
    /* Without a way to count, a card that a board gets once is not run. */
    scratch_text("done.csv", "gauge,datum_mm\n14,-1803\n");
    g_autofree char *ledger = g_strdup(g_getenv("WRYTOGRAPH_LEDGER"));
    g_setenv("WRYTOGRAPH_LEDGER", "/proc/nowhere/ledger.db", TRUE);
    scratch_use_gauge("done-2", "none");
    said = run_card(NULL);
    CHECK(said.code != 0 && !says(&said, "PASSED"));
    g_setenv("WRYTOGRAPH_LEDGER", ledger, TRUE);
}

static void rows_by_address_are_not_marked(void)
{
    set_up("listed");
    cards_make("boards: {file: gauges.csv}\n");
    g_autofree char *address = address_of("listed");
    g_autofree char *lower = g_ascii_strdown(g_strdelimit(address, ":", '-'), -1);
    g_autofree char *table = g_strdup_printf("address,pier,datum_mm\n%s,Q,-1777\n", lower);
    scratch_text("gauges.csv", table);
    EXPECT(0, "PASSED", run_card(NULL));
    EXPECT(0, "datum_mm = -1777", command("identify", NULL));
    g_autofree char *untouched = read_text("gauges.csv");
    CHECK_TEXT(table, untouched);
    scratch_use_gauge("unlisted", "none");
    EXPECT(3, "gauges.csv: there is no row for board 02:", run_card(NULL));
}

static void what_a_card_does_is_counted(void)
{
    scratch_text("one.yaml", "card: One\nchip: turnstone-t2\nflash: 4MiB\n"
                             "write: [{region: app, file: gauge.bin}]\n"
                             "start: {steps: [{expect: gauge ready}]}\n");
    EXPECT(0, "does       1 placement, 1 step after the start",
           command("inspect", scratch_file("one.yaml"), NULL));
    cards_make("boards: {file: gauges.csv, row: next}\ntimes: 3\n");
    scratch_text("gauges.csv", "datum_mm\n-1801\n");
    struct said said = command("inspect", scratch_file("card.yaml"), NULL);
    EXPECT(0, "does       3 placements, 2 steps after the start, a row of settings for each board",
           said);
    CHECK(says(&said, "times      at most 3 for each board"));
}

static void the_outcome_is_one_document_as_json(void)
{
    set_up("told");
    g_autofree char *address = address_of("told");
    g_autofree char *board = g_strdup_printf("\"board\" : \"%s\"", address);
    struct said said = run_card("--json");
    EXPECT(0, board, said);
    CHECK(says(&said, "\"step\" : \"write\"") && !strstr(said.out, "PASSED"));
}

/* Who a board is stands in the outcome and the ledger, with the lot, the operator and the firmware.
 */
static void the_row_says_who_the_board_is(void)
{
    cards_make("boards: {file: named.csv, row: next, name: [pier, gauge]}\n");
    scratch_text("named.csv", "gauge,pier,address,used\n12,C,,\n13,B,,\n");
    scratch_use_gauge("gauge-8", "none");
    struct said said = command("card", "run", scratch_file("card.yaml"), "--operator", "Ada",
                               "--lot", "harbour 7", NULL);
    EXPECT(0, "PASSED  pier C, gauge 12  tide-gauge 2.3.1  02:57:", said);
    g_autofree char *row =
        cards_ledger("name||'|'||lot||'|'||lot_row||'|'||operator||'|'||firmware");
    CHECK(strcmp(row, "pier C, gauge 12|harbour 7|2|Ada|tide-gauge 2.3.1") == 0);
    said = command("ledger", "list", "--lot", "harbour 7", "--firmware", "tide-gauge 2.3.1",
                   "--card", "PIER gauges", NULL);
    EXPECT(0, "passed", said);
    g_autofree char *id = cards_ledger("replace(id, '-', '')");
    id[14] = '\0';
    said = command("ledger", "show", id, NULL);
    EXPECT(0, "pier C, gauge 12", said);
    CHECK(says(&said, "Ada") && says(&said, "harbour 7") && says(&said, "line 2"));
    EXPECT(2, "nothing in the ledger has 'harbour 8'",
           command("ledger", "list", "--lot", "harbour 8", NULL));
    /* By default a lot is the card and its version; what failed has the advice. */
    cards_make("boards: {file: named.csv, row: next, name: gauge}\nexpect: {revision: 7}\n");
    EXPECT(5, "FAILED at check", command("card", "run", scratch_file("card.yaml"), NULL));
    g_autofree char *refused = cards_ledger("outcome||'|'||lot||'|'||(length(advice) > 0)");
    CHECK(strcmp(refused, "refused|Pier gauges 3|1") == 0);
    EXPECT(0, "refused", command("ledger", "list", "--outcome", "refused", NULL));
    cards_make("boards: {file: named.csv, row: next, name: [pier, harbour]}\n");
    EXPECT(3, "no column is named 'harbour'",
           command("card", "check", scratch_file("card.yaml"), NULL));
}

/* A hundred thousand boards; and what is too much for a table is named. */
static void a_table_may_be_long(void)
{
    enum { ROWS = 100000, TOO_LONG = 34 * 1024 * 1024 };
    g_autoptr(GString) table = g_string_new("gauge,pier,address,used\n");
    g_autofree char *huge = g_strnfill(TOO_LONG, 'x');

    for (unsigned i = 0; i < ROWS; i++)
        g_string_append_printf(table, "%u,%c,,%s\n", i, 'A' + i % 3,
                               i + 1 < ROWS ? "2026-11-30" : "");
    cards_make("boards: {file: long.csv, row: next}\n");
    scratch_text("long.csv", table->str);
    scratch_use_gauge("gauge-9", "none");
    EXPECT(0, "", command("card", "check", scratch_file("card.yaml"), NULL));
    EXPECT(0, "PASSED  gauge 99999", run_card(NULL));
    scratch_text("long.csv", huge);
    EXPECT(3, "larger than 32 MiB, the most for a table",
           command("card", "check", scratch_file("card.yaml"), NULL));
}

/* A list of any length is one document. */
static void a_list_in_json_is_whole(void)
{
    static const char *const lists[][3] = {{"list", "--json", NULL},
                                           {"list", "--json", "--most=1"},
                                           {"list", "--json", "--until=1999-12-31"}};

    for (size_t i = 0; i < G_N_ELEMENTS(lists); i++) {
        g_autoptr(JsonParser) parser = json_parser_new();
        struct said said = command("ledger", lists[i][0], lists[i][1], lists[i][2], NULL);
        CHECK_EQUAL(0, said.code);
        CHECK(json_parser_load_from_data(parser, said.out, -1, NULL));
        JsonObject *root = json_node_get_object(json_parser_get_root(parser));
        guint n = json_array_get_length(json_object_get_array_member(root, "runs"));
        CHECK(i == 0 ? n > 1 : n == 2 - i);
        CHECK_EQUAL(0, json_object_get_int_member(root, "exit_code"));
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(a_card_does_it_all),
                                        FACT(running_it_again_is_harmless),
                                        FACT(a_dry_run_changes_nothing),
                                        FACT(the_wrong_board_is_left_alone),
                                        FACT(expectations_are_kept_to),
                                        FACT(nothing_is_erased_for_what_does_not_fit),
                                        FACT(failures_say_at_which_step),
                                        FACT(a_card_that_was_cut_goes_on),
                                        FACT(a_board_gets_a_card_as_often_as_it_may),
                                        FACT(each_board_gets_its_row),
                                        FACT(a_board_that_is_done_shows_its_row),
                                        FACT(rows_by_address_are_not_marked),
                                        FACT(what_a_card_does_is_counted),
                                        FACT(the_outcome_is_one_document_as_json),
                                        FACT(the_row_says_who_the_board_is),
                                        FACT(a_table_may_be_long),
                                        FACT(a_list_in_json_is_whole)};
    scratch_make_images();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
