/* Sheets of labels: read by a scanner, as SVG and PDF, by the program's template and by a user's.
 */
#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>

#include "cards.h"
#include "command.h"
#include "harness.h"
#include "tables.h"

static void execute(const char *sql)
{
    tables_change(g_getenv("WRYTOGRAPH_LEDGER"), sql);
}

/* Boards 1 to n of a lot, each with a run that passed, a minute apart. */
static void add_boards(const char *lot, unsigned n)
{
    g_autofree char *sql = g_strdup_printf(
        "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < %u) "
        "INSERT INTO run (id, kind, began, ended, computer, username, program, board, card, "
        "card_version, outcome, lot, lot_row, name, firmware) SELECT '%s-' || i, 'card', "
        "strftime('%%Y-%%m-%%dT%%H:%%M:%%fZ', 'now', '-' || (1000 - i) || ' minutes'), "
        "'2026-11-29T10:00:00.000Z', 'bench', 'ann', '0.2.0', printf('02:57:00:00:00:%%02X', i), "
        "'Pier gauges', '3', 'passed', '%s', i + 1, 'gauge ' || i || ', pier A', "
        "'tide-gauge 2.3.1' FROM n",
        n, lot, lot);

    EXPECT(0, "", command("ledger", "list", NULL));
    execute("DELETE FROM run");
    execute(sql);
}

static struct said labels(const char *lot, const char *file, const char *more, const char *value)
{
    return command("ledger", "labels", "--lot", lot, "-o", scratch_file(file), more, value, NULL);
}

static unsigned count_of(const char *text, const char *part)
{
    unsigned count = 0;

    for (; (text = strstr(text, part)); text++)
        count++;
    return count;
}

static void a_sheet_is_read_by_a_scanner(void)
{
    g_autofree char *png = g_strdup(scratch_file("sheet.png"));

    add_boards("scanned", 5);
    EXPECT(0, "5 labels on 1 sheet", labels("scanned", "sheet.svg", NULL, NULL));
    EXPECT(0, "",
           run_program("rsvg-convert", "-z", "3", scratch_file("sheet.svg"), "-o", png, NULL));
    struct said said = run_program("zbarimg", "-q", "--raw", png, NULL);
    CHECK_EQUAL(0, said.code);
    CHECK_EQUAL(5, count_of(said.out, "02:57:00:00:00:0"));
    size_t n = 0;
    g_autofree char *svg = (char *)scratch_read("sheet.svg", &n);
    CHECK(svg && strstr(svg, "gauge 5, pier A") && strstr(svg, "tide-gauge 2.3.1") &&
          strstr(svg, "passed 2026-11-29") && strstr(svg, "width=\"210mm\" height=\"297mm\""));
    /* In the order of the rows. */
    CHECK(svg && strstr(svg, "gauge 1,") < strstr(svg, "gauge 2,") &&
          strstr(svg, "gauge 4,") < strstr(svg, "gauge 5,"));
}

/* A long name is printed smaller, and cut only where it could not be read. */
static void a_long_name_fits(void)
{
    static const struct {
        const char *name, *printed;
    } names[] = {{"gauge 10, pier A", "27\" font-weight=\"bold\">gauge 10, pier A<"},
                 {"gauge 101, pier A", "25\" font-weight=\"bold\">gauge 101, pier A<"},
                 {"gauge 101, eastern pier", "18\" font-weight=\"bold\">gauge 101, eastern pier<"},
                 {"gauge 101 of the eastern pier", ">gauge 101 of the easter…<"}};

    add_boards("named", G_N_ELEMENTS(names));
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        g_autofree char *sql = g_strdup_printf("UPDATE run SET name = '%s' WHERE id = 'named-%u'",
                                               names[i].name, i + 1);
        execute(sql);
    }
    EXPECT(0, "4 labels on 1 sheet", labels("named", "named.svg", NULL, NULL));
    size_t n = 0;
    g_autofree char *svg = (char *)scratch_read("named.svg", &n);
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        check_context("%s", names[i].name);
        CHECK(svg && strstr(svg, names[i].printed));
    }
    check_context(NULL);
}

