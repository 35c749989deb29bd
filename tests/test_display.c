/* What a person sees at a terminal: bars, many boards on one screen, lines and tables that fit. */
#include <glib.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cards.h"
#include "command.h"
#include "desk.h"
#include "harness.h"

enum {
    BOARDS = 5,
};

/* A new board, as the link of commands that name none. */
static void use_board(const char *name, unsigned number, const char *fault)
{
    g_autofree char *board = g_strdup_printf("%s-%u", name, number);

    scratch_use_gauge(board, fault);
}

static unsigned count(const char *text, const char *what)
{
    unsigned n = 0;

    for (; (text = strstr(text, what)); text += strlen(what))
        n++;
    return n;
}

/* Each bar that is drawn is as wide as the terminal has room for, and ends full. */
static void work_shows_a_bar_that_ends_full(void)
{
    static const unsigned widths[] = {60, 80, 100, 200};

    for (size_t i = 0; i < sizeof widths / sizeof widths[0]; i++) {
        struct desk desk;
        check_context("%u columns", widths[i]);
        use_board("bar", (unsigned)i, "none");
        desk_begin(&desk, widths[i], 24, "write", "--without-backup", "--every-sector", "--speed",
                   "115200", placed("app", "gauge.bin"), NULL);
        desk_watch(&desk);
        /* A narrow one shows the share alone. */
        CHECK(strstr(desk.seen->str, widths[i] < 80 ? "] 100 %\r" : "] 100 %  ") != NULL);
        CHECK((strstr(desk.seen->str, "s left") != NULL) == (widths[i] >= 80));
        CHECK(strstr(desk.seen->str, "=.") != NULL);
        CHECK(strstr(desk.seen->str, "\033[38;5;28m") != NULL); /* the outcome is green */
        CHECK(count(desk.seen->str, "100 %") < 6);
        CHECK(desk_widest(&desk) <= widths[i]);
        CHECK_EQUAL(0, desk_end(&desk));
    }
    check_context(NULL);
}

/* Without a terminal there is none, and nothing is coloured. */
static void a_pipe_gets_no_bar_and_no_colour(void)
{
    use_board("pipe", 0, "none");
    struct said said = command("write", "--without-backup", placed("app", "gauge.bin"), NULL);
    EXPECT(0, "Written, and verified", said);
    CHECK(!says(&said, "\033") && !says(&said, "100 %") && !says(&said, "\r"));
}

static void a_link_that_is_lost_is_called_again_in_sight(void)
{
    struct desk desk;

    scratch_use_gauge("lost", "unplugged=40000");
    desk_begin(&desk, 100, 24, "write", "--without-backup", "--every-sector",
               placed("app", "gauge.bin"), NULL);
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "The link is lost; calling the board again, Ctrl-C stops") !=
          NULL);
    CHECK_EQUAL(0, desk_end(&desk));
    EXPECT(0, "", command("verify", placed("app", "gauge.bin"), NULL));
}

static void a_board_that_is_called_by_hand_shows_how_long(void)
{
    struct desk desk;

    scratch_use_gauge("hand", "strap-released");
    desk_begin(&desk, 100, 24, "identify", "--by-hand", "--wait", "3s", NULL);
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "Calling the board; ") != NULL);
    CHECK(strstr(desk.seen->str, " s left, Ctrl-C stops") != NULL);
    CHECK_EQUAL(4, desk_end(&desk));
}

/* A file of links to new boards, one of which has no power. */
static const char *many_links(const char *name, unsigned broken)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (unsigned i = 1; i <= BOARDS; i++) {
        use_board(name, i, i == broken ? "unpowered" : "none");
        g_string_append_printf(text, "bench:%s-%u\n", name, i);
    }
    g_autofree char *file = g_strconcat(name, ".txt", NULL);
    scratch_text(file, text->str);
    return scratch_file(file);
}

static void many_boards_share_the_screen(void)
{
    struct desk desk;
    const char *links = many_links("row", 3);

    cards_make(NULL);
    desk_begin(&desk, 100, 30, "card", "run", scratch_file("card.yaml"), "--links", links, NULL);
    desk_watch(&desk);
    const char *seen = desk.seen->str;
    /* A line each, drawn anew in place; then the count. */
    CHECK(strstr(seen, "\033[6A\r") != NULL);
    CHECK(strstr(seen, "bench:row-1") != NULL && strstr(seen, "bench:row-5") != NULL);
    CHECK(strstr(seen, "write   [") != NULL || strstr(seen, "backup  [") != NULL);
    CHECK(strstr(seen, "0 running, 4 passed, 1 failed") != NULL);
    CHECK(strstr(seen, "\033[38;5;160m") != NULL && strstr(seen, "\033[38;5;28m") != NULL);
    CHECK(strstr(seen, "4 of 5 boards passed") != NULL);
    CHECK(desk_widest(&desk) <= 100);
    CHECK_EQUAL(4, desk_end(&desk));
    /* Those that had the card as often as it may are counted apart. */
    cards_make("times: 1\n");
    desk_begin(&desk, 100, 30, "card", "run", scratch_file("card.yaml"), "--links", links, NULL);
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "0 running, 0 passed, 1 failed, 4 done before") != NULL);
    CHECK_EQUAL(4, desk_end(&desk));
}

