/*
 * Cards with mistakes: each is found without a board, all at once, with file, line and column; and
 * the schema for editors agrees where it can.
 */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"

/* The sound card that every case changes in one place. */
static const char *const sound[] = {
    "card: Pier gauges",                                                                /* 1 */
    "version: 3",                                                                       /* 2 */
    "chip: turnstone-t2",                                                               /* 3 */
    "flash: [4MiB, 8MiB]",                                                              /* 4 */
    "expect: {revision: 1, holds: {app: tide-gauge}}",                                  /* 5 */
    "backup: {when: first, folder: backups}",                                           /* 6 */
    "erase: [log]",                                                                     /* 7 */
    "write:",                                                                           /* 8 */
    "  - {region: start, file: start.bin}",                                             /* 9 */
    "  - {region: table, file: {4MiB: regions.bin, 8MiB: regions.bin}}",                /* 10 */
    "  - {file: gauge.bin}",                                                            /* 11 */
    "  - {region: calibration, file: pier.yaml}",                                       /* 12 */
    "set: {pier: Q}",                                                                   /* 13 */
    "boards: {file: gauges.csv, row: by-address}",                                      /* 14 */
    "read: {lines: 4, clock: 40}",                                                      /* 15 */
    "start: {within: 5s, line-end: lf, speed: 115200, steps: [{expect: gauge ready}]}", /* 16 */
    "times: 1",                                                                         /* 17 */
};

struct wrong {
    unsigned line; /* that is replaced; 0: the text is all of it */
    const char *text;
    const char *says; /* from the line's number on */
    bool by_schema;   /* the shape alone is wrong */
};

