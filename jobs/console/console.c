/*
 * The console: shows what a board prints, sends lines, and checks the answers.
 *
 * Lines are sent only when the board is silent. If a line is not answered, other line endings are
 * tried, but a line that was answered is never sent twice. The speed follows the board
 * (console_line.c). The boot ROM's own messages decide over a start that fails.
 */
#include <string.h>

#include "base/sized.h"
#include "jobs/console/console_line.h"
#include "jobs/console/transfer.h"
#include "jobs/station/board_call.h"
#include "jobs/station/link.h"
#include "jobs/station/secrets.h"
#include "jobs/station/station_board.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/jobs.h"

#define QUIET_TIME 300000u       /* us of silence that mean: the board listens */
#define BOOT_TIME 2000000u       /* us to wait for that silence */
#define EXPECT_TIME 5000000u     /* default us to wait for a text */
#define ANSWER_TIME 1000000u     /* us of silence that mean: wrong line end */
#define REACTION_TIME 400000u    /* us for the answer to an accepted line */
#define SPEEDS_TIME 10000000u    /* us to find the board's speed */
#define RESET_TIME 50000u        /* us */
#define LOADER_TIME 300000u      /* us to wait for an answer of a loader */
#define PATIENCE 10000000u       /* default us to wait for a port that disappeared */
#define REOPEN_PAUSE 100000u     /* us */
#define UNANSWERED_TIME 2000000u /* us until the message that nothing answers */

static const struct {
    const char *name, *bytes;
} line_ends[] = {{"crlf", "\r\n"}, {"lf", "\n"}, {"cr", "\r"}};

struct console {
    struct wry_station *station;
    const struct wry_console_options *options;
    struct console_line line;
    bool starts; /* the firmware was started: messages of the boot ROM decide */
    bool leave;
    size_t line_end;   /* index in line_ends, if none was given */
    uint64_t typed_at; /* us: when an unanswered line was typed; 0 = none */
    uint64_t heard_then;
    bool hinted;
    size_t steps;
    const struct wry_console_step *missing; /* the step that failed */
    struct wry_problem *untransferred;      /* why a file did not cross the line */
};

static uint64_t now(const struct console *t)
{
    return station_now(t->station);
}

static bool is_over(const struct console *t)
{
    return t->leave || station_stopped(t->station) ||
           (t->starts && t->line.rom != CONSOLE_ROM_SILENT);
}

static const char *line_end(const struct console *t)
{
    return t->options->line_end ? t->options->line_end : line_ends[t->line_end].bytes;
}

static enum wry_status reset_board(struct console *t)
{
    const struct wry_port *port = t->station->port;

    if (!open_has_lines(t->station)) {
        station_note(t->station, WRY_NOTE_RESET_UNWIRED, NULL);
        return WRY_OK;
    }
    enum wry_status status = port->set_lines(port->context, true, false);
    port->sleep(port->context, now(t) + RESET_TIME);
    if (status == WRY_OK)
        status = port->set_lines(port->context, false, false);
    if (status == WRY_OK)
        station_note(t->station, WRY_NOTE_RESET, NULL);
    return status;
}

static enum wry_status send_break(struct console *t)
{
    const struct wry_port *port = t->station->port;
    enum wry_status status = port->send_break ? port->send_break(port->context) : WRY_UNSUPPORTED;

    station_note(t->station, status == WRY_OK ? WRY_NOTE_BREAK : WRY_NOTE_NO_BREAK, NULL);
    return status == WRY_UNSUPPORTED ? WRY_OK : status;
}

/* Sends what is typed, and watches for an answer. */
static enum wry_status send_taken(struct console *t)
{
    enum wry_console_ask ask = WRY_CONSOLE_NOTHING;
    uint8_t bytes[256];

    if (!t->options->take)
        return WRY_OK;
    size_t n = t->options->take(t->options->context, bytes, sizeof bytes, &ask), end;
    t->leave = t->leave || ask == WRY_CONSOLE_LEAVE;
    end = strlen(line_end(t));
    if (n >= end && memcmp(bytes + n - end, line_end(t), end) == 0) {
        t->typed_at = now(t);
        t->heard_then = t->line.heard_bytes;
    }
    enum wry_status status = console_line_send(&t->line, bytes, n);
    if (status == WRY_OK && ask == WRY_CONSOLE_RESET)
        status = reset_board(t);
    return status == WRY_OK && ask == WRY_CONSOLE_BREAK ? send_break(t) : status;
}

