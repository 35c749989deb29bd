/* The terminal with a person at it: keys typed into a pseudo-terminal, and its state afterwards. */
#include <fcntl.h>
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include "command.h"
#include "desk.h"
#include "harness.h"

struct bench {
    GPid pid;
    char *link;
};

static void serve(struct bench *bench)
{
    char *argv[] = {(char *)(uintptr_t)command_path(), (char *)(uintptr_t) "bench",
                    (char *)(uintptr_t) "serve", (char *)(uintptr_t) "desk", NULL};
    char line[256] = {0};
    int out;

    CHECK(g_spawn_async_with_pipes(NULL, argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                   &bench->pid, NULL, &out, NULL, NULL));
    CHECK(read(out, line, sizeof line - 1) > 0);
    close(out);
    const char *link = strstr(line, "rfc2217://");
    CHECK(link != NULL);
    bench->link = link ? g_strndup(link, strcspn(link, " \n")) : g_strdup("");
}

static void stop(struct bench *bench)
{
    int status;

    kill(bench->pid, SIGTERM);
    waitpid(bench->pid, &status, 0);
    g_free(bench->link);
}

static void what_is_typed_reaches_the_firmware_and_ctrl_x_leaves(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 200, 24, "listen", "--link", bench.link, NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    CHECK(desk_see(&desk, "tide 2."));
    desk_type(&desk, "version\r");
    CHECK(desk_see(&desk, "tide-gauge 2.3.0"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    stop(&bench);
}

static void ctrl_c_leaves_a_sane_terminal_and_says_so(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 200, 24, "listen", "--link", bench.link, NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    CHECK(desk_see(&desk, "tide 2."));
    desk_type(&desk, "\x03");
    CHECK(desk_see(&desk, "stopped at your request"));
    CHECK_EQUAL(9, desk_end(&desk));
    stop(&bench);
}

/* The module is in its menu again, and not waiting for the next block. */
static void ctrl_c_cancels_a_transfer(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 100, 24, "listen", "--link", bench.link, "--steps",
               scratch_file("sounder-update.yaml"), NULL);
    CHECK(desk_see(&desk, "Sending ["));
    CHECK(desk_see(&desk, " KiB/s"));
    desk_type(&desk, "\x03");
    CHECK(desk_see(&desk, "stopped at your request"));
    CHECK_EQUAL(9, desk_end(&desk));
    EXPECT(0, "program is damaged",
           command("listen", "--link", bench.link, "--send", "v", "--expect", "program is damaged",
                   NULL));
    stop(&bench);
}

static void keys_reset_the_board_and_send_a_break(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 200, 24, "listen", "--link", bench.link, NULL);
    CHECK(desk_see(&desk, "Ctrl-Y resets the board, Ctrl-K sends a break"));
    CHECK(desk_see(&desk, "tide 2."));
    desk_type(&desk, "\x0B");
    CHECK(desk_see(&desk, "break: console is free"));
    desk_type(&desk, "\x19");
    CHECK(desk_see_anew(&desk, "gauge ready"));
    CHECK(desk_see(&desk, "The board was reset."));
    desk_type(&desk, "version\r");
    CHECK(desk_see_anew(&desk, "tide-gauge 2.3.0"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    stop(&bench);
}

/* By hand, from another process, while the line is listened to. */
static void buttons_act_on_a_served_board_at_once(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 200, 24, "listen", "--link", bench.link, NULL);
    CHECK(desk_see(&desk, "tide 2."));
    EXPECT(0, "not held", command("bench", "press", "desk", "reset", NULL));
    CHECK(desk_see_anew(&desk, "gauge ready"));
    EXPECT(0, "held through", command("bench", "press", "desk", "loading", NULL));
    CHECK(desk_see_anew(&desk, "strap held: loading mode"));
    CHECK(desk_see(&desk, "The board is in loading mode"));
    EXPECT(0, "", command("bench", "press", "desk", "power", NULL));
    CHECK(desk_see_anew(&desk, "gauge ready"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    stop(&bench);
}

static void a_link_that_goes_away_ends_it_with_its_own_code(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 200, 24, "listen", "--link", bench.link, NULL);
    CHECK(desk_see(&desk, "tide 2."));
    stop(&bench);
    CHECK(desk_see(&desk, "is gone"));
    CHECK_EQUAL(7, desk_end(&desk));
}

/* A board of the test's own at the far end of a pseudo-terminal. */
static int open_board(char *link, size_t room)
{
    int board = posix_openpt(O_RDWR | O_NOCTTY);
    struct termios raw;

    CHECK(board >= 0 && grantpt(board) == 0 && unlockpt(board) == 0);
    CHECK(tcgetattr(board, &raw) == 0);
    cfmakeraw(&raw);
    CHECK(tcsetattr(board, TCSANOW, &raw) == 0);
    g_strlcpy(link, ptsname(board), room);
    return board;
}

static void say(int board, const char *text)
{
    CHECK_EQUAL((long long)strlen(text), write(board, text, strlen(text)));
}

/* True once the board has received the text; other bytes are dropped. */
static bool board_hears(int board, const char *text)
{
    size_t at = 0;
    char byte;

    while (text[at] && read(board, &byte, 1) == 1)
        at = byte == text[at] ? at + 1 : 0;
    return text[at] == '\0';
}

static void a_prompt_is_shown_before_its_line_ends(void)
{
    struct desk desk;
    char link[64];
    int board = open_board(link, sizeof link);

    desk_begin(&desk, 200, 24, "listen", "--link", link, NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    say(board, "gauge login: ");
    CHECK(desk_see(&desk, "gauge login: "));
    desk_type(&desk, "keeper\r");
    CHECK(board_hears(board, "keeper\r\n"));
    say(board, "H\xC3\xB6he 2.31 m \xFF\x9B\r\n");
    CHECK(desk_see(&desk, "2.31 m <FF><9B>"));
    /* Progress is drawn over itself. */
    say(board, "levelling 10 %\rlevelling 20 %");
    CHECK(desk_see(&desk, "\r\033[Klevelling 20 %"));
    desk_type(&desk, "\x14");
    CHECK(board_hears(board, "\x03"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    close(board);
}

static void lines_typed_before_are_had_again(void)
{
    struct desk desk;
    char link[64];
    int board = open_board(link, sizeof link);

    desk_begin(&desk, 200, 24, "listen", "--link", link, NULL);
    CHECK(desk_see(&desk, "Ctrl-P types the line before"));
    desk_type(&desk, "version\rvoltage 3\xC2\xB5\r");
    CHECK(board_hears(board, "version\r\nvoltage 3\xC2\xB5\r\n"));
    /* What was typed is taken back first; beyond the first line there is none. */
    desk_type(&desk, "h\xC3\xB6\x10\x10\x10\r");
    CHECK(board_hears(board,
                      "h\xC3\xB6\x7F\x7F"
                      "voltage 3\xC2\xB5\x7F\x7F\x7F\x7F\x7F\x7F\x7F\x7F\x7F\x7Fversion\r\n"));
    desk_type(&desk, "\x10\x0E\x0E"
                     "levels\x7F\r");
    CHECK(board_hears(board, "version\x7F\x7F\x7F\x7F\x7F\x7F\x7Flevels\x7F\r\n"));
    desk_type(&desk, "\x10\r");
    CHECK(board_hears(board, "level\r\n"));
    /* Arrow keys are the board's. */
    desk_type(&desk, "\033[A");
    CHECK(board_hears(board, "\033[A"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    close(board);
}

static void what_boards_draw_is_drawn(void)
{
    struct desk desk;
    char link[64];
    size_t n = 0;
    int board = open_board(link, sizeof link);
    const char *file = scratch_file("drawn.log");

    remove(file);
    desk_begin(&desk, 200, 24, "listen", "--link", link, "--log", file, NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    say(board, "\033[0;32mtide 2.31 m\033[0m\r\n\033[2Jbatt");
    CHECK(desk_see(&desk, "\033[0;32mtide 2.31 m\033[0m\r\nbatt"));
    say(board, "\b \b\b \btter\x1By 3.9\033[99");
    CHECK(desk_see(&desk, "batt\b "));
    CHECK(desk_see(&desk, "tter<1B>y 3.9"));
    CHECK(strstr(desk.seen->str, "\033[2J") == NULL);
    say(board, "\xC3\xB6\r\n");
    CHECK(desk_see(&desk, "3.9<1B>[99"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    g_autofree char *log = (char *)scratch_read("drawn.log", &n);
    CHECK(log && g_strstr_len(log, (gssize)n, " tide 2.31 m\n") != NULL);
    CHECK(log && g_strstr_len(log, (gssize)n, " batter<1B>y 3.9<1B>[99") != NULL);
    close(board);
}

/* As on 'listen | tee': an incomplete line is written when the board falls silent. */
static void a_line_that_never_ends_takes_no_memory(void)
{
    char link[64], piece[1024], *argv[] = {NULL, "listen", "--link", link, "--log", NULL, NULL};
    int board = open_board(link, sizeof link), out, status;
    GPid pid;

    argv[0] = (char *)(uintptr_t)command_path();
    argv[5] = (char *)(uintptr_t)scratch_file("endless.log");
    CHECK(g_spawn_async_with_pipes(NULL, argv, NULL,
                                   G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_STDERR_TO_DEV_NULL, NULL,
                                   NULL, &pid, NULL, &out, NULL, NULL));
    say(board, "sounding");
    CHECK(read(out, piece, sizeof piece) > 0);
    CHECK(g_str_has_prefix(piece, "sounding"));
    memset(piece, '.', sizeof piece);
    for (unsigned i = 0; i < 20; i++) {
        CHECK_EQUAL(sizeof piece, write(board, piece, sizeof piece));
        for (size_t got = 0; got < sizeof piece;) {
            char back[1024];
            ssize_t n = read(out, back, sizeof back);
            CHECK(n > 0);
            got += n > 0 ? (size_t)n : sizeof piece;
        }
    }
    kill(pid, SIGINT);
    waitpid(pid, &status, 0);
    close(out);
    close(board);
    size_t n = 0;
    g_autofree char *log = (char *)scratch_read("endless.log", &n);
    /* In the log it is broken into parts. */
    CHECK(log && n > 20000 && g_strstr_len(log, (gssize)n, "....\n") != NULL);
}

static void ctrl_z_gives_the_shell_its_terminal(void)
{
    struct termios now;
    struct desk desk;
    char link[64];
    int board = open_board(link, sizeof link), status;

    desk_begin(&desk, 200, 24, "listen", "--link", link, NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    CHECK(tcgetattr(desk.screen, &now) == 0 && (now.c_lflag & ICANON) == 0);
    kill(desk.pid, SIGTSTP);
    CHECK(waitpid(desk.pid, &status, WUNTRACED) == desk.pid && WIFSTOPPED(status));
    CHECK(tcgetattr(desk.screen, &now) == 0 && (now.c_lflag & ICANON) != 0);
    kill(desk.pid, SIGCONT);
    say(board, "gauge ready\r\n");
    CHECK(desk_see(&desk, "gauge ready"));
    CHECK(tcgetattr(desk.screen, &now) == 0 && (now.c_lflag & ICANON) == 0);
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    close(board);
}

static void lines_can_be_picked_and_echoed_and_logged(void)
{
    struct desk desk;
    char link[64];
    size_t n = 0;
    int board = open_board(link, sizeof link);

    desk_begin(&desk, 200, 24, "listen", "--link", link, "--containing", "tide", "--log",
               scratch_file("picked.log"), NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    say(board, "battery 3.9 V\r\ntide 2.31 m\r\n");
    CHECK(desk_see(&desk, "tide 2.31 m"));
    CHECK(strstr(desk.seen->str, "battery") == NULL);
    desk_type(&desk, "l\xC3\xA9\x7F"
                     "evels\r");
    CHECK(board_hears(board, "evels\r\n"));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    g_autofree char *log = (char *)scratch_read("picked.log", &n);
    CHECK(log && g_strstr_len(log, (gssize)n, " battery 3.9 V\n") != NULL);
    CHECK(log && g_strstr_len(log, (gssize)n, " > levels\n") != NULL);
    CHECK(log && n > 10 && log[4] == '-' && log[7] == '-' && log[10] == ' ');
    desk_begin(&desk, 200, 24, "listen", "--link", link, "--hex", "--local-echo", NULL);
    CHECK(desk_see(&desk, "Ctrl-X ends"));
    say(board, "tide\r\n");
    CHECK(desk_see(&desk, "000000  74 69 64 65 0D 0A"));
    CHECK(desk_see(&desk, "  tide.."));
    desk_type(&desk, "\x18");
    CHECK_EQUAL(0, desk_end(&desk));
    close(board);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_is_typed_reaches_the_firmware_and_ctrl_x_leaves),
        FACT(ctrl_c_leaves_a_sane_terminal_and_says_so),
        FACT(ctrl_c_cancels_a_transfer),
        FACT(keys_reset_the_board_and_send_a_break),
        FACT(buttons_act_on_a_served_board_at_once),
        FACT(a_link_that_goes_away_ends_it_with_its_own_code),
        FACT(a_prompt_is_shown_before_its_line_ends),
        FACT(lines_typed_before_are_had_again),
        FACT(what_boards_draw_is_drawn),
        FACT(a_line_that_never_ends_takes_no_memory),
        FACT(ctrl_z_gives_the_shell_its_terminal),
        FACT(lines_can_be_picked_and_echoed_and_logged),
    };
    scratch_make_images();
    scratch_add_gauge("desk");
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
