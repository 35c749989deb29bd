/*
 * What every verb shares: the common options, the link, the session, and how a command ends.
 *
 * A verb is a function that parses its own options with app_parse, works, prints its result on
 * stdout (or adds it to app->json), and returns an exit code. A failure is told once, by app_fail.
 */
#ifndef WRY_CLI_APP_H
#define WRY_CLI_APP_H

#include <glib.h>
#include <json-glib/json-glib.h>
#include <stdbool.h>
#include <stdio.h>

#include "bench/bench.h"
#include "store/journal.h"
#include "wrytograph-host/remote.h"
#include "wrytograph-host/serial.h"
#include "wrytograph/layout.h"
#include "wrytograph/session.h"

enum exit_code {
    EXIT_DONE = 0,
    EXIT_INTERNAL = 1,
    EXIT_USAGE = 2,
    EXIT_BAD_INPUT = 3,
    EXIT_NO_ANSWER = 4,
    EXIT_WRONG = 5,
    EXIT_DIFFERS = 6,
    EXIT_LINK_LOST = 7,
    EXIT_FLASH = 8,
    EXIT_STOPPED = 9,
};

struct app {
    const char *verb;

    /* Common options; strings belong to the app. */
    char *link;
    char *bench_folder;
    char *speed;
    char *wiring_name;
    gboolean stay, by_hand;
    char *wait, *patience, *call_speed;
    bool hand_shown, loss_shown; /* live lines that are on the terminal */
    char *expect_chip;
    char *expect_flash;
    gboolean json_wanted;
    gboolean dry_run;
    char *layout_path;
    char *as;
    gboolean leave_header;
    gboolean every_sector;
    gboolean listen;
    char **rest; /* arguments that are no options; ends with NULL, never NULL itself */

    JsonBuilder *json; /* an open object; verbs add members */

    struct bench_board *bench;
    struct wry_remote *remote;
    struct wry_serial *serial;
    const struct wry_port *port;
    uint32_t pipe_speed; /* baud that the far end of a raw pipe is told to have; 0 = not told */
    struct wry_session session;
    uint32_t heard_before;   /* readable bytes outside frames when the board had answered first */
    uint64_t started;        /* us on the port's clock */
    struct journal *journal; /* NULL until keeping_settle */
    bool settles;            /* this verb puts back what a cut job left, and says so itself */
    struct wry_region_table layout; /* count 0: none is known */
    const char *layout_source;
    bool layout_is_firm; /* not just the one a chip is delivered with */

    struct bar *bar;

    int code; /* of app_fail */
    char *message, *next_step;
};

enum app_options {
    APP_LINK = 1,    /* --link, --bench, --speed, --expect-chip, --expect-flash */
    APP_BENCH = 2,   /* --bench */
    APP_DRY_RUN = 4, /* --dry-run */
    APP_LAYOUT = 8,  /* --layout */
    APP_IMAGES = 16, /* --as, --leave-header, --layout */
    APP_LISTEN = 64, /* --listen */
    APP_EVERY = 32,  /* --every-sector */
};

/* A verb and the line of help about it. */
struct verb {
    const char *name;
    const char *summary;
    int (*run)(struct app *app, int argc, char **argv);
};

int verb_identify(struct app *app, int argc, char **argv);
int verb_write(struct app *app, int argc, char **argv);
int verb_verify(struct app *app, int argc, char **argv);
int verb_start(struct app *app, int argc, char **argv);
int verb_backup(struct app *app, int argc, char **argv);
int verb_restore(struct app *app, int argc, char **argv);
int verb_erase(struct app *app, int argc, char **argv);
int verb_inspect(struct app *app, int argc, char **argv);
int verb_listen(struct app *app, int argc, char **argv);
int verb_examine(struct app *app, int argc, char **argv);
int verb_ports(struct app *app, int argc, char **argv);
int verb_plan(struct app *app, int argc, char **argv);
int verb_bench(struct app *app, int argc, char **argv);

/*
 * Parses argv[1...]. own: the verb's own options, or NULL. usage: the arguments, for --help. False
 * after app_fail, or when help was printed (app->code is EXIT_DONE then).
 */
bool app_parse(struct app *app, int argc, char **argv, unsigned options, const GOptionEntry *own,
               const char *usage, const char *description);

/* Notes what went wrong and what to do next (may be NULL); returns code. */
int app_fail(struct app *app, enum exit_code code, const char *next_step, const char *format, ...)
    G_GNUC_PRINTF(4, 5);

/* The same from the session's fault. */
int app_fail_session(struct app *app, enum wry_status status);

/* What to do about a journal that cannot be used. */
extern const char app_journal_advice[];

/* The same from a GError of bench or store, which it frees. */
int app_fail_error(struct app *app, GError *error);

/* text with what would steer a terminal made visible, and valid UTF-8; free with g_free. */
char *app_printable(const char *text);

/* The same onto stdout or stderr, wrapped to the terminal's width. */
void app_put(FILE *to, const char *text);

/* A line on stderr about what is going on. */
void app_note(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* A line of result on stdout, unless JSON is wanted. */
void app_print(const struct app *app, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* The line that says how it ended: on a terminal in green or red, unless NO_COLOR is set. */
void app_outcome(const struct app *app, bool good, const char *format, ...) G_GNUC_PRINTF(3, 4);

/* "in 5.0 s", and that it is simulated time where it is; free with g_free. */
char *app_duration(const struct app *app, double seconds);

/* Members of the JSON result. */
void app_json_text(struct app *app, const char *name, const char *value);
void app_json_number(struct app *app, const char *name, int64_t value);
void app_json_offset(struct app *app, const char *name, uint32_t value);

/* True once the user has asked to stop with Ctrl-C; the first call begins to watch for that. */
bool app_interrupted(void);
/* The same for those who take a struct. */
struct wry_stop app_stop(void);

struct termios;

/* The terminal as it was, for when the user asks twice and nothing else is waited for; or NULL. */
void app_restore_at_once(const struct termios *before);

#endif
