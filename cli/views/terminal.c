/* The serial terminal. */
#include "terminal.h"

#include <errno.h>
#include <json-glib/json-glib.h>
#include <poll.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

#include "explain.h"
#include "json.h"
#include "output_file.h"
#include "screen.h"
#include "typed.h"
#include "wrytograph-host/units.h"

enum {
    LEAVE_KEY = 0x18, /* Ctrl-X */
    RESET_KEY = 0x19, /* Ctrl-Y */
    BREAK_KEY = 0x0B, /* Ctrl-K */
    PASS_KEY = 0x14,  /* Ctrl-T: sends Ctrl-C, which ends this program itself */
    CTRL_C = 0x03,
    BEFORE_KEY = 0x10, /* Ctrl-P; the arrow keys belong to the board */
    AFTER_KEY = 0x0E,  /* Ctrl-N */
    KEYS = 64,         /* most keys processed at once */
};

#define BENCH_TIME 5000000u /* us of simulated time to listen by default */

struct transferred {
    char *file;
    uint64_t bytes, time; /* us */
    uint32_t repeated;    /* blocks */
};

struct terminal {
    struct app *app;
    const struct terminal_options *options;
    const char *line_end;
    struct screen *screen;
    struct typed *typed;
    GString *sending; /* what was typed and is not sent yet */
    GArray *files;    /* struct transferred */
    uint64_t began;   /* us: when the latest transfer did */
    uint32_t speed;   /* baud at the beginning */
    bool input_open;
    struct termios before, typing;
    bool raw;
};

/* For the handler of Ctrl-Z; NULL = the terminal is as it was. */
static const struct terminal *volatile suspended;

/* Adds a step, in the order of the options. */
static void add_step(struct terminal_options *options, const char *send, const char *expect)
{
    GArray *steps = options->steps;
    struct wry_console_step *last =
        steps->len > 0 ? &g_array_index(steps, struct wry_console_step, steps->len - 1) : NULL;
    struct wry_console_step step = {.send = send, .expect = expect};

    /* A text expected after a sent line is the answer to it. */
    if (expect && last && last->send && !last->expect)
        last->expect = expect;
    else
        g_array_append_val(steps, step);
}

static void begin_steps(struct terminal_options *options)
{
    if (options->steps)
        return;
    options->steps = g_array_new(FALSE, FALSE, sizeof(struct wry_console_step));
    options->transfers = g_array_new(FALSE, FALSE, sizeof(struct wry_console_transfer));
    options->texts = g_ptr_array_new_with_free_func(g_free);
}

/* Copies a text that a step points to. */
static const char *keep(struct terminal_options *options, const char *text)
{
    char *kept = g_strdup(text);

    begin_steps(options);
    g_ptr_array_add(options->texts, kept);
    return kept;
}

static void take_send(void *values, const char *text)
{
    add_step(values, keep(values, text), NULL);
}

static void take_expect(void *values, const char *text)
{
    add_step(values, NULL, keep(values, text));
}

#define AT(member) offsetof(struct terminal_options, member)

const struct option terminal_options[] = {
    {.name = "send",
     .type = OPTION_CALL,
     .value = "TEXT",
     .help =
         "Send this line once the board is silent; --send and --expect may be repeated, in order",
     .take = take_send},
    {.name = "expect",
     .type = OPTION_CALL,
     .value = "TEXT",
     .help = "Wait for this text: exit code 0 if it was seen, 6 if not",
     .take = take_expect},
    OPTION(FILE, "steps", steps_file, "FILE", "Steps to send and to expect, from a YAML file"),
    OPTION(TEXT, "within", within, "TIME",
           "How long to wait for each text, such as 10s; default 5s"),
    OPTION(TEXT, "line-end", line_end, "END",
           "Line end of sent lines: crlf, lf or cr; default: crlf, and if that is not answered, "
           "the others"),
    OPTION(FILE, "log", log, "FILE",
           "Append all lines to this file, with date and time, and those sent after '>'"),
    OPTION(FLAG, "timestamps", timestamps, NULL, "Begin each line with the time of day"),
    OPTION(TEXT, "containing", only, "TEXT", "Show only lines with this text; the log has all"),
    OPTION(FLAG, "hex", hex, NULL, "Show bytes in hexadecimal"),
    OPTION(FLAG, "local-echo", local_echo, NULL, "Also show what is typed"),
    {.name = NULL},
};