static void hint(struct console *t)
{
    if (t->line.heard_bytes != t->heard_then)
        t->typed_at = 0;
    if (t->hinted || t->typed_at == 0 || now(t) < t->typed_at + UNANSWERED_TIME)
        return;
    t->hinted = true;
    station_note(t->station, WRY_NOTE_LINE_UNANSWERED, NULL);
}

/* An adapter was unplugged, or a board that is its own adapter was reset: waits until the port is
 * back, and listens at the same speed. */
static enum wry_status await_port(struct console *t)
{
    const struct wry_port *port = t->station->port;
    uint64_t patience = t->station->settings.patience;
    uint64_t end = now(t) + (patience > 0 ? patience : PATIENCE);
    bool back = false;

    if (!port->reopen)
        return WRY_LINK_LOST;
    station_note(t->station, WRY_NOTE_PORT_GONE, NULL);
    while (!back && now(t) < end && !station_stopped(t->station)) {
        back = port->reopen(port->context) == WRY_OK;
        if (!back)
            port->sleep(port->context, now(t) + REOPEN_PAUSE);
    }
    if (!back)
        return WRY_LINK_LOST;
    station_note(t->station, WRY_NOTE_PORT_BACK, NULL);
    port->set_lines(port->context, false, false);
    return port->set_speed(port->context, t->line.speed);
}

static enum wry_status turn(struct console *t)
{
    enum console_rom before = t->line.rom;
    enum wry_status status = console_line_turn(&t->line);

    if (status == WRY_LINK_LOST)
        status = await_port(t);

    if (t->line.rom == CONSOLE_ROM_LOADING && before != CONSOLE_ROM_LOADING && !t->starts)
        station_note(t->station, WRY_NOTE_IN_LOADING_MODE, NULL);
    hint(t);
    return status == WRY_OK ? send_taken(t) : status;
}

/* Waits until the board is silent: while it boots, or at the wrong speed, it does not listen. */
static enum wry_status wait_for_quiet(struct console *t)
{
    uint64_t begun = now(t), quiet_since = begun;
    enum wry_status status = WRY_OK;

    while (status == WRY_OK && !is_over(t) &&
           ((t->line.searching && now(t) < begun + SPEEDS_TIME) ||
            (now(t) < quiet_since + QUIET_TIME && now(t) < begun + BOOT_TIME))) {
        uint64_t heard = t->line.heard_bytes;
        status = turn(t);
        if (t->line.heard_bytes != heard)
            quiet_since = now(t);
    }
    return status;
}

static enum wry_status send_line(const struct console *t, const char *text)
{
    enum wry_status status = console_line_send(&t->line, text, strlen(text));
    g_autofree char *shown = secrets_apply(t->station->secrets, text);

    station_note(t->station, WRY_NOTE_SENT, shown);
    return status == WRY_OK ? console_line_send(&t->line, line_end(t), strlen(line_end(t)))
                            : status;
}

/* Repeats a line with another line ending; first sends only that ending, which may complete the
 * line. */
static enum wry_status try_line_end(struct console *t, const char *text)
{
    t->line_end = (t->line_end + 1) % G_N_ELEMENTS(line_ends);
    station_note(t->station, WRY_NOTE_LINE_END_TRIED, line_ends[t->line_end].name);
    enum wry_status status = console_line_send(&t->line, line_end(t), strlen(line_end(t)));
    if (status == WRY_OK)
        status = wait_for_quiet(t);
    g_string_truncate(t->line.seen, 0);
    return status == WRY_OK ? send_line(t, text) : status;
}

static uint64_t time_of(const struct console *t, const struct wry_console_step *step)
{
    return step->within > 0 ? step->within : t->options->time > 0 ? t->options->time : EXPECT_TIME;
}

struct waiting {
    uint64_t begun, end, sent_at;
    uint64_t heard;        /* bytes heard when the line was sent */
    unsigned tried;        /* number of other line endings tried */
    bool looked, answered; /* whether an answer was looked for, and came */
};

/* True if the line was not answered at all, or not as expected for a good part of the time. */
static bool wants_other_end(const struct console *t, const struct wry_console_step *step,
                            struct waiting *w)
{
    if (!w->looked && now(t) >= w->sent_at + REACTION_TIME) {
        w->looked = true;
        w->answered = t->line.heard_bytes != w->heard;
    }
    uint64_t time = w->end - w->begun;
    bool silent = t->line.heard_bytes == w->heard && now(t) >= w->sent_at + ANSWER_TIME;