static void only_boards_without_a_label_are_printed(void)
{
    add_boards("new", 3);
    EXPECT(0, "3 labels on 1 sheet", labels("new", "new.svg", NULL, NULL));
    EXPECT(5, "nothing to print: 3 boards have a label already",
           labels("new", "new.svg", NULL, NULL));
    EXPECT(0, "3 labels on 1 sheet", labels("new", "new.svg", "--again", NULL));
    /* A board that passes again gets a new one. */
    execute("UPDATE run SET began = strftime('%Y-%m-%dT%H:%M:%fZ', 'now', '+1 minutes') "
            "WHERE id = 'new-2'");
    struct said said = labels("new", "new.svg", NULL, NULL);
    EXPECT(0, "1 label on 1 sheet", said);
    CHECK(says(&said, "2 boards with a label already left out"));
    EXPECT(5, "no passed card of such a board",
           command("ledger", "labels", "--board", "02:57:00:00:00:77", "-o",
                   scratch_file("none.svg"), NULL));
    CHECK(!g_file_test(scratch_file("none.svg"), G_FILE_TEST_EXISTS));
    /* What was made is in the ledger, and is no run of the board's. */
    EXPECT(0, "label", command("ledger", "list", "--kind", "label", NULL));
    said = command("ledger", "boards", NULL);
    CHECK_EQUAL(3, count_of(said.out, "passed"));
}

static void sheets_have_the_grid_that_was_asked_for(void)
{
    size_t n = 0;

    add_boards("grid", 9);
    EXPECT(0, "9 labels on 3 sheets", labels("grid", "grid.svg", "--grid", "2x2"));
    g_autofree char *third = (char *)scratch_read("grid-3.svg", &n);
    CHECK(third && strstr(third, "gauge 9,") && !strstr(third, "gauge 8,"));
    CHECK(!g_file_test(scratch_file("grid.svg"), G_FILE_TEST_EXISTS));
    EXPECT(0, "9 labels on 2 sheets",
           command("ledger", "labels", "--lot", "grid", "--again", "--first", "20", "-o",
                   scratch_file("used.svg"), NULL));
    g_autofree char *used = (char *)scratch_read("used-1.svg", &n);
    /* The 20th of 24 places: second column, seventh row. */
    CHECK(used && strstr(used, "<svg x=\"72.000\" y=\"224.750\" width=\"66.000\""));
    static const char *const wrong[][2] = {
        {"--grid", "3"},    {"--grid", "0x4"},   {"--grid", "3x99"},
        {"--grid", "3x4x"}, {"--first", "25"},   {"--first", "0"},
        {"--margin", "x"},  {"--margin", "900"}, {"--margin", "-1"}};
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        check_context("%s %s", wrong[i][0], wrong[i][1]);
        EXPECT(2, wrong[i][0], labels("grid", "wrong.svg", wrong[i][0], wrong[i][1]));
    }
    check_context(NULL);
    EXPECT(2, "no name for the sheet", command("ledger", "labels", NULL));
}