static const struct wrong wrongs[] = {
    {1, "", "1:1: the card has no name", true},
    {1, "card: [a]", "1:7: 'card' takes one line of text", true},
    {2, "version: ''", "2:10: 'version' takes one line of text", true},
    {2, "edition: 3", "2:1: a card has card, version", true},
    {3, "chip: godwit-g9", "3:7: there is no chip 'godwit-g9'; chips are", false},
    {3, "", "1:1: the card has no chip: add 'chip: NAME'", true},
    {4, "flash: [4MiB, 4M]", "4:15: '4M' is given already", false},
    {4, "flash: 4 furlongs", "4:8: '4 furlongs' is not a flash size", true},
    {4, "flash: [4MiB, 64MiB]", "4:15: a Turnstone T2 has 4 MiB", false},
    {4, "", "1:1: the card has no flash size: add 'flash: SIZE'", true},
    {5, "expect: {revision: 300}", "5:20: 'revision' is a number from 0 to 255", true},
    {5, "expect: {holds: tide-gauge}", "5:17: this is written {REGION:", true},
    {5, "expect: {holds: {creek: tide-gauge}}", "5:18: there is no region 'creek'", false},
    {5, "expect: {colour: red}", "5:10: 'expect' has revision and holds, not 'colour'", true},
    {6, "backup: {when: sometimes}", "6:16: 'when' is first, always or never", true},
    {6, "backup: {into: x}", "6:10: 'backup' has when and folder, not 'into'", true},
    {6, "backup: never", "6:9: this is written {when: first}", true},
    {7, "erase: [creek]", "7:8: there is no region 'creek'", false},
    {7, "erase: []", "7:8: 'erase' names nothing", true},
    {13, "set: {pierre: Q}", "13:7: there is no setting 'pierre'; did you mean 'pier'?", false},
    {13, "set-new: {harbour: Q}\nset: {datum_mm: low}", "14:7: 'datum_mm' is an integer here",
     false},
    {7, "erase: 0x3FF000+1MiB", "7:8: the range 0x3FF000+1MiB ends beyond", false},
    {9, "  - {region: start, file: none.bin}", "9:27: there is no file 'none.bin'", false},
    {9, "  - {region: creek, file: start.bin}", "9:27: there is no region 'creek'", false},
    {9, "  - {region: app, file: start.bin}", "", false},
    {9, "  - {region: start}", "9:5: no file is named", true},
    {9, "  - {region: start, offset: 0x4000, file: start.bin}", "9:21: give a region or an offset",
     true},
    {9, "  - {offset: 4096, file: start.bin}", "9:14: '4096' is not an offset", false},
    {9, "  - {region: start, file: page.html}", "9:27:", false},
    {9, "  - {region: start, file: start.bin, shelf: x}", "9:38: give a file or a name", true},
    {9, "  - start.bin", "9:5: this is written {region: …, file: …}", true},
    {9, "  - {region: start, image: start.bin}", "9:21: what is written has region or offset",
     true},
    {10, "  - {region: table, file: {4MiB: regions.bin}}",
     "10:5: there is no file for boards with 8 MiB (64 Mbit) of flash", false},
    {10, "  - {region: table, file: {4MiB: regions.bin, 8MiB: regions.bin, 2MiB: x}}",
     "10:66: the card is not for boards with 2MiB of flash", false},
    {13, "set: {pier: [Q]}", "13:13: 'pier': a setting is one value", true},
    {13, "set: {datum_mm: deep}", "13:7: 'datum_mm' is an integer here", false},
    {14, "boards: {file: none.csv}", "14:16: there is no file 'none.csv'", false},
    {14, "boards: {row: next}", "1:1: 'boards' names no file", true},
    {14, "boards: {file: gauges.csv, row: any}", "14:33: 'row' is by-address, next or by-server",
     true},
    {15, "read: {lines: 3}", "15:15: 'lines' is 1, 2 or 4", true},
    {15, "read: {clock: fast}", "15:15: 'clock' is a number from 1 to 255", true},
    {16, "start: {steps: [{send: version, expect: x, within: soon}]}",
     "16:52: 'soon' is not a time", true},
    {16, "start: {steps: [{advice: x}]}", "16:17: a step sends, expects or transfers something",
     true},
    {16, "start: {steps: none.yaml}", "16:16: there is no file 'none.yaml'", false},
    {16, "start: {speed: fast}", "16:16: 'fast' is not a speed", true},
    {16, "start: {line-end: none}", "16:19: 'line-end' is crlf, lf or cr", true},
    {17, "times: 0", "17:8: 'times' is a number from 1 to 1000", true},
    {17, "erase: [app]", "17:1: 'erase' is in line 7 already", false},
    {17, "card: again", "17:1: 'card' is in line 1 already", false},
    {0, "card: [", "2:1:", false},
    {0, "- card", "1: this is not a card", false},
    {0, "", "it does not begin with 'KEY:'", false},
};

static void write_card(const char *name, const struct wrong *wrong)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (unsigned i = 0; i < G_N_ELEMENTS(sound); i++)
        g_string_append_printf(text, "%s\n",
                               wrong && wrong->line == i + 1 ? wrong->text : sound[i]);
    scratch_text(name, wrong && wrong->line == 0 ? wrong->text : text->str);
}

static void make_files(void)
{
    scratch_make_images();
    scratch_text("pier.yaml", "settings:\n  gauge: 1\n  pier: A\n  datum_mm: -1812\n");
    scratch_text("gauges.csv", "address,datum_mm\n02:00:00:00:00:01,-1801\n");
    scratch_text("page.html", "<!DOCTYPE html><html><body>Sign in</body></html>\n");
}

static void a_sound_card_is_sound(void)
{
    write_card("card.yaml", NULL);
    EXPECT(0, "the card 'Pier gauges 3' is valid, for a Turnstone T2 with 4 MiB",
           command("card", "check", scratch_file("card.yaml"), NULL));
}