void terminal_clear(void *values)
{
    struct terminal_options *options = values;

    g_clear_pointer(&options->steps, g_array_unref);
    g_clear_pointer(&options->transfers, g_array_unref);
    g_clear_pointer(&options->texts, g_ptr_array_unref);
    g_clear_pointer(&options->loaded, g_ptr_array_unref);
}

/* The bytes of a line end; NULL for unknown names. */
static const char *line_end_bytes(const char *name)
{
    if (strcmp(name, "crlf") == 0)
        return "\r\n";
    if (strcmp(name, "lf") == 0)
        return "\n";
    return strcmp(name, "cr") == 0 ? "\r" : NULL;
}

static int load_steps(struct app *app, struct terminal_options *options)
{
    GError *error = NULL;

    begin_steps(options);
    if (!options->steps_file)
        return EXIT_DONE;
    if (options->steps->len > 0)
        return app_fail(app, EXIT_USAGE, "Put them into the file.",
                        "--steps together with --send or --expect");
    options->loaded = wry_console_steps_load(options->steps_file, &error);
    if (!options->loaded)
        return explain_error(app, error);
    for (guint i = 0; i < options->loaded->len; i++) {
        const struct wry_console_step *from = g_ptr_array_index(options->loaded, i);
        struct wry_console_step step = {.send = from->send,
                                        .expect = from->expect,
                                        .within = from->within,
                                        .go_on = from->go_on,
                                        .advice = from->advice};
        g_array_append_val(options->steps, step);
        if (wry_console_step_transfer(from)) {
            struct wry_console_transfer transfer = *wry_console_step_transfer(from);
            transfer.step = i;
            g_array_append_val(options->transfers, transfer);
        }
    }
    return EXIT_DONE;
}

int terminal_console_options(struct app *app, struct terminal_options *options,
                             struct wry_console_options *job_options)
{
    job_options->line_end = options->line_end ? line_end_bytes(options->line_end) : NULL;
    if (options->line_end && !job_options->line_end)
        return app_fail(app, EXIT_USAGE, "Line endings are crlf, lf and cr.",
                        "'%s' is not a line ending", options->line_end);
    if (options->within && !wry_units_parse_time(options->within, &job_options->time))
        return app_fail(app, EXIT_USAGE, "Write it as 90s, 2min or 1h.", "'%s' is not a time",
                        options->within);
    int code = load_steps(app, options);
    job_options->steps = (const struct wry_console_step *)(const void *)options->steps->data;
    job_options->step_count = options->steps->len;
    job_options->transfers =
        (const struct wry_console_transfer *)(const void *)options->transfers->data;
    job_options->transfer_count = options->transfers->len;
    options->expects = options->transfers->len > 0;
    for (size_t i = 0; i < job_options->step_count; i++)
        options->expects = options->expects || job_options->steps[i].expect != NULL;
    return code;
}

void terminal_give_way(struct terminal *t)
{
    screen_give_way(t->screen);
}

static void free_transferred(void *item)
{
    g_free(((struct transferred *)item)->file);
}

static void note_transfer(struct terminal *t, const struct wry_event *event)
{
    struct transferred file = {.file = g_strdup(event->text),
                               .bytes = event->progress->done,
                               .time = event->now - t->began,
                               .repeated = event->other_speed};

    g_array_append_val(t->files, file);
}

static void add_transfers(const struct terminal *t)
{
    JsonBuilder *b = t->app->json;

    if (t->files->len == 0)
        return;
    json_begin_list(b, "transfers");
    for (guint i = 0; i < t->files->len; i++) {
        const struct transferred *file = &g_array_index(t->files, struct transferred, i);
        json_add_object(b, json_text("file", file->file),
                        json_number("bytes", (int64_t)file->bytes),
                        json_number("blocks_repeated", file->repeated),
                        json_real("seconds", (double)file->time / 1e6));
    }
    json_builder_end_array(b);
}

static void hear_note(struct terminal *t, const struct wry_event *event)
{
    switch (event->note) {
    case WRY_NOTE_LISTENING:
        t->speed = event->speed;
        app_note(t->app, "Listening on %s at %u baud; Enter sends %s%s.",
                 wry_station_link(t->app->station), (unsigned)event->speed,
                 t->options->line_end ? t->options->line_end : "crlf",
                 t->raw ? "; Ctrl-X ends, Ctrl-Y resets the board, Ctrl-K sends a break, Ctrl-T "
                          "sends Ctrl-C, Ctrl-P types the line before"
                        : "");
        break;
    case WRY_NOTE_READABLE:
        if (!(t->app->verb->options & APP_LEDGER) && event->speed != t->speed)
            app_note(t->app, "Next time, --speed %u begins with it.", (unsigned)event->speed);
        break;
    case WRY_NOTE_UNREADABLE:
        /* It was not readable text after all. */
        screen_drop_line(t->screen);
        break;
    case WRY_NOTE_TRANSFERRED:
        note_transfer(t, event);
        break;
    case WRY_NOTE_SENT:
        screen_sent(t->screen, event->text);
        break;
    default:
        break;
    }
}