/* With less room than boards, those that failed and those at work come first. */
static void a_low_screen_shows_what_matters(void)
{
    struct desk desk;
    const char *links = many_links("low", 5);

    cards_make(NULL);
    desk_begin(&desk, 60, 6, "card", "run", scratch_file("card.yaml"), "--links", links, NULL);
    desk_watch(&desk);
    const char *redrawn = g_strrstr(desk.seen->str, "A\r");
    CHECK(redrawn && strstr(redrawn, "bench:low-5") != NULL);
    CHECK(redrawn && strstr(redrawn, "bench:low-4\033") == NULL);
    /* The path of the logs, which comes last, is not broken. */
    const char *logs = strstr(desk.seen->str, "Logs:");
    CHECK(logs != NULL);
    g_string_truncate(desk.seen, logs ? (gsize)(logs - desk.seen->str) : 0);
    CHECK(desk_widest(&desk) <= 60);
    CHECK_EQUAL(4, desk_end(&desk));
}

static void notes_break_between_words(void)
{
    static const unsigned widths[] = {40, 60, 79};

    for (size_t i = 0; i < sizeof widths / sizeof widths[0]; i++) {
        struct desk desk;
        check_context("%u columns", widths[i]);
        use_board("narrow", (unsigned)i, "unpowered");
        desk_begin(&desk, widths[i], 24, "identify", NULL);
        desk_watch(&desk);
        CHECK(desk_widest(&desk) <= widths[i]);
        CHECK(strstr(desk.seen->str, "Heard:") != NULL);
        CHECK_EQUAL(4, desk_end(&desk));
    }
    check_context(NULL);
}

/* Every kind of result: sentences, facts, tables, maps, drawings, help. */
static void results_fit_a_narrow_terminal(void)
{
    static const struct {
        const char *first, *second, *third;
    } calls[] = {
        {"identify", NULL, NULL},        {"identify", "--deep", NULL},
        {"plan", "IMAGE", NULL},         {"write", "--dry-run", "IMAGE"},
        {"verify", "IMAGE", NULL},       {"settings", "show", NULL},
        {"examine", NULL, NULL},         {"examine", "--drawing", NULL},
        {"bench", "list", NULL},         {"ports", NULL, NULL},
        {"config", NULL, NULL},          {"--help", NULL, NULL},
        {"write", "--help", NULL},       {"bench", "--help", NULL},
        {"listen", "--help-link", NULL},
    };

    scratch_use_gauge("slim", "none");
    for (size_t i = 0; i < G_N_ELEMENTS(calls); i++) {
        const char *image = placed("app", "gauge.bin");
        bool second = g_strcmp0(calls[i].second, "IMAGE") == 0;
        struct desk desk;
        check_context("%s %s", calls[i].first, calls[i].second ? calls[i].second : "");
        desk_begin(&desk, 62, 24, calls[i].first, second ? image : calls[i].second,
                   calls[i].third ? image : NULL, NULL);
        desk_watch(&desk);
        /* The name of a file has no place to break. */
        bool names = second || calls[i].third || strcmp(calls[i].first, "config") == 0;
        CHECK(desk_widest(&desk) <= (names ? 100 : 62));
        desk_end(&desk);
    }
    check_context(NULL);
}

static void a_dumb_terminal_is_not_painted(void)
{
    static const char *const terminals[] = {"dumb", "vt220", "xterm-256color"};
    static const char *const green[] = {NULL, "\033[32m", "\033[38;5;28m"};

    scratch_use_gauge("plain", "none");
    g_unsetenv("COLORTERM");
    for (size_t i = 0; i < G_N_ELEMENTS(terminals); i++) {
        struct desk desk;
        check_context("%s", terminals[i]);
        g_setenv("TERM", terminals[i], TRUE);
        desk_begin(&desk, 100, 24, "examine", NULL);
        desk_watch(&desk);
        CHECK((strstr(desk.seen->str, "\033[3") != NULL) == (green[i] != NULL));
        CHECK(!green[i] || strstr(desk.seen->str, green[i]) != NULL);
        CHECK_EQUAL(0, desk_end(&desk));
    }
    check_context(NULL);
    g_setenv("TERM", "xterm", TRUE);
}