static void every_mistake_is_named_with_its_place(void)
{
    for (size_t i = 0; i < G_N_ELEMENTS(wrongs); i++) {
        const struct wrong *wrong = &wrongs[i];
        check_context("case %zu: %s", i, wrong->text);
        write_card("wrong.yaml", wrong);
        g_autofree char *place =
            g_strconcat(wrong->line > 0 ? "wrong.yaml:" : "", wrong->says, NULL);
        EXPECT(3, place, command("card", "check", scratch_file("wrong.yaml"), NULL));
    }
    check_context(NULL);
}

static void the_schema_agrees(void)
{
    g_autoptr(GPtrArray) argv = g_ptr_array_new();
    g_autofree char *out = NULL;
    int status = -1;

    write_card("card.yaml", NULL);
    g_ptr_array_add(argv, (gpointer) "python3");
    g_ptr_array_add(argv, (gpointer)peer("card_schema.py"));
    g_ptr_array_add(argv, (gpointer)WRY_SOURCE_DIR "/docs/card.schema.json");
    g_ptr_array_add(argv, (gpointer)scratch_file("card.yaml"));
    for (size_t i = 0; i < G_N_ELEMENTS(wrongs); i++) {
        g_autofree char *name = g_strdup_printf("wrong-%zu.yaml", i);
        write_card(name, &wrongs[i]);
        g_ptr_array_add(argv, (gpointer)scratch_file(name));
    }
    g_ptr_array_add(argv, NULL);
    CHECK(g_spawn_sync(NULL, (char **)argv->pdata, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &out,
                       NULL, &status, NULL) &&
          status == 0);
    g_auto(GStrv) lines = g_strsplit(out ? out : "", "\n", -1);
    CHECK_EQUAL(G_N_ELEMENTS(wrongs) + 2, g_strv_length(lines));
    CHECK(strcmp(lines[0], "fits") == 0);
    for (size_t i = 0; i < G_N_ELEMENTS(wrongs) && lines[i + 1]; i++) {
        check_context("case %zu: %s", i, wrongs[i].text);
        CHECK(!wrongs[i].by_schema || strcmp(lines[i + 1], "does not") == 0);
    }
    check_context(NULL);
}

static void all_mistakes_are_found_at_once(void)
{
    scratch_text("bad.csv", "address,datum_mm,pier\n"
                            "02:00:00:00:00:01,deep,A\n"
                            "02:00:00:00:00:zz,-1801,B\n"
                            "02-00-00-00-00-01,-1802,C,D\n");
    scratch_text("many.yaml", "card: Pier gauges\n"
                              "chip: turnstone-t2\n"
                              "flash: 4MiB\n"
                              "erase: [creek]\n"
                              "write:\n"
                              "  - {region: start, file: page.html}\n"
                              "  - {region: app, file: start.bin}\n"
                              "  - {region: calibration, file: pier.yaml}\n"
                              "set: {datum_mm: deep}\n"
                              "boards: {file: bad.csv}\n");
    struct said said = command("card", "check", scratch_file("many.yaml"), NULL);
    EXPECT(3, "7 mistakes", said);
    CHECK(says(&said, "many.yaml:4:8: there is no region 'creek'"));
    /* In the order of the file, whatever found them. */
    CHECK(strstr(said.out, "many.yaml:4:8") < strstr(said.out, "many.yaml:6:27"));
    CHECK(says(&said, "many.yaml:6:27:"));
    CHECK(says(&said, "many.yaml:7:25:"));
    CHECK(says(&said, "many.yaml:9:7: 'datum_mm' is an integer here"));
    CHECK(says(&said, "bad.csv:3:1: '02:00:00:00:00:zz' is not an address"));
    CHECK(says(&said, "bad.csv:4:1: board 02:00:00:00:00:01 is in line 2 already"));
    CHECK(says(&said, "bad.csv:4:27: more fields than names"));
}

