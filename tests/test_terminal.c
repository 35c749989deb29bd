/* The terminal with a person at it: keys typed into a pseudo-terminal, and its state afterwards. */
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <termios.h>
#include <unistd.h>

#include <fcntl.h>

#include "command.h"
#include "harness.h"

/* A person's terminal, and the command that runs in it. */
struct desk {
    int screen; /* our side */
    pid_t pid;
    GString *seen;
    struct termios before;
};

static void sit_down(struct desk *desk, const char *link)
{
    desk->screen = posix_openpt(O_RDWR | O_NOCTTY);
    CHECK(grantpt(desk->screen) == 0 && unlockpt(desk->screen) == 0);
    const char *path = ptsname(desk->screen);
    int keyboard = open(path, O_RDWR | O_NOCTTY);
    CHECK(tcgetattr(keyboard, &desk->before) == 0);
    desk->seen = g_string_new(NULL);
    desk->pid = fork();
    if (desk->pid == 0) {
        setsid();
        ioctl(keyboard, TIOCSCTTY, 0);
        dup2(keyboard, STDIN_FILENO);
        dup2(keyboard, STDOUT_FILENO);
        dup2(keyboard, STDERR_FILENO);
        execl(command_path(), command_path(), "listen", "--link", link, (char *)NULL);
        _exit(127);
    }
    close(keyboard);
}

/* Reads the screen until the text is there; false when the command has ended instead. */
static bool see(struct desk *desk, const char *text)
{
    char bytes[256];
    ssize_t n;

    while (!strstr(desk->seen->str, text)) {
        n = read(desk->screen, bytes, sizeof bytes);
        if (n <= 0)
            return false;
        g_string_append_len(desk->seen, bytes, n);
    }
    return true;
}

static void type(const struct desk *desk, const char *keys)
{
    CHECK(write(desk->screen, keys, strlen(keys)) == (ssize_t)strlen(keys));
}

/* The exit code; the terminal must be as it was. */
static int get_up(struct desk *desk)
{
    struct termios after;
    int status = 0;

    waitpid(desk->pid, &status, 0);
    CHECK(tcgetattr(desk->screen, &after) == 0);
    CHECK(after.c_lflag == desk->before.c_lflag && after.c_iflag == desk->before.c_iflag);
    close(desk->screen);
    g_string_free(desk->seen, TRUE);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

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
    sit_down(&desk, bench.link);
    CHECK(see(&desk, "Ctrl-X ends"));
    CHECK(see(&desk, "tide 2."));
    type(&desk, "version\r");
    CHECK(see(&desk, "tide-gauge 2.3.0"));
    type(&desk, "\x18");
    CHECK_EQUAL(0, get_up(&desk));
    stop(&bench);
}

static void ctrl_c_leaves_a_sane_terminal_and_says_so(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    sit_down(&desk, bench.link);
    CHECK(see(&desk, "Ctrl-X ends"));
    CHECK(see(&desk, "tide 2."));
    type(&desk, "\x03");
    CHECK(see(&desk, "stopped at your request"));
    CHECK_EQUAL(9, get_up(&desk));
    stop(&bench);
}

/* See the text again, in what comes from now on. */
static bool see_anew(struct desk *desk, const char *text)
{
    g_string_truncate(desk->seen, 0);
    return see(desk, text);
}

static void keys_reset_the_board_and_send_a_break(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    sit_down(&desk, bench.link);
    CHECK(see(&desk, "Ctrl-Y resets the board, Ctrl-K sends a break.\r\n"));
    CHECK(see(&desk, "tide 2."));
    type(&desk, "\x0B");
    CHECK(see(&desk, "break: console is free"));
    type(&desk, "\x19");
    CHECK(see_anew(&desk, "gauge ready"));
    CHECK(see(&desk, "The board was reset."));
    type(&desk, "version\r");
    CHECK(see_anew(&desk, "tide-gauge 2.3.0"));
    type(&desk, "\x18");
    CHECK_EQUAL(0, get_up(&desk));
    stop(&bench);
}

/* By hand, from another process, while the line is listened to. */
static void buttons_act_on_a_served_board_at_once(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    sit_down(&desk, bench.link);
    CHECK(see(&desk, "tide 2."));
    EXPECT(0, "not held", command("bench", "press", "desk", "reset", NULL));
    CHECK(see_anew(&desk, "gauge ready"));
    EXPECT(0, "held through", command("bench", "press", "desk", "loading", NULL));
    CHECK(see_anew(&desk, "strap held: loading mode"));
    CHECK(see(&desk, "The board is in loading mode"));
    EXPECT(0, "", command("bench", "press", "desk", "power", NULL));
    CHECK(see_anew(&desk, "gauge ready"));
    type(&desk, "\x18");
    CHECK_EQUAL(0, get_up(&desk));
    stop(&bench);
}

static void a_link_that_goes_away_ends_it_with_its_own_code(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    sit_down(&desk, bench.link);
    CHECK(see(&desk, "tide 2."));
    stop(&bench);
    CHECK(see(&desk, "is gone"));
    CHECK_EQUAL(7, get_up(&desk));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_is_typed_reaches_the_firmware_and_ctrl_x_leaves),
        FACT(ctrl_c_leaves_a_sane_terminal_and_says_so),
        FACT(keys_reset_the_board_and_send_a_break),
        FACT(buttons_act_on_a_served_board_at_once),
        FACT(a_link_that_goes_away_ends_it_with_its_own_code),
    };
    scratch_make_images();
    scratch_add_gauge("desk");
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