static void signs_are_ascii_without_utf8(void)
{
    scratch_use_gauge("ascii", "none");
    g_setenv("LC_ALL", "C", TRUE);
    struct said said = command("settings", "set", "datum_mm=-1801", NULL);
    EXPECT(0, "datum_mm: -1827 -> -1801", said);
    said = command("examine", NULL);
    EXPECT(0, "Examining bench:ascii ...", said);
    said = command("examine", "--drawing", NULL);
    for (const char *at = said.out; *at; at++)
        CHECK((unsigned char)*at < 0x80);
    g_setenv("LC_ALL", "C.UTF-8", TRUE);
    EXPECT(0, "datum_mm: -1801 → -1827", command("settings", "set", "datum_mm=-1827", NULL));
}

static void lists_fit_the_terminal(void)
{
    struct desk desk;

    scratch_use_gauge("listed", "none");
    scratch_use_gauge("a-board-with-a-rather-long-name", "strap-released");
    EXPECT(4, "", command("identify", NULL));
    EXPECT(4, "", command("erase", "log", NULL));
    desk_begin(&desk, 62, 24, "ledger", "list", NULL);
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "…") != NULL);
    CHECK(desk_widest(&desk) <= 62);
    CHECK_EQUAL(0, desk_end(&desk));
    desk_begin(&desk, 200, 24, "ledger", "list", NULL);
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "…") == NULL && strstr(desk.seen->str, "no answer") != NULL);
    CHECK_EQUAL(0, desk_end(&desk));
}

/* Columns of the bar of the first region; its colours take none. */
static unsigned cells_of(const char *map)
{
    const char *at = strstr(map, "16 KiB |");
    unsigned cells = 0;

    for (at = at ? at + strlen("16 KiB |") : "|"; *at && *at != '|'; at = g_utf8_next_char(at)) {
        if (*at == '\033')
            at += strcspn(at, "m");
        else
            cells++;
    }
    return cells;
}

static void a_map_is_coloured_and_as_wide_as_the_terminal(void)
{
    static const unsigned widths[] = {60, 100, 160};

    for (size_t i = 0; i < sizeof widths / sizeof widths[0]; i++) {
        struct desk desk;
        check_context("%u columns", widths[i]);
        desk_begin(&desk, widths[i], 40, "plan", "--chip", "turnstone-t2", "--flash", "4MiB",
                   placed("app", "gauge.bin"), NULL);
        desk_watch(&desk);
        CHECK(strstr(desk.seen->str, "\033[3") != NULL);
        CHECK(strstr(desk.seen->str, "The plan is valid") != NULL);
        CHECK(strstr(desk.seen->str, "0x000000  -               16 KiB |") != NULL);
        CHECK(strstr(desk.seen->str, "0x040000  app            1.8 MiB |") != NULL);
        /* Of 33 columns before the bar, 30 for the remark and 4 more, what is left; at least 16. */
        CHECK_EQUAL(MAX(widths[i], 67 + 16) - 67, cells_of(desk.seen->str));
        CHECK_EQUAL(0, desk_end(&desk));
    }
    check_context(NULL);
    g_setenv("NO_COLOR", "1", TRUE);
    struct desk desk;
    desk_begin(&desk, 100, 40, "plan", "--chip", "turnstone-t2", "--flash", "4MiB",
               placed("app", "gauge.bin"), NULL);
    desk_watch(&desk);
    CHECK(strstr(desk.seen->str, "\033[3") == NULL);
    CHECK_EQUAL(0, desk_end(&desk));
    g_unsetenv("NO_COLOR");
}

/* Before anything has been waited for, too. */
static void ctrl_c_is_heard_from_the_first_line_on(void)
{
    struct desk desk;

    desk_begin(&desk, 100, 24, "ports", "--appearing", "--wait", "60s", NULL);
    CHECK(desk_see(&desk, "Plug the adapter in now"));
    desk_type(&desk, "\x03");
    CHECK(desk_see(&desk, "stopped at your request"));
    CHECK_EQUAL(9, desk_end(&desk));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(work_shows_a_bar_that_ends_full),
        FACT(a_pipe_gets_no_bar_and_no_colour),
        FACT(a_link_that_is_lost_is_called_again_in_sight),
        FACT(a_board_that_is_called_by_hand_shows_how_long),
        FACT(many_boards_share_the_screen),
        FACT(a_low_screen_shows_what_matters),
        FACT(notes_break_between_words),
        FACT(results_fit_a_narrow_terminal),
        FACT(a_dumb_terminal_is_not_painted),
        FACT(signs_are_ascii_without_utf8),
        FACT(lists_fit_the_terminal),
        FACT(a_map_is_coloured_and_as_wide_as_the_terminal),
        FACT(ctrl_c_is_heard_from_the_first_line_on),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