static void tables_say_where_they_are_wrong(void)
{
    static const struct {
        const char *table, *says;
    } cases[] = {
        {"datum_mm\n-1801\n", "t.csv:1:1: no column is named 'address'"},
        {"address\n02:00:00:00:00:01\n", "t.csv:1:1: no column is a setting"},
        {"address,datum_mm\n", "t.csv:1:1: there is no row of a board"},
        {"", "the line of names is missing"},
        {"address,datum_mm,datum_mm\n02:00:00:00:00:01,1,2\n",
         "t.csv:1:18: the column 'datum_mm' exists already"},
        {"address,9lives\n02:00:00:00:00:01,1\n", "t.csv:1:9: '9lives' is not a key"},
        {"address,datum_mm\n02:00:00:00:00:01,\"1\n", "t.csv:"},
        {"address,datum_mm\n02:00:00:00:00:01,a\"b\n", "t.csv:2:"},
        {"address;datum_mm;pier\n02:00:00:00:00:01;tief;A\n",
         "t.csv:2:19: 'datum_mm' is an integer here"},
        {"\xEF\xBB\xBF"
         "address,datum_mm\r\n02:00:00:00:00:01,high\r\n",
         "t.csv:2:19: 'datum_mm' is an integer here"},
    };
    struct wrong table = {14, "boards: {file: t.csv}", NULL, false};

    write_card("table.yaml", &table);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        check_context("table %zu", i);
        scratch_text("t.csv", cases[i].table);
        write_card("table.yaml", &table);
        EXPECT(3, cases[i].says, command("card", "check", scratch_file("table.yaml"), NULL));
    }
    check_context(NULL);
}

static void what_is_no_card_at_all_is_refused(void)
{
    EXPECT(3, "No such file", command("card", "check", scratch_file("none.yaml"), NULL));
    EXPECT(3, "", command("card", "check", scratch(), NULL));
    EXPECT(2, "'card' takes check, run or pack", command("card", "check", NULL));
    EXPECT(2, "choose check, run, pack or keys", command("card", NULL));
    scratch_text("broken.zip", "PK\003\004 and no more");
    EXPECT(3, "not a whole ZIP file", command("card", "run", scratch_file("broken.zip"), NULL));
    /* What a card may not even begin is not run. */
    write_card("wrong.yaml", &wrongs[0]);
    EXPECT(3, "1:1: the card has no name",
           command("card", "run", scratch_file("wrong.yaml"), "--link", "bench:none", NULL));
}

/* What the run would refuse at the board, and rows that were copied and not changed. */
static void what_only_a_run_would_have_shown_is_found(void)
{
    static const char head[] = "card: Pier\nchip: turnstone-t2\nflash: 4MiB\n";
    g_autofree char *erased = g_strconcat(head,
                                          "erase: [calibration]\nset: {pier: Q}\n"
                                          "write: [{region: table, file: regions.bin}]\n",
                                          NULL);
    g_autofree char *twins = g_strconcat(head,
                                         "write: [{region: calibration, file: pier.yaml}]\n"
                                         "boards: {file: twins.csv, row: next}\n",
                                         NULL);

    scratch_text("erased.yaml", erased);
    scratch_text("twins.yaml", twins);
    scratch_text("twins.csv", "pier,datum_mm,colour\nA,-1801,\nB,-1802,\nA,-1801,\nC,x,blue\n");
    EXPECT(3, "4:8: 'calibration' erases region 'calibration', whose settings 'set' changes",
           command("card", "check", scratch_file("erased.yaml"), NULL));
    struct said said = command("card", "check", scratch_file("twins.yaml"), NULL);
    EXPECT(3, "twins.csv:4:1: the same settings are in line 2 already", said);
    CHECK(says(&said, "twins.csv:5:3: 'datum_mm' is an integer here"));
    CHECK(says(&said, "twins.csv:5:5: there is no setting 'colour'"));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_sound_card_is_sound),
        FACT(every_mistake_is_named_with_its_place),
        FACT(the_schema_agrees),
        FACT(all_mistakes_are_found_at_once),
        FACT(tables_say_where_they_are_wrong),
        FACT(what_is_no_card_at_all_is_refused),
        FACT(what_only_a_run_would_have_shown_is_found),
    };
    make_files();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