void terminal_hear(struct terminal *t, const struct wry_event *event)
{
    if (event->kind == WRY_EVENT_STEP)
        t->began = event->now;
    if (event->kind == WRY_EVENT_HEARD)
        screen_hear(t->screen, event->bytes, event->n);
    else if (event->kind == WRY_EVENT_NOTE)
        hear_note(t, event);
}

static void type_key(struct terminal *t, char key)
{
    if (t->options->local_echo)
        screen_hear(t->screen, (const uint8_t *)&key, 1);
    typed_key(t->typed, key);
    g_string_append_c(t->sending, t->raw && key == PASS_KEY ? CTRL_C : key);
}

static void type_line_end(struct terminal *t)
{
    screen_sent(t->screen, typed_line(t->typed));
    typed_end(t->typed);
    if (t->options->local_echo)
        screen_hear(t->screen, (const uint8_t *)"\n", 1);
    g_string_append(t->sending, t->line_end);
}

static void recall(struct terminal *t, bool back)
{
    gsize before = t->sending->len;

    typed_recall(t->typed, back, t->sending);
    if (t->options->local_echo)
        screen_hear(t->screen, (const uint8_t *)t->sending->str + before, t->sending->len - before);
}

/* One typed or piped byte. */
static void take_key(struct terminal *t, char key, enum wry_console_ask *ask)
{
    if (key == '\n' || (t->raw && key == '\r'))
        type_line_end(t);
    else if (t->raw && (key == BEFORE_KEY || key == AFTER_KEY))
        recall(t, key == BEFORE_KEY);
    else if (t->raw && key == LEAVE_KEY)
        *ask = WRY_CONSOLE_LEAVE;
    else if (t->raw && key == RESET_KEY)
        *ask = WRY_CONSOLE_RESET;
    else if (t->raw && key == BREAK_KEY)
        *ask = WRY_CONSOLE_BREAK;
    else
        type_key(t, key);
}

/* Provides typed or piped input, with line ends replaced. */
static size_t take(void *context, uint8_t *to, size_t room, enum wry_console_ask *ask)
{
    struct terminal *t = context;
    struct pollfd keys = {.fd = STDIN_FILENO, .events = POLLIN};
    char bytes[KEYS];

    screen_tick(t->screen);
    if (screen_is_unread(t->screen) && !t->options->expects)
        *ask = WRY_CONSOLE_LEAVE;
    if (t->sending->len == 0 && t->input_open && poll(&keys, 1, 0) > 0) {
        ssize_t got = read(STDIN_FILENO, bytes, sizeof bytes);
        t->input_open = got > 0;
        for (ssize_t i = 0; i < got && *ask == WRY_CONSOLE_NOTHING; i++)
            take_key(t, bytes[i], ask);
    }
    size_t n = MIN(room, t->sending->len);
    memcpy(to, t->sending->str, n);
    g_string_erase(t->sending, 0, (gssize)n);
    return n;
}

/* Ctrl-Z: the shell gets its terminal as it was, and this program its own when it goes on. By
 * SIGSTOP, since the system ignores SIGTSTP where no shell controls the jobs. */
static void on_suspend(int number)
{
    const struct terminal *t = suspended;
    int kept = errno;

    (void)number;
    if (t)
        tcsetattr(STDIN_FILENO, TCSANOW, &t->before);
    raise(SIGSTOP);
    if (t)
        tcsetattr(STDIN_FILENO, TCSANOW, &t->typing);
    errno = kept;
}

static void watch_suspend(const struct terminal *t)
{
    struct sigaction action = {.sa_handler = t ? on_suspend : SIG_DFL, .sa_flags = SA_RESTART};
    struct sigaction before;

    suspended = t;
    if (sigaction(SIGTSTP, NULL, &before) == 0 && before.sa_handler != SIG_IGN)
        sigaction(SIGTSTP, &action, NULL);
}