    if (!step->send || t->options->line_end || !w->looked || w->answered ||
        w->tried + 1 >= G_N_ELEMENTS(line_ends) || time < 2 * ANSWER_TIME)
        return false;
    return silent || now(t) >= w->begun + time * (w->tried + 2) / 4;
}

/* Waits for a text; *seen is true if it came. */
static enum wry_status wait_for_text(struct console *t, const struct wry_console_step *step,
                                     bool *seen)
{
    struct waiting w = {.begun = now(t), .sent_at = now(t), .heard = t->line.heard_bytes};
    enum wry_status status = WRY_OK;

    w.end = w.begun + time_of(t, step);
    for (;;) {
        *seen = strstr(t->line.seen->str, step->expect) != NULL;
        if (status != WRY_OK || *seen || is_over(t) || now(t) >= w.end)
            break;
        if (wants_other_end(t, step, &w)) {
            status = try_line_end(t, step->send);
            w.tried++;
            w.sent_at = now(t);
            w.looked = false;
            w.heard = t->line.heard_bytes;
        }
        if (status == WRY_OK)
            status = turn(t);
    }
    if (*seen && w.tried > 0)
        station_note(t->station, WRY_NOTE_LINE_END_WORKS, line_ends[t->line_end].name);
    return status;
}

/* Drops the text up to the match: it must not match again. */
static void forget_seen(struct console *t, const char *text)
{
    const char *at = strstr(t->line.seen->str, text);

    if (at)
        g_string_erase(t->line.seen, 0, at - t->line.seen->str + (gssize)strlen(text));
}

static enum wry_status take_transfer(struct console *t, size_t step)
{
    const struct wry_console_options *options = t->options;

    for (size_t i = 0; i < options->transfer_count; i++) {
        if (options->transfers[i].step != step)
            continue;
        /* While the board boots, its speed may still change. */
        enum wry_status status = options->steps[step].send ? WRY_OK : wait_for_quiet(t);
        return status == WRY_OK && !is_over(t)
                   ? console_transfer(&t->line, &options->transfers[i], &t->untransferred)
                   : status;
    }
    return WRY_OK;
}

static enum wry_status take_step(struct console *t, size_t index)
{
    const struct wry_console_step *step = &t->options->steps[index];
    enum wry_status status = WRY_OK;
    bool seen = true;

    if (step->send) {
        status = wait_for_quiet(t);
        /* Earlier output is not an answer. */
        g_string_truncate(t->line.seen, 0);
        if (status == WRY_OK && !is_over(t))
            status = send_line(t, step->send);
    }
    if (status == WRY_OK && !is_over(t))
        status = take_transfer(t, index);
    if (status != WRY_OK || t->untransferred)
        return status;
    if (step->expect && !is_over(t))
        status = wait_for_text(t, step, &seen);
    else if (step->expect)
        seen = false;
    if (status != WRY_OK)
        return status;
    if (!seen && !step->go_on) {
        t->missing = step;
        return WRY_OK;
    }
    t->steps++;
    if (step->expect) {
        station_note(t->station, seen ? WRY_NOTE_SEEN : WRY_NOTE_NOT_SEEN, step->expect);
        forget_seen(t, step->expect);
    }
    return WRY_OK;
}

static bool expects(const struct wry_console_options *options)
{
    for (size_t i = 0; i < options->step_count; i++) {
        if (options->steps[i].expect)
            return true;
    }
    return options->transfer_count > 0;
}

static enum wry_status loop(struct console *t)
{
    const struct wry_console_options *options = t->options;
    uint64_t end = options->time > 0 ? now(t) + options->time : UINT64_MAX;
    enum wry_status status = console_line_begin(&t->line);

    for (size_t i = 0; i < options->step_count && status == WRY_OK && !t->missing &&
                       !t->untransferred && !is_over(t);
         i++)
        status = take_step(t, i);
    while (!expects(options) && !t->untransferred && status == WRY_OK && !is_over(t) &&
           now(t) < end)
        status = turn(t);
    return status;
}

/* Nothing was heard: the board may be in loading mode, with only its loader listening. */
static bool loader_answers(struct console *t)
{
    struct wry_session_config config = {.token = board_token(t->station),
                                        .by_hand = true,
                                        .call_time = LOADER_TIME,
                                        .max_speed = WRY_STARTING_SPEED};
    struct wry_session *session = &t->station->session;

    wry_session_init(session, t->station->port, &config);
    bool answers = wry_session_connect(session) == WRY_OK;
    session->connected = false;
    return answers;
}

static struct wry_problem *fail_missing(struct console *t)
{
    const struct wry_console_step *step = t->missing;

