/*
 * One run of the command: its options, its output, and its result.
 *
 * A verb is a table row with a function that gets the values of its options, does its work, prints
 * the result to stdout (or adds it to app->json), and returns an exit code. A failure is reported
 * once, by app_fail.
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdio.h>

#include "option.h"
#include "wrytograph-host/problem.h"
#include "wrytograph-host/station.h"
#include "wrytograph-host/stop.h"

/* Declared here: json-glib's headers take a third of a small file's compile time. */
typedef struct _JsonBuilder JsonBuilder;

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
    APP_LINK = 1,        /* --link and its options */
    APP_BENCH = 2,       /* --bench */
    APP_DRY_RUN = 4,     /* --dry-run */
    APP_LAYOUT = 8,      /* --layout */
    APP_IMAGES = 16,     /* --as, --leave-header, --read-mode, --read-clock, --layout */
    APP_EVERY = 32,      /* --every-sector */
    APP_LISTEN = 64,     /* --listen */
    APP_FORMAT = 128,    /* --as */
    APP_KNOWN = 512,     /* --no-guess */
    APP_NO_WORDS = 256,  /* no arguments besides options */
    APP_LINKS = 2048,    /* --link may be repeated */
    APP_LEDGER = 4096,   /* --ledger */
    APP_SETTINGS = 8192, /* --settings-description */
    APP_WRITES = 1024,   /* --any-content, --any-place, --from-another-board, --set */
};

/* A verb. */
struct verb {
    const char *name;
    const char *summary;         /* one line for the list of verbs */
    const char *usage;           /* its arguments */
    const char *examples[3];     /* whole commands, for the help; ends with NULL */
    const char *usual[6];        /* names of the options that the help lists first; likewise */
    const char *description;     /* for --help */
    unsigned options;            /* enum app_options */
    const struct option *own;    /* the verb's own options; NULL = none */
    size_t size;                 /* size of the struct of their values */
    const void *defaults;        /* initial values; NULL: zeros */
    void (*clear)(void *values); /* frees what options_free does not know; NULL = nothing */
    bool leaves_running;         /* it only reads: afterwards the board runs its firmware again */
    int (*run)(struct app *app, void *values);
};

struct wry_ledger;
struct wry_station;
struct progress;
struct trace;
struct terminal;

struct app {
    const struct verb *verb; /* NULL: unknown verb */

    /* Common options; strings belong to the app. */
    char *link, *bench_folder, *speed, *wiring_name, *wait, *patience, *call_speed;
    char *expect_chip, *expect_flash, *layout_path, *format, *read_mode, *read_clock;
    char **set, **set_new;
    char **chip_files;          /* --chip-file */
    char **links;               /* APP_LINKS: all links; otherwise NULL */
    char *ledger_name;          /* --ledger */
    char *settings_description; /* --settings-description */
    char *places;               /* --places */
    char *done_by;              /* --operator */
    gboolean stay, by_hand, json_wanted, dry_run, leave_header, any_content, any_place,
        from_another_board, every_sector, clear_protection, listen, no_guess, quiet, verbose;
    char **rest; /* other arguments; ends with NULL, never NULL itself */

    JsonBuilder *json; /* an open object; verbs add members */
    bool json_begun;   /* a part of it was printed already, see json_stream.h: */
    bool json_lines;   /* each item of its list is a line */
    guint json_items;  /* items of the list so far */

    struct wry_station *station; /* NULL until station_make */
    struct trace *trace;         /* NULL without --verbose */
    struct progress *live;       /* progress display; NULL without a station */
    struct terminal *terminal;   /* console output; NULL if not listening */

    struct wry_ledger *ledger; /* NULL before station_settings, or if it cannot be used */
    struct wry_spent spent;    /* by stations that were left */
    bool linked;               /* one of them had opened its link */
    bool simulated;            /* and that was a bench board's */
    gint64 begun;              /* us: when the command was */
    GPtrArray *config;         /* struct wry_config_entry, see config.h */
    bool failing;              /* what is printed now is the failure: --quiet does not hide it */
    bool left_loading;         /* the board stays in loading mode */
    FILE *notes;               /* destination of notes; NULL = stderr */

    int code; /* set by app_fail, with the next two */
    char *message, *next_step;
    bool told; /* the verb has already reported the failure */
};

/* Stores what went wrong and what to do next (may be NULL); returns code. */
int app_fail(struct app *app, enum exit_code code, const char *next_step, const char *format, ...)
    G_GNUC_PRINTF(4, 5);

/* A copy of text as valid UTF-8, with control characters made visible; free with g_free. */
char *app_printable(const char *text);

/* Prints such a copy to stdout or stderr, wrapped to the terminal's width. */
void app_put(FILE *to, const char *text);

/* The same for one line, whose further lines begin at column indent; 0: behind its own
 * indentation. */
void app_put_hanging(FILE *to, unsigned indent, const char *line);

/* Prints a line about the progress of work to stderr or app->notes, unless --quiet. */
void app_note(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Prints a line of the result to stdout, wrapped to the terminal's width, except with --json. */
void app_print(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* The same; further lines begin at column indent. */
void app_print_hanging(const struct app *app, unsigned indent, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

/* The same, never wrapped: for drawings, and for tables that are laid out already. */
void app_print_exactly(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Colours that are readable on light and on dark ground: of 256 if the terminal has them, else of
 * 16. */
enum app_colour {
    APP_GREEN,
    APP_RED,
    APP_AMBER,
    APP_BLUE,
    APP_CYAN,
    APP_FAINT,
    APP_BOLD,
};

/* True if the terminal has 256 colours. */
bool app_has_many_colours(void);

/* The escape sequence of a colour (ECMA-48, SGR); "" if output is not painted. "\033[0m" ends it.
 */
const char *app_paint(enum app_colour colour);

/* Prints the final line: on a terminal in green or red, unless NO_COLOR is set or TERM is dumb. */
void app_outcome(const struct app *app, bool good, const char *format, ...) G_GNUC_PRINTF(3, 4);

/* "1 sector", "3 sectors"; free with g_free. */
char *app_count(uint64_t n, const char *what);

/* Columns of the terminal on stdout; 0 if it is not a terminal. */
unsigned app_columns(void);

/* True if stdout is a terminal with colours, and NO_COLOR is not set. */
bool app_is_painted(void);

/* True after Ctrl-C; the first call installs the signal handlers. */
bool app_interrupted(void);
/* The same as a struct wry_stop. */
struct wry_stop app_stop(void);

struct termios;

/* Settings of the terminal to restore on a second Ctrl-C; NULL = none. */
void app_restore_at_once(const struct termios *before);
