/*
 * The serial terminal: shows what a board says, sends what is typed, and can wait for a text.
 *
 * Text goes to stdout line by line, bytes that do not print as <1B>; notes go to stderr.
 */
#ifndef WRY_CLI_TERMINAL_H
#define WRY_CLI_TERMINAL_H

#include "app.h"

struct terminal_options {
    char *line_end; /* "crlf", "lf" or "cr": what Enter and --send end with */
    char *log;      /* append everything to this file */
    char *expect;   /* a text to wait for */
    char *within;   /* seconds, as "10s" or "1.5s" */
    char *send;     /* a line to send first */
    gboolean timestamps;
    uint32_t speed; /* baud to begin with */
};

/* The options as entries, ends with an empty one. Free with g_free. */
GOptionEntry *terminal_entries(struct terminal_options *options);
void terminal_free(struct terminal_options *options);

/* EXIT_DONE or the code of app_fail; before the link is opened. */
int terminal_check(struct app *app, const struct terminal_options *options);

/* Runs until the text was seen, time is over, the input ends or the user leaves. */
int terminal_run(struct app *app, const struct terminal_options *options);

#endif