static void begin_raw(struct terminal *t)
{
    struct termios raw;

    if (!isatty(STDIN_FILENO) || t->options->expects || tcgetattr(STDIN_FILENO, &t->before) != 0)
        return;
    raw = t->before;
    raw.c_lflag &= ~(tcflag_t)(ICANON | ECHO);
    raw.c_iflag &= ~(tcflag_t)(ICRNL | IXON);
    raw.c_cc[VMIN] = 1;
    raw.c_cc[VTIME] = 0;
    t->typing = raw;
    t->raw = tcsetattr(STDIN_FILENO, TCSANOW, &raw) == 0;
    app_restore_at_once(t->raw ? &t->before : NULL);
    if (t->raw)
        watch_suspend(t);
}

static void end_raw(struct terminal *t)
{
    app_restore_at_once(NULL);
    if (t->raw)
        watch_suspend(NULL);
    if (t->raw)
        tcsetattr(STDIN_FILENO, TCSANOW, &t->before);
    t->raw = false;
}

static void tell_seen(const struct app *app, const struct wry_console_options *job_options)
{
    g_autoptr(GString) texts = g_string_new(NULL);

    for (size_t i = 0; i < job_options->step_count; i++) {
        if (job_options->steps[i].expect && !job_options->steps[i].go_on)
            g_string_append_printf(texts, "%s\"%s\"", texts->len > 0 ? ", " : "",
                                   job_options->steps[i].expect);
    }
    if (texts->len > 0)
        app_outcome(app, true, "Seen: %s.", texts->str);
}

int terminal_run(struct app *app, const struct terminal_options *options,
                 struct wry_console_options *job_options,
                 enum wry_outcome (*job)(struct wry_station *, const struct wry_console_options *,
                                         struct wry_console_result *))
{
    bool simulated = wry_station_is_simulated(app->station);
    struct wry_console_result result = {0};
    FILE *log = options->log ? fopen(options->log, "a") : NULL;

    if (options->log && !log)
        return app_fail(app, EXIT_BAD_INPUT, NULL, "%s: %s", options->log, g_strerror(errno));
    struct terminal *t = g_new0(struct terminal, 1);
    *t = (struct terminal){
        .app = app,
        .options = options,
        .line_end = job_options->line_end ? job_options->line_end : "\r\n",
        .screen = screen_new(&(struct screen_settings){.quiet = app->json_wanted,
                                                       .timestamps = options->timestamps,
                                                       .hex = options->hex,
                                                       .colours = app_is_painted(),
                                                       .only = options->only,
                                                       .log = log}),
        .typed = typed_new(),
        .sending = g_string_new(NULL),
        .files = g_array_new(FALSE, FALSE, sizeof(struct transferred)),
        .input_open = !simulated && !options->expects};
    g_array_set_clear_func(t->files, free_transferred);
    app->terminal = t;
    begin_raw(t);
    job_options->context = t;
    job_options->take = take;
    if (job_options->time == 0 && simulated && !options->expects)
        job_options->time = BENCH_TIME;
    enum wry_outcome outcome = job(app->station, job_options, &result);
    /* The reader has seen enough: end. */
    bool unread = screen_is_unread(t->screen);
    screen_free(t->screen);
    if (unread && !options->expects)
        (void)!freopen("/dev/null", "w", stdout);
    end_raw(t);
    app->terminal = NULL;
    if (outcome == WRY_OUTCOME_DONE && !options->expects && !options->within && simulated)
        app_note(app, "%u s of simulated time have passed; --within listens longer.",
                 BENCH_TIME / 1000000u);
    if (result.ended) {
        json_add_console(app->json, &result);
        app->left_loading = false; /* the board was started, or was not in loading mode */
    }
    add_transfers(t);
    if (result.seen)
        tell_seen(app, job_options);
    g_autoptr(GError) error = NULL;
    bool logged = !log || output_file_close(log, options->log, &error);
    typed_free(t->typed);
    g_string_free(t->sending, TRUE);
    g_array_unref(t->files);
    g_free(t);
    wry_console_result_clear(&result);
    if (outcome != WRY_OUTCOME_DONE) {
        if (!logged)
            app_note(app, "The log is not complete: %s", error->message);
        return explain(app, wry_station_problem(app->station));
    }
    return logged ? EXIT_DONE
                  : app_fail(app, EXIT_INTERNAL,
                             options->expects ? "All expected output was seen." : NULL,
                             "the log is not complete: %s", error->message);
}
