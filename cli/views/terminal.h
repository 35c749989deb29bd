/*
 * The serial terminal: shows what a board prints (screen.h), and sends what is typed. Notes go to
 * stderr.
 */
#pragma once

#include "app/app.h"
#include "wrytograph-host/jobs.h"

struct terminal_options {
    char *line_end; /* "crlf", "lf" or "cr", sent for Enter and after --send */
    char *log;      /* file to append all lines to */
    char *within;   /* seconds, as "10s" or "1.5s" */
    char *steps_file;
    GArray *steps;     /* struct wry_console_step, of the command line or of the file */
    GArray *transfers; /* struct wry_console_transfer of the file's steps */
    bool expects;      /* at least one step expects a text, or transfers a file */
    GPtrArray *texts;  /* texts that steps point to, */
    GPtrArray *loaded; /* or steps of the file */
    gboolean timestamps, hex, local_echo;
    char *only; /* text of the lines to show; NULL = all */
};

/* The options of a verb with a terminal; values: struct terminal_options. */
extern const struct option terminal_options[];
/* Frees what options_free does not know. */
void terminal_clear(void *values);

/* Fills in the job's options. EXIT_DONE or the code of app_fail. */
int terminal_console_options(struct app *app, struct terminal_options *options,
                             struct wry_console_options *job_options);

/*
 * Runs the job with keyboard and screen; the station's link is open. EXIT_DONE or the code of the
 * failure, which is reported.
 */
int terminal_run(struct app *app, const struct terminal_options *options,
                 struct wry_console_options *job_options,
                 enum wry_outcome (*job)(struct wry_station *, const struct wry_console_options *,
                                         struct wry_console_result *));

/* Before a note is printed on stderr: ends an incomplete line on the screen. */
void terminal_give_way(struct terminal *terminal);

/* Shows events of the station during the job. */
void terminal_hear(struct terminal *terminal, const struct wry_event *event);
