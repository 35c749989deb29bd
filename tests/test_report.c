/* The report page and the label, by those who are to read them: tidy, an XML parser, a scanner. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>
#include <sys/stat.h>

#include "cards.h"
#include "command.h"
#include "desk.h"
#include "harness.h"
#include "store/ledger/ledger.h"

static char *report(void)
{
    size_t n = 0;

    EXPECT(0, "Report of ", command("ledger", "report", "-o", scratch_file("report.html"), NULL));
    return (char *)scratch_read("report.html", &n);
}

static void check_html(void)
{
    struct said said = run_program("tidy", "-q", "-e", scratch_file("report.html"), NULL);

    EXPECT(0, "", said);
    CHECK(said.err[0] == '\0');
    if (said.err[0] != '\0')
        g_printerr("%s\n", said.err);
}

/* Once: the card passes on gauge-1 and fails on gauge-2. */
static void run_the_card(void)
{
    static bool done;

    if (done)
        return;
    done = true;
    cards_make(NULL);
    scratch_use_gauge("gauge-1", "none");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("card.yaml"), NULL));
    scratch_use_gauge("gauge-2", "protect=0x1c");
    EXPECT(8, "FAILED", command("card", "run", scratch_file("card.yaml"), NULL));
}

static void an_empty_ledger_has_a_page(void)
{
    g_autofree char *page = report();

    CHECK(page && strstr(page, "No run is recorded"));
    check_html();
}

static void boards_and_cards_are_on_the_page(void)
{
    run_the_card();
    g_autofree char *page = report();
    static const char *const there[] = {
        "02:57:B8:FE:82:F1", "Pier gauges 3",        "<b class=\"good\">1</b>passed",
        "tide-gauge 2.3.1",  "write-protected",      "aria-label=\"flash map\"",
        "SHA-256",           "prefers-color-scheme", "@media print",
    };
    for (size_t i = 0; i < G_N_ELEMENTS(there); i++) {
        check_context("%s", there[i]);
        CHECK(page && strstr(page, there[i]));
    }
    check_context(NULL);
    /* It stands alone. */
    CHECK(page && !strstr(page, "<script") && !strstr(page, "http://") &&
          !strstr(page, "https://") && !strstr(page, "url("));
    check_html();
}

/* What is on the board: what was written last at each place; a restore puts all of it back. */
static void a_later_write_takes_the_place_of_an_earlier(void)
{
    run_the_card();
    g_setenv("WRYTOGRAPH_LINK", "bench:gauge-1", TRUE);
    scratch_write("other.bin", "0123456789abcdef0123456789abcdef", 32);
    EXPECT(0, "",
           command("write", placed("0x40000", "other.bin"), "--any-content", "--any-place", NULL));
    g_autofree char *page = report();
    CHECK(page && strstr(page, "other.bin") && strstr(page, "gauge-start 1.2.0"));
    const char *board = page ? strstr(page, "<code>02:57:B8:FE:82:F1") : NULL;
    CHECK(board && !strstr(board, "gauge.bin"));
    g_autofree char *backup = cards_query("SELECT backup_file FROM run WHERE kind = 'card' AND "
                                          "board = '02:57:B8:FE:82:F1'");
    EXPECT(0, "", command("restore", backup, NULL));
    g_autofree char *after = report();
    board = after ? strstr(after, "<code>02:57:B8:FE:82:F1") : NULL;
    CHECK(board && !strstr(board, "other.bin</td>"));
}

