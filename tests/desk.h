/*
 * A person's terminal: the command runs in a pseudo-terminal, keys are typed into it, and what the
 * screen shows is read.
 *
 *     struct desk desk;
 *     desk_begin(&desk, 80, 24, "listen", "--link", link, NULL);
 *     CHECK(desk_see(&desk, "Ctrl-X ends"));
 *     desk_type(&desk, "\x18");
 *     CHECK_EQUAL(0, desk_end(&desk));
 */
#ifndef WRY_TESTS_DESK_H
#define WRY_TESTS_DESK_H

#include <glib.h>
#include <stdbool.h>
#include <sys/types.h>
#include <termios.h>

struct desk {
    int screen; /* our side */
    pid_t pid;
    GString *seen;
    struct termios before;
};

void desk_begin(struct desk *desk, unsigned columns, unsigned lines, const char *first, ...)
    __attribute__((sentinel));

/* Reads the screen until the text is there; false when the command has ended, or
 * says nothing for minutes. */
bool desk_see(struct desk *desk, const char *text);
/* The same, in what comes from now on. */
bool desk_see_anew(struct desk *desk, const char *text);
void desk_type(const struct desk *desk, const char *keys);

/* Reads to the end of the command. What was seen stays in desk->seen until desk_end. */
void desk_watch(struct desk *desk);
/* The most columns that a line took which was seen; escape sequences take none. */
unsigned desk_widest(const struct desk *desk);

/* The exit code; the terminal must be as it was. */
int desk_end(struct desk *desk);

#endif
