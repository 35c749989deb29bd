/* A person's terminal. */
#include "desk.h"

#include <fcntl.h>
#include <poll.h>
#include <stdarg.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"

enum {
    WORDS_MOST = 32,
    SILENCE_MOST = 120000, /* ms: a command that is silent for so long hangs */
};

static void run(int keyboard, const char *const *words)
{
    setsid();
    ioctl(keyboard, TIOCSCTTY, 0);
    dup2(keyboard, STDIN_FILENO);
    dup2(keyboard, STDOUT_FILENO);
    dup2(keyboard, STDERR_FILENO);
    execv(command_path(), (char *const *)(uintptr_t)words);
    _exit(127);
}

void desk_begin(struct desk *desk, unsigned columns, unsigned lines, const char *first, ...)
{
    struct winsize size = {.ws_col = (unsigned short)columns, .ws_row = (unsigned short)lines};
    const char *words[WORDS_MOST] = {command_path(), first};
    va_list rest;

    va_start(rest, first);
    for (size_t n = 2; n < WORDS_MOST - 1 && (words[n] = va_arg(rest, const char *)); n++)
        continue;
    va_end(rest);
    desk->screen = posix_openpt(O_RDWR | O_NOCTTY);
    CHECK(grantpt(desk->screen) == 0 && unlockpt(desk->screen) == 0);
    int keyboard = open(ptsname(desk->screen), O_RDWR | O_NOCTTY);
    CHECK(tcgetattr(keyboard, &desk->before) == 0);
    CHECK(ioctl(keyboard, TIOCSWINSZ, &size) == 0);
    desk->seen = g_string_new(NULL);
    desk->pid = fork();
    if (desk->pid == 0)
        run(keyboard, words);
    close(keyboard);
}

static bool read_more(struct desk *desk)
{
    struct pollfd wait = {.fd = desk->screen, .events = POLLIN};
    char bytes[256];

    if (poll(&wait, 1, SILENCE_MOST) <= 0)
        return false;
    ssize_t n = read(desk->screen, bytes, sizeof bytes);

    if (n > 0)
        g_string_append_len(desk->seen, bytes, n);
    return n > 0;
}

bool desk_see(struct desk *desk, const char *text)
{
    while (!strstr(desk->seen->str, text)) {
        if (!read_more(desk))
            return false;
    }
    return true;
}

bool desk_see_anew(struct desk *desk, const char *text)
{
    g_string_truncate(desk->seen, 0);
    return desk_see(desk, text);
}

void desk_type(const struct desk *desk, const char *keys)
{
    CHECK(write(desk->screen, keys, strlen(keys)) == (ssize_t)strlen(keys));
}

void desk_watch(struct desk *desk)
{
    while (read_more(desk))
        continue;
}

unsigned desk_widest(const struct desk *desk)
{
    unsigned widest = 0, columns = 0;

    for (const char *at = desk->seen->str; *at; at = g_utf8_next_char(at)) {
        if (g_str_has_prefix(at, "\033[")) {
            at += strcspn(at + 2, "ABCDHJKmhl") + 2;
            continue;
        }
        columns = *at == '\r' || *at == '\n' ? 0 : columns + 1;
        widest = MAX(widest, columns);
    }
    return widest;
}

int desk_end(struct desk *desk)
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
