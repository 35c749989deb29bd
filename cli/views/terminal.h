/*
 * The serial terminal: shows what a board says, and gives what is typed.
 *
 * Text goes to stdout line by line, bytes that do not print as <1B>; notes go to stderr.
 */
#ifndef WRY_CLI_TERMINAL_H
#define WRY_CLI_TERMINAL_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

struct terminal_options {
    char *line_end; /* "crlf", "lf" or "cr": what Enter and --send end with */
    char *log;      /* append everything to this file */
    char *within;   /* seconds, as "10s" or "1.5s" */
    char *steps_file;
    GArray *steps;     /* struct wry_console_step, of the command line or of the file */
    bool expects;      /* one of them waits for a text */
    GPtrArray *texts;  /* that steps point to, */
    GPtrArray *loaded; /* or those of the file */
    gboolean timestamps;
};

/* The options of a verb with a terminal; values: struct terminal_options. */
extern const struct option terminal_options[];
/* Frees what options_free does not know. */
void terminal_clear(void *values);

/* Fills in what is wanted of the job. EXIT_DONE or the code of app_fail. */
int terminal_console_options(struct app *app, struct terminal_options *options,
                             struct wry_console_options *job_options);

/*
 * Runs the job with the keyboard and the screen; the station's link is open. EXIT_DONE or the
 * code of what went wrong, which is told.
 */
int terminal_run(struct app *app, const struct terminal_options *options,
                 struct wry_console_options *job_options,
                 enum wry_outcome (*job)(struct wry_station *, const struct wry_console_options *,
                                         struct wry_console_result *));

/* What the station tells while the job lasts. */
void terminal_hear(struct terminal *terminal, const struct wry_event *event);

#endif
