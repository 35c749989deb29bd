/* The terminal with a person at it: keys typed into a pseudo-terminal, and its state afterwards. */
#include <glib.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
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

static void keys_reset_the_board_and_send_a_break(void)
{
    struct bench bench;
    struct desk desk;

    serve(&bench);
    desk_begin(&desk, 200, 24, "listen", "--link", bench.link, NULL);
    CHECK(desk_see(&desk, "Ctrl-Y resets the board, Ctrl-K sends a break.\r\n"));
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
