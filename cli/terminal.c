/* The serial terminal. */
#include "terminal.h"

#include <errno.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

#include "store/units.h"

enum {
    LEAVE_KEY = 0x18, /* Ctrl-X */
    SEEN_MAX = 65536, /* text kept for the search */
    JUDGED = 48,      /* bytes after which a speed is judged */
    READABLE_PERCENT = 80,
};

#define TURN 20000u         /* us between looks at the keyboard */
#define BENCH_TIME 5000000u /* us of simulated time, when no other end is given */
#define QUIET_TIME 300000u  /* us of silence after which a board is taken to listen */
#define BOOT_TIME 2000000u  /* us for it to fall silent */
#define SPEED_TIME 1200000u /* us for each speed that is tried */

static const uint32_t usual_speeds[] = {115200, 38400, 9600, 57600, 230400, 460800, 921600};

struct terminal {
    struct app *app;
    const struct terminal_options *options;
    const char *line_end;
    FILE *log;
    GString *line; /* being received */
    GString *seen; /* for --expect, and the JSON result */
    bool found;
    bool leave;
    bool input_open;
    uint32_t speed;
    unsigned judged, readable; /* bytes at this speed */
    size_t next_speed;         /* to try */
    bool settled;              /* the speed is readable */
    uint64_t speed_since;      /* us */
    struct termios before;
    bool raw;
};

GOptionEntry *terminal_entries(struct terminal_options *options)
{
    GOptionEntry entries[] = {
        {"line-end", 0, 0, G_OPTION_ARG_STRING, &options->line_end,
         "What ends a line that is sent: crlf (usual), lf or cr", "END"},
        {"log", 0, 0, G_OPTION_ARG_FILENAME, &options->log, "Append all lines to this file",
         "FILE"},
        {"expect", 0, 0, G_OPTION_ARG_STRING, &options->expect,
         "Wait for this text: exit code 0 when it was seen, 6 when not", "TEXT"},
        {"within", 0, 0, G_OPTION_ARG_STRING, &options->within, "Wait no longer, such as 10s",
         "TIME"},
        {"send", 0, 0, G_OPTION_ARG_STRING, &options->send, "Send this line first", "TEXT"},
        {"timestamps", 0, 0, G_OPTION_ARG_NONE, &options->timestamps,
         "Begin each line with the time of day", NULL},
        G_OPTION_ENTRY_NULL};
    GOptionEntry *copy = g_malloc(sizeof entries);

    memcpy(copy, entries, sizeof entries);
    return copy;
}

void terminal_free(struct terminal_options *options)
{
    g_free(options->line_end);
    g_free(options->log);
    g_free(options->expect);
    g_free(options->within);
    g_free(options->send);
}

static const char *line_end_bytes(const char *name)
{
    if (!name || strcmp(name, "crlf") == 0)
        return "\r\n";
    if (strcmp(name, "lf") == 0)
        return "\n";
    return strcmp(name, "cr") == 0 ? "\r" : NULL;
}

int terminal_check(struct app *app, const struct terminal_options *options)
{
    if (!line_end_bytes(options->line_end))
        return app_fail(app, EXIT_USAGE, "Line endings are crlf, lf and cr.",
                        "'%s' is no line ending", options->line_end);
    uint64_t within;

    if (options->within && !units_parse_time(options->within, &within))
        return app_fail(app, EXIT_USAGE, "Write it in seconds, such as 10s.", "'%s' is no time",
                        options->within);
    return EXIT_DONE;
}

static uint64_t now(const struct terminal *t)
{
    return t->app->port->now(t->app->port->context);
}

static char *stamp(void)
{
    g_autoptr(GDateTime) time = g_date_time_new_now_local();
    g_autofree char *seconds = g_date_time_format(time, "%H:%M:%S");

    return g_strdup_printf("%s.%03d ", seconds, g_date_time_get_microsecond(time) / 1000);
}

static void end_line(struct terminal *t)
{
    g_autofree char *time = stamp();

    if (!t->app->json_wanted)
        printf("%s%s%s", t->options->timestamps ? time : "", t->line->str, t->raw ? "\r\n" : "\n");
    fflush(stdout);
    if (t->log) {
        fprintf(t->log, "%s%s\n", time, t->line->str);
        fflush(t->log);
    }
    g_string_truncate(t->line, 0);
}

static void search(struct terminal *t)
{
    if (t->seen->len > SEEN_MAX)
        g_string_erase(t->seen, 0, SEEN_MAX / 2);
    if (t->options->expect && strstr(t->seen->str, t->options->expect))
        t->found = true;
}

