/*
 * One run of the command: its options, its output, and how it ends.
 *
 * A verb is a table row and a function that gets the values of its options, does its work, shows
 * the result on stdout (or adds it to app->json), and returns an exit code. A failure is told once,
 * by app_fail.
 */
#ifndef WRY_CLI_APP_H
#define WRY_CLI_APP_H

#include <glib.h>
#include <json-glib/json-glib.h>
#include <stdbool.h>
#include <stdio.h>

#include "options.h"
#include "wrytograph-host/problem.h"
#include "wrytograph-host/stop.h"

enum exit_code {
    EXIT_DONE = WRY_OUTCOME_DONE,
    EXIT_INTERNAL = WRY_OUTCOME_INTERNAL,
    EXIT_USAGE = WRY_OUTCOME_USAGE,
    EXIT_BAD_INPUT = WRY_OUTCOME_BAD_INPUT,
    EXIT_NO_ANSWER = WRY_OUTCOME_NO_ANSWER,
    EXIT_WRONG = WRY_OUTCOME_WRONG,
    EXIT_DIFFERS = WRY_OUTCOME_DIFFERS,
    EXIT_LINK_LOST = WRY_OUTCOME_LINK_LOST,
    EXIT_FLASH = WRY_OUTCOME_FLASH,
    EXIT_STOPPED = WRY_OUTCOME_STOPPED,
};

struct app;

enum app_options {
    APP_LINK = 1,       /* --link and all about it */
    APP_BENCH = 2,      /* --bench */
    APP_DRY_RUN = 4,    /* --dry-run */
    APP_LAYOUT = 8,     /* --layout */
    APP_IMAGES = 16,    /* --as, --leave-header, --read-mode, --read-clock, --layout */
    APP_EVERY = 32,     /* --every-sector */
    APP_LISTEN = 64,    /* --listen */
    APP_FORMAT = 128,   /* --as */
    APP_KNOWN = 512,    /* --no-guess */
    APP_NO_WORDS = 256, /* it takes options and no arguments */
    APP_LINKS = 2048,   /* --link may be repeated */
    APP_LEDGER = 4096,  /* --ledger */
    APP_WRITES = 1024,  /* --any-content, --any-place, --from-another-board, --set */
};

/* A verb, and all that others need to know of it. */
struct verb {
    const char *name;
    const char *summary;         /* for the list of verbs */
    const char *usage;           /* its arguments */
    const char *description;     /* for --help */
    unsigned options;            /* enum app_options */
    const struct option *own;    /* options of its own; NULL = none */
    size_t size;                 /* of the struct of their values */
    const void *defaults;        /* what the values begin with; NULL: zeros */
    void (*clear)(void *values); /* frees what the table does not know; NULL = nothing */
    bool leaves_running;         /* it only reads: the board runs its firmware again afterwards */
    int (*run)(struct app *app, void *values);
};

struct wry_ledger;
struct wry_station;
struct progress;
struct terminal;

struct app {
    const struct verb *verb; /* NULL: there is none of that name */

    /* Common options; strings belong to the app. */
    char *link, *bench_folder, *speed, *wiring_name, *wait, *patience, *call_speed;
    char *expect_chip, *expect_flash, *layout_path, *format, *read_mode, *read_clock;
    char **set, **set_new;
    char **links;      /* APP_LINKS: all of them; else NULL */
    char *ledger_name; /* --ledger */
    gboolean stay, by_hand, json_wanted, dry_run, leave_header, any_content, any_place,
        from_another_board, every_sector, clear_protection, listen, no_guess;
    char **rest; /* arguments that are no options; ends with NULL, never NULL itself */

    JsonBuilder *json; /* an open object; verbs add members */

    struct wry_station *station; /* NULL until station_make */
    struct progress *live;       /* what moves on the terminal; NULL without a station */
    struct terminal *terminal;   /* shows what the board says; NULL when nobody listens */

    struct wry_ledger *ledger; /* NULL until station_settings, or when it cannot be used */
    FILE *notes;               /* where notes go; NULL = stderr */

    int code; /* of app_fail */
    char *message, *next_step;
    bool told; /* the verb has told itself that it failed */
};

/* Notes what went wrong and what to do next (may be NULL); returns code. */
int app_fail(struct app *app, enum exit_code code, const char *next_step, const char *format, ...)
    G_GNUC_PRINTF(4, 5);

/* text with what would steer a terminal made visible, and valid UTF-8; free with g_free. */
char *app_printable(const char *text);

/* The same onto stdout or stderr, wrapped to the terminal's width. */
void app_put(FILE *to, const char *text);

/* A line on stderr, or wherever notes go, about what is going on. */
void app_note(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* A line of result on stdout, unless JSON is wanted. */
void app_print(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* The line that says how it ended: on a terminal in green or red, unless NO_COLOR is set. */
void app_outcome(const struct app *app, bool good, const char *format, ...) G_GNUC_PRINTF(3, 4);

/* "1 sector", "3 sectors"; free with g_free. */
char *app_count(uint64_t n, const char *what);

/* Columns of the terminal that results go to; 0 when it is none. */
unsigned app_columns(void);

/* True on a terminal that takes colours, unless NO_COLOR is set. */
bool app_is_painted(void);

/* True once the user has asked to stop with Ctrl-C; the first call begins to watch for that. */
bool app_interrupted(void);
/* The same for those who take a struct. */
struct wry_stop app_stop(void);

struct termios;

/* The terminal as it was, for when the user asks twice and nothing else is waited for; or NULL. */
void app_restore_at_once(const struct termios *before);

#endif