/* Texts of others, whatever is in them, stay texts. */
static void nothing_from_outside_becomes_markup(void)
{
    struct wry_ledger *ledger = wry_ledger_open(NULL, NULL);
    struct wry_ledger_run *run = ledger_run_new("card");

    run->board = g_strdup("02:00:00:00:00:66");
    run->card = g_strdup("<script>alert(1)</script> & \"co\"");
    run->card_version = g_strdup("\x01\x1b[31m");
    run->reason = g_strdup("</td></tr></table><img src=x onerror=alert(1)> \xff\xfe");
    run->failed_at = g_strdup("verify");
    run->contents = g_strdup("[{\"region\": \"<b>\", \"offset\": \"x\", \"length\": -5}, 7]");
    run->flash = 4194304;
    g_free(run->outcome);
    run->outcome = g_strdup("failed");
    CHECK(ledger_end(ledger, run, NULL));
    wry_ledger_run_free(run);
    wry_ledger_close(ledger);
    g_autofree char *page = report();
    CHECK(page && !strstr(page, "<script") && !strstr(page, "<img") && !strstr(page, "<b>\""));
    CHECK(page && g_utf8_validate(page, -1, NULL));
    /* One more that did not pass, on this day by this card. */
    CHECK(page && strstr(page, "<td class=\"n bad count\" data-what=\"failed\">1</td>"));
    check_html();
    EXPECT(0, "", command("ledger", "list", NULL));
    EXPECT(0, "", command("ledger", "export", "--csv", NULL));
}

/* A lot of three rows: one passes, one fails and is refused later, one is left. */
static void a_lot_is_on_the_page(void)
{
    size_t n = 0;

    cards_make("boards: {file: page.csv, row: next, name: [gauge, pier]}\n");
    scratch_text("page.csv", "gauge,pier\n1,A\n2,B\n3,C\n");
    g_autofree char *card = g_strdup(scratch_file("card.yaml"));
    scratch_use_gauge("page-1", "none");
    EXPECT(0, "PASSED",
           command("card", "run", card, "--lot", "page", "--operator", "Ada <3", NULL));
    scratch_use_gauge("page-2", "protect=0x1c");
    EXPECT(8, "FAILED", command("card", "run", card, "--lot", "page", NULL));
    EXPECT(8, "FAILED", command("card", "run", card, "--lot", "page", NULL));
    EXPECT(3, "which --only does not name",
           command("card", "run", card, "--lot", "page", "--only", "2", NULL));
    EXPECT(0, "Report of 4 runs",
           command("ledger", "report", "--lot", "page", "--left", card, "-o",
                   scratch_file("report.html"), NULL));
    g_autofree char *page = (char *)scratch_read("report.html", &n);
    static const char *const there[] = {
        "<h3>page</h3>",
        "<b class=\"good\">1<span class=\"soft\"> of 3</span></b>done",
        "<b class=\"bad\">1</b>failed",
        "<b>1</b>retries",
        "<b>1</b>refused",
        "By Ada &lt;3.",
        "at erase: the flash is write-protected from 0x000000 to 0x3FFFFF",
        "<td>gauge 3, pier C</td><td class=\"\">left</td>",
        "<b>gauge 2, pier B</b>",
        "boards done over time",
    };
    for (size_t i = 0; i < G_N_ELEMENTS(there); i++) {
        check_context("%s", there[i]);
        CHECK(page && strstr(page, there[i]));
    }
    check_context(NULL);
    check_html();
    /* A refused run is no failure, on the day neither. */
    CHECK(page && strstr(page, "<td class=\"n bad count\" data-what=\"failed\">2</td>"));
    EXPECT(3, "No such file",
           command("ledger", "report", "--left", "/nowhere/card.yaml", "-o", "x.html", NULL));
}