static void show(struct terminal *t, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        bool printable = bytes[i] >= 0x20 && bytes[i] < 0x7F;
        t->judged++;
        t->readable += printable || bytes[i] == '\r' || bytes[i] == '\n' || bytes[i] == '\t';
        if (bytes[i] == '\n') {
            g_string_append_c(t->seen, '\n');
            end_line(t);
        } else if (printable) {
            g_string_append_c(t->line, (char)bytes[i]);
            g_string_append_c(t->seen, (char)bytes[i]);
        } else if (bytes[i] != '\r') {
            g_string_append_printf(t->line, "<%02X>", bytes[i]);
        }
    }
    search(t);
}

/* What came together with the last answer is the first that the board says. */
static enum wry_status begin_listening(struct terminal *t)
{
    struct wry_session *session = &t->app->session;
    uint8_t bytes[256];
    size_t n = 0;

    t->speed = t->options->speed;
    t->speed_since = now(t);
    if (session->port && session->speed == t->speed)
        n = wry_session_take_rest(session, bytes, sizeof bytes);
    show(t, bytes, n);
    return n > 0 ? WRY_OK : t->app->port->set_speed(t->app->port->context, t->speed);
}

static enum wry_status set_speed(struct terminal *t, uint32_t baud)
{
    t->speed = baud;
    t->judged = t->readable = 0;
    t->speed_since = now(t);
    enum wry_status status = t->app->port->set_speed(t->app->port->context, baud);
    if (status == WRY_OK)
        status = t->app->port->discard(t->app->port->context);
    return status;
}

/* What arrives makes no sense: the usual speeds are tried until it does. */
static enum wry_status judge_speed(struct terminal *t)
{
    bool enough = t->judged >= JUDGED;
    bool readable = t->readable * 100 >= t->judged * READABLE_PERCENT;

    if (t->settled || t->judged == 0 || (!enough && now(t) < t->speed_since + SPEED_TIME))
        return WRY_OK;
    if (readable) {
        t->settled = true;
        if (t->speed != t->options->speed)
            app_note(t->app, "Readable at %u baud.", (unsigned)t->speed);
        return WRY_OK;
    }
    if (t->next_speed == G_N_ELEMENTS(usual_speeds)) {
        app_note(t->app, "Not readable at any of the usual speeds. Check ground and wiring.");
        t->settled = true;
        return set_speed(t, t->options->speed);
    }
    uint32_t speed = usual_speeds[t->next_speed++];
    if (speed == t->options->speed && t->next_speed < G_N_ELEMENTS(usual_speeds))
        speed = usual_speeds[t->next_speed++];
    app_note(t->app, "Not readable at %u baud; trying %u.", (unsigned)t->speed, (unsigned)speed);
    g_string_truncate(t->line, 0);
    return set_speed(t, speed);
}

static enum wry_status send_text(struct terminal *t, const char *text, size_t n)
{
    return t->app->port->write(t->app->port->context, (const uint8_t *)text, n);
}

static enum wry_status send_line(struct terminal *t, const char *text)
{
    enum wry_status status = send_text(t, text, strlen(text));

    return status == WRY_OK ? send_text(t, t->line_end, strlen(t->line_end)) : status;
}

/* What was typed, or came through a pipe: line ends become those that are chosen. */
static enum wry_status take_keys(struct terminal *t)
{
    struct pollfd keys = {.fd = STDIN_FILENO, .events = POLLIN};
    enum wry_status status = WRY_OK;
    char bytes[256];

    if (!t->input_open || poll(&keys, 1, 0) <= 0)
        return WRY_OK;
    ssize_t n = read(STDIN_FILENO, bytes, sizeof bytes);
    if (n <= 0) {
        t->input_open = false;
        return WRY_OK;
    }
    for (ssize_t i = 0; i < n && status == WRY_OK && !t->leave; i++) {
        if (t->raw && bytes[i] == LEAVE_KEY)
            t->leave = true;
        else if (bytes[i] == '\n' || (t->raw && bytes[i] == '\r'))
            status = send_text(t, t->line_end, strlen(t->line_end));
        else
            status = send_text(t, bytes + i, 1);
    }
    return status;
}