static void a_pdf_has_a_page_for_each_sheet(void)
{
    size_t n = 0;

    add_boards("paper", 30);
    EXPECT(0, "30 labels on 2 sheets", labels("paper", "paper.pdf", NULL, NULL));
    g_autofree char *pdf = (char *)scratch_read("paper.pdf", &n);
    CHECK(pdf && g_str_has_prefix(pdf, "%PDF-"));
    EXPECT(0, "2 595 842",
           run_program("python3", "-c",
                       "import re, sys\n"
                       "t = open(sys.argv[1], 'rb').read()\n"
                       "boxes = re.findall(rb'/MediaBox *\\[ *0 0 ([0-9.]+) ([0-9.]+)', t)\n"
                       "print(len(boxes), round(float(boxes[0][0])), round(float(boxes[0][1])))",
                       scratch_file("paper.pdf"), NULL));
    EXPECT(0, "Label of board",
           command("ledger", "label", "00:0A", "-o", scratch_file("one.pdf"), NULL));
    /* Without the program that makes it: said so, and nothing is recorded as printed. */
    g_autofree char *path = g_strdup(g_getenv("PATH"));
    add_boards("nothing", 1);
    g_setenv("PATH", "/nowhere", TRUE);
    struct said said = labels("nothing", "nothing.pdf", NULL, NULL);
    CHECK(said.code != 0 && says(&said, "rsvg-convert, which is not installed"));
    g_setenv("PATH", path, TRUE);
    EXPECT(0, "1 label on 1 sheet", labels("nothing", "nothing.pdf", NULL, NULL));
}

static void a_template_of_the_user(void)
{
    size_t n = 0;
    static const struct {
        const char *text, *told;
    } faulty[] = {
        {"<svg viewBox='0 0 9 9'>{{#name}}</svg>", "there is no end for {{#name}}"},
        {"<svg viewBox='0 0 9 9'>{{/name}}</svg>", "nothing begins before {{/name}}"},
        {"<svg viewBox='0 0 9 9'>{{>label.svg}}</svg>", "cannot include another one"},
        {"<svg viewBox='0 0 9 9'>{{name</svg>", "a mark has no end"},
        {"<svg width='9'>{{name}}</svg>", "has no viewBox"},
        {"<html/>", "is not an SVG document"},
        {"<svg viewBox='0 0 9 9'>", "template.svg: "},
    };

    add_boards("own", 2);
    execute("UPDATE run SET name = 'gauge <1> & \"2\"' WHERE id = 'own-1'");
    scratch_text("template.svg",
                 "<?xml version=\"1.0\"?>\n<svg xmlns=\"http://www.w3.org/2000/svg\" "
                 "width=\"30mm\" height=\"9mm\" viewBox=\"0 0 300 90\"><text "
                 "width=\"7\">{{row}}: {{whole_name}}{{^none}} of {{lot}}{{/none}}"
                 "</text></svg>\n");
    EXPECT(0, "2 labels", labels("own", "own.svg", "--template", scratch_file("template.svg")));
    g_autofree char *svg = (char *)scratch_read("own.svg", &n);
    CHECK(svg && strstr(svg, "2: gauge &lt;1&gt; &amp; &quot;2&quot; of own</text>"));
    /* Only the outermost size is replaced. */
    CHECK(svg && !strstr(svg, "30mm") && strstr(svg, "<text width=\"7\">"));
    for (size_t i = 0; i < G_N_ELEMENTS(faulty); i++) {
        check_context("template %zu", i);
        scratch_text("template.svg", faulty[i].text);
        struct said said =
            command("ledger", "labels", "--lot", "own", "--again", "-o", scratch_file("bad.svg"),
                    "--template", scratch_file("template.svg"), NULL);
        EXPECT(3, faulty[i].told, said);
        CHECK(!g_file_test(scratch_file("bad.svg"), G_FILE_TEST_EXISTS));
    }
    check_context(NULL);
    EXPECT(3, "No such file", labels("own", "x.svg", "--template", "/nowhere/template.svg"));
    scratch_write("template.svg", "\xFF\xFE", 2);
    EXPECT(3, "this is not text in UTF-8",
           labels("own", "x.svg", "--template", scratch_file("template.svg")));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_sheet_is_read_by_a_scanner),
        FACT(a_long_name_fits),
        FACT(only_boards_without_a_label_are_printed),
        FACT(sheets_have_the_grid_that_was_asked_for),
        FACT(a_pdf_has_a_page_for_each_sheet),
        FACT(a_template_of_the_user),
    };

    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return code;
}