    if (t->line.heard_bytes == 0 && loader_answers(t))
        return problem_new(WRY_OUTCOME_NO_ANSWER, WRY_PROBLEM_IN_LOADING_MODE, NULL);
    struct wry_problem *problem =
        problem_new(WRY_OUTCOME_DIFFERS, WRY_PROBLEM_NOT_SEEN, step->expect);
    problem->other = g_strdup(step->send);
    problem->found = t->line.heard_bytes;
    if (step->advice) {
        problem->names = g_new0(char *, 2);
        problem->names[0] = g_strdup(step->advice);
    }
    return problem;
}

static struct wry_problem *conclude(struct console *t, enum wry_status status)
{
    struct wry_station *station = t->station;
    bool missing = expects(t->options) && t->steps < t->options->step_count;

    if (status != WRY_OK)
        return problem_new(WRY_OUTCOME_LINK_LOST, WRY_PROBLEM_LINK_GONE, station->link);
    if (station_stopped(station))
        return problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
    if (t->line.rom == CONSOLE_ROM_LOADING && (t->starts || missing))
        return problem_new(WRY_OUTCOME_NO_ANSWER, WRY_PROBLEM_STRAP_HELD, NULL);
    if (t->line.rom == CONSOLE_ROM_NOTHING && (t->starts || missing))
        return problem_new(WRY_OUTCOME_DIFFERS, WRY_PROBLEM_NOTHING_TO_RUN, NULL);
    return t->untransferred ? g_steal_pointer(&t->untransferred)
           : t->missing     ? fail_missing(t)
                            : NULL;
}

/* Waits until the boot ROM has printed all its output. */
static void hear_rom_out(struct console *t)
{
    uint64_t end = now(t) + QUIET_TIME;

    while (t->starts && t->line.rom != CONSOLE_ROM_SILENT && now(t) < end &&
           !station_stopped(t->station) && console_line_turn(&t->line) == WRY_OK)
        ;
}

static struct wry_problem *run_console(struct console *t, uint32_t speed, uint32_t console,
                                       struct wry_console_result *result)
{
    const struct wry_console_options *options = t->options;
    bool given = options->speed > 0;

    console_line_init(&t->line, t->station, given ? options->speed : speed, given ? 0 : console);
    station_tell(t->station, (struct wry_event){.kind = WRY_EVENT_NOTE,
                                                .note = WRY_NOTE_LISTENING,
                                                .speed = t->line.first_speed});
    enum wry_status status = loop(t);
    hear_rom_out(t);
    console_line_end(&t->line);
    struct wry_problem *problem = conclude(t, status);
    problem_free(t->untransferred);
    result->ended = true;
    result->seen = expects(options) && !problem;
    result->steps = t->steps;
    result->speed = t->line.speed;
    result->text = g_strdup(t->line.said->str);
    console_line_clear(&t->line);
    return problem;
}

enum wry_outcome wry_station_listen_of(struct wry_station *station,
                                       const struct wry_console_options *given, size_t size,
                                       struct wry_console_result *result)
{
    const struct wry_console_options *options = SIZED(struct wry_console_options, given, size);
    struct console t = {.station = station, .options = options};

    station_begin_call(station);
    struct wry_problem *problem = station->port ? NULL : open_link(station);
    if (problem)
        return station_end_call(station, problem);
    /* Opening a port may have changed its outputs: releases the board. */
    station->port->set_lines(station->port->context, false, false);
    return station_end_call(station, run_console(&t, WRY_STARTING_SPEED, 0, result));
}

enum wry_outcome wry_station_start_of(struct wry_station *station,
                                      const struct wry_console_options *given, size_t size,
                                      struct wry_console_result *result)
{
    const struct wry_console_options *options = SIZED(struct wry_console_options, given, size);
    struct console t = {.station = station, .options = options, .starts = true};

    station_begin_call(station);
    struct wry_problem *problem = board_connect(station, false);
    if (problem)
        return station_end_call(station, problem);
    const struct wry_chip *chip = wry_chips_by_code(station->session.board.chip_code);
    enum wry_status status = wry_session_start(&station->session);
    if (status != WRY_OK)
        return station_end_call(station, problem_of_session(station, status));
    station->connected = false;
    station_note(station, WRY_NOTE_STARTED, NULL);
    problem = run_console(&t, chip ? chip->boot_speed : WRY_STARTING_SPEED,
                          chip ? chip->run_speed : 0, result);
    return station_end_call(station, problem);
}

void wry_console_result_clear(struct wry_console_result *result)
{
    g_free(result->text);
    *result = (struct wry_console_result){0};
}