static void begin_raw(struct terminal *t)
{
    struct termios raw;

    if (!isatty(STDIN_FILENO) || t->options->expect || tcgetattr(STDIN_FILENO, &t->before) != 0)
        return;
    raw = t->before;
    raw.c_lflag &= ~(tcflag_t)(ICANON | ECHO);
    raw.c_iflag &= ~(tcflag_t)(ICRNL | IXON);
    raw.c_cc[VMIN] = 1;
    raw.c_cc[VTIME] = 0;
    t->raw = tcsetattr(STDIN_FILENO, TCSANOW, &raw) == 0;
    app_restore_at_once(t->raw ? &t->before : NULL);
}

static void end_raw(struct terminal *t)
{
    app_restore_at_once(NULL);
    if (t->raw)
        tcsetattr(STDIN_FILENO, TCSANOW, &t->before);
    t->raw = false;
}

static enum wry_status turn(struct terminal *t)
{
    const struct wry_port *port = t->app->port;
    uint8_t bytes[256];
    size_t got;
    enum wry_status status = port->read(port->context, bytes, sizeof bytes, now(t) + TURN, &got);

    if (status == WRY_OK && got > 0)
        show(t, bytes, got);
    if (status == WRY_OK)
        status = judge_speed(t);
    return status == WRY_OK ? take_keys(t) : status;
}

/* A board that is just booting does not hear yet; and what it said before is no answer. */
static enum wry_status send_first(struct terminal *t)
{
    uint64_t begun = now(t), quiet_since = begun;
    enum wry_status status = WRY_OK;

    while (status == WRY_OK && now(t) < quiet_since + QUIET_TIME && now(t) < begun + BOOT_TIME &&
           !app_interrupted()) {
        unsigned heard = t->judged;
        status = turn(t);
        if (t->judged != heard)
            quiet_since = now(t);
    }
    g_string_truncate(t->seen, 0);
    t->found = false;
    return status == WRY_OK ? send_line(t, t->options->send) : status;
}

static enum wry_status loop(struct terminal *t, uint64_t end)
{
    enum wry_status status = WRY_OK;

    if (t->options->send)
        status = send_first(t);
    while (status == WRY_OK && !t->found && !t->leave && !app_interrupted() && now(t) < end)
        status = turn(t);
    if (t->line->len > 0)
        end_line(t);
    return status;
}

static int conclude(struct terminal *t, enum wry_status status)
{
    struct app *app = t->app;
    const char *expect = t->options->expect;

    app_json_text(app, "text", t->seen->str);
    app_json_number(app, "speed_baud", t->speed);
    if (t->found) {
        app_outcome(app, true, "Seen: \"%s\".", expect);
        return EXIT_DONE;
    }
    if (status != WRY_OK)
        return app_fail(app, EXIT_LINK_LOST, "Check the cable and run the same command again.",
                        "the link %s is gone", app->link);
    if (app_interrupted())
        return app_fail(app, EXIT_STOPPED, NULL, "stopped at your request");
    if (expect)
        return app_fail(app, EXIT_DIFFERS,
                        t->judged == 0 ? "The board said nothing. Check speed and line ending."
                                       : "What it said is above.",
                        "\"%s\" was not seen", expect);
    return EXIT_DONE;
}

int terminal_run(struct app *app, const struct terminal_options *options)
{
    uint64_t within = 0;
    struct terminal t = {.app = app,
                         .options = options,
                         .line_end = line_end_bytes(options->line_end),
                         .line = g_string_new(NULL),
                         .seen = g_string_new(NULL),
                         .input_open = !app->bench && !options->expect};

    if (options->within)
        units_parse_time(options->within, &within);
    if (options->log && !(t.log = fopen(options->log, "a"))) {
        app_fail(app, EXIT_BAD_INPUT, NULL, "%s: %s", options->log, g_strerror(errno));
    } else {
        app_interrupted();
        begin_raw(&t);
        app_note(app, "Listening on %s at %u baud; Enter sends %s%s.%s", app->link,
                 (unsigned)options->speed, options->line_end ? options->line_end : "crlf",
                 t.raw ? "; Ctrl-X leaves" : "", t.raw ? "\r" : "");
        if (within == 0 && (app->bench || options->expect))
            within = BENCH_TIME;
        enum wry_status status = begin_listening(&t);
        if (status == WRY_OK)
            status = loop(&t, within > 0 ? now(&t) + within : UINT64_MAX);
        end_raw(&t);
        app->code = conclude(&t, status);
    }
    if (t.log)
        fclose(t.log);
    g_string_free(t.line, TRUE);
    g_string_free(t.seen, TRUE);
    return app->code;
}