/* For a screen in the workshop: written anew until Ctrl-C, and loaded anew by the browser. */
static void a_page_is_kept_current(void)
{
    struct desk desk;
    size_t n = 0;

    run_the_card();
    desk_begin(&desk, 90, 24, "ledger", "report", "--keep-current", "1s", "-o",
               scratch_file("screen.html"), NULL);
    CHECK(desk_see(&desk, "is written anew every 1 s; Ctrl-C ends."));
    g_autofree char *first = NULL;
    while (!(first = (char *)scratch_read("screen.html", &n)))
        g_usleep(10000);
    CHECK(strstr(first, "<meta http-equiv=\"refresh\" content=\"1\">"));
    g_unlink(scratch_file("screen.html"));
    g_autofree char *again = NULL;
    while (!(again = (char *)scratch_read("screen.html", &n)))
        g_usleep(10000);
    desk_type(&desk, "\x03");
    desk_watch(&desk);
    CHECK_EQUAL(0, desk_end(&desk));
    EXPECT(2, "--keep-current: give -o FILE, too",
           command("ledger", "report", "--keep-current", "10s", NULL));
    EXPECT(2, "--keep-current",
           command("ledger", "report", "--keep-current", "soon", "-o", "x.html", NULL));
}

/* Files that a user hands on are readable as the umask says; all others by their owner alone. */
static void what_is_handed_on_can_be_read(void)
{
    GStatBuf info;

    run_the_card();
    g_autofree char *page = report();
    CHECK(g_stat(scratch_file("report.html"), &info) == 0);
    mode_t mask = umask(0);
    umask(mask);
    CHECK_EQUAL(0666 & ~mask, info.st_mode & 0777);
    EXPECT(0, "Label", command("ledger", "label", "82:F1", "-o", scratch_file("m.svg"), NULL));
    CHECK(g_stat(scratch_file("m.svg"), &info) == 0 && (info.st_mode & 0777) == (0666 & ~mask));
    cards_make(NULL);
    EXPECT(0, "Packed",
           command("card", "pack", scratch_file("card.yaml"), "-o", scratch_file("m.zip"), NULL));
    CHECK(g_stat(scratch_file("m.zip"), &info) == 0 && (info.st_mode & 0777) == (0666 & ~mask));
    g_setenv("WRYTOGRAPH_LINK", "bench:gauge-1", TRUE);
    EXPECT(0, "Backed up", command("backup", scratch_file("own.zip"), NULL));
    CHECK(g_stat(scratch_file("own.zip"), &info) == 0 && (info.st_mode & 0777) == 0600);
}

static void a_label_is_read_by_a_scanner(void)
{
    run_the_card();
    EXPECT(0, "Label of board",
           command("ledger", "label", "02-57-b8-fe-82-f1", "--svg", "-o", scratch_file("label.svg"),
                   NULL));
    EXPECT(0, "",
           run_program("python3", "-c",
                       "import sys, xml.etree.ElementTree as t; t.parse(sys.argv[1])",
                       scratch_file("label.svg"), NULL));
    EXPECT(0, "",
           run_program("rsvg-convert", "-z", "3", scratch_file("label.svg"), "-o",
                       scratch_file("label.png"), NULL));
    struct said said = run_program("zbarimg", "-q", "--raw", scratch_file("label.png"), NULL);
    CHECK_EQUAL(0, said.code);
    CHECK(strcmp(said.out, "02:57:B8:FE:82:F1\n") == 0);
    size_t n = 0;
    g_autofree char *svg = (char *)scratch_read("label.svg", &n);
    CHECK(svg && strstr(svg, "Pier gauges 3") && strstr(svg, "tide-gauge 2.3.1") &&
          strstr(svg, "passed 20"));
    /* No label for a board that did not pass. */
    EXPECT(5, "no passed card of board 02:00:00:00:00:66 is recorded",
           command("ledger", "label", "02:00:00:00:00:66", NULL));
    EXPECT(2, "is not an address of a board", command("ledger", "label", "gauge-1", NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(an_empty_ledger_has_a_page),
                                        FACT(boards_and_cards_are_on_the_page),
                                        FACT(a_later_write_takes_the_place_of_an_earlier),
                                        FACT(nothing_from_outside_becomes_markup),
                                        FACT(a_label_is_read_by_a_scanner),
                                        FACT(a_lot_is_on_the_page),
                                        FACT(a_page_is_kept_current),
                                        FACT(what_is_handed_on_can_be_read)};
    scratch_make_images();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
