/* Files over the console. */
#include "jobs/console/transfer.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "jobs/station/figure.h"
#include "store/file/error.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph/xmodem.h"

enum {
    TEXT_MOST = 1024, /* bytes of a line that are held back */
    TRIES_BAD = 5,    /* repetitions of a block on a bad line */
};

#define BEGIN_TIME 60000000u          /* default us to wait for the other side */
#define REASON_TIME 500000u           /* us to hear why it gave up */
#define LEAVE_MOST UINT64_C(10000000) /* us: a block at 1200 baud */
#define LATENCY 200000u               /* us from here to the other side, at most */
#define TELL_EVERY 100000u            /* us between reports of progress */
#define CONTENT_MOST (64u << 20)      /* bytes */
#define REASON_MOST UINT64_C(5000000) /* us, if it goes on talking */

struct transfer {
    struct console_line *line;
    const struct wry_console_transfer *options;
    struct wry_station *station;
    int file; /* to send; -1: none */
    uint64_t length;
    GByteArray *received;
    struct wry_atomic_file *place; /* for what is received */
    struct wry_xmodem_send send;
    struct wry_xmodem_receive receive;
    uint64_t told_at; /* us */
    unsigned letters; /* that may be the beginning of a text, or ask to begin */
    GString *text;    /* of the other side: passed on by whole lines once the transfer goes on */
};

static bool read_file(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct transfer *t = context;

    for (size_t done = 0; done < n;) {
        ssize_t got = pread(t->file, to + done, n - done, (off_t)offset + (off_t)done);
        if (got == 0 || (got < 0 && errno != EINTR))
            return false;
        done += got > 0 ? (size_t)got : 0;
    }
    return true;
}

static bool open_source(struct transfer *t, GError **error)
{
    struct stat about;

    t->file = wry_text_file_open_plain(t->options->file, error);
    if (t->file < 0)
        return false;
    if (fstat(t->file, &about) != 0)
        return store_file_error(error, t->options->file);
    if (about.st_size == 0)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s is empty", t->options->file);
    if (about.st_size > CONTENT_MOST)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s is too large: at most 64 MiB",
                           t->options->file);
    t->length = (uint64_t)about.st_size;
    return true;
}

static bool open_place(struct transfer *t, GError **error)
{
    t->received = g_byte_array_new();
    t->length = t->options->size;
    if (g_file_test(t->options->file, G_FILE_TEST_EXISTS))
        return store_error(error, WRY_STORE_ERROR_FILE,
                           "%s exists, and is not overwritten by what a board sends",
                           t->options->file);
    t->place = wry_atomic_file_begin(t->options->file, FALSE, error);
    return t->place != NULL;
}

static enum wry_xmodem_state state_of(const struct transfer *t)
{
    return t->options->receives ? t->receive.state : t->send.state;
}

static enum wry_xmodem_failure failure_of(const struct transfer *t)
{
    return t->options->receives ? t->receive.failure : t->send.failure;
}

static uint32_t done_of(const struct transfer *t)
{
    return t->options->receives ? t->receive.done : t->send.done;
}

static uint32_t repeated_of(const struct transfer *t)
{
    return t->options->receives ? t->receive.repeated : t->send.repeated;
}

static void begin(struct transfer *t)
{
    struct wry_xmodem_options options = {.speed = t->line->speed,
                                         .start_time = t->options->within > 0 ? t->options->within
                                                                              : BEGIN_TIME,
                                         .large = !t->options->small};
    struct wry_reader content = {.context = t, .read = read_file};
    uint64_t now = station_now(t->station);

    if (t->options->receives)
        wry_xmodem_receive_begin(&t->receive, &options, now);
    else
        wry_xmodem_send_begin(&t->send, &options, &content, (uint32_t)t->length, now);
}

static void cancel(struct transfer *t)
{
    if (t->options->receives)
        wry_xmodem_receive_cancel(&t->receive);
    else
        wry_xmodem_send_cancel(&t->send);
}

static enum wry_status write_output(struct transfer *t)
{
    const uint8_t *bytes;
    uint64_t now = station_now(t->station);
    size_t n = t->options->receives ? wry_xmodem_receive_output(&t->receive, now, &bytes)
                                    : wry_xmodem_send_output(&t->send, now, &bytes);

    if (n > 0)
        t->letters = 0;
    return n > 0 ? console_line_send(t->line, bytes, n) : WRY_OK;
}

static bool take_byte(struct transfer *t, uint8_t byte, uint64_t now)
{
    const uint8_t *content;

    if (!t->options->receives)
        return wry_xmodem_send_input(&t->send, byte, now);
    bool ours = wry_xmodem_receive_input(&t->receive, byte, now);
    size_t n = wry_xmodem_receive_content(&t->receive, &content);
    if (n > 0)
        g_byte_array_append(t->received, content, (guint)n);
    if (t->received->len > CONTENT_MOST)
        cancel(t);
    return ours;
}

static void report(struct transfer *t, bool at_once)
{
    struct wry_session_progress progress = {.step = t->options->receives ? WRY_STEP_READ
                                                                         : WRY_STEP_WRITE,
                                            .done = done_of(t),
                                            .total = t->length,
                                            .speed = t->line->speed};

    if (!at_once && station_now(t->station) < t->told_at + TELL_EVERY)
        return;
    t->told_at = station_now(t->station);
    figure_progress(t->station, &progress);
    station_tell(t->station, (struct wry_event){.kind = WRY_EVENT_PROGRESS, .progress = &progress});
}

static bool is_text(uint8_t byte)
{
    return byte == '\r' || byte == '\n' || byte == '\t' || (byte >= 0x20 && byte != 0x7F);
}

static void pass_text(struct transfer *t)
{
    console_line_hear(t->line, (const uint8_t *)t->text->str, t->text->len);
    g_string_truncate(t->text, 0);
}

/* Takes what is none of the protocol's. A letter that asks to begin looks like text until nothing,
 * or more of it, follows. */
static void take_text(struct transfer *t, uint8_t byte)
{
    if (byte == 'C' && !t->options->receives && t->send.done == 0) {
        t->letters++;
        return;
    }
    for (; t->letters > 0; t->letters--)
        g_string_append_c(t->text, 'C');
    if (is_text(byte))
        g_string_append_c(t->text, (char)byte);
    if (byte == '\n' || done_of(t) == 0 || t->text->len >= TEXT_MOST)
        pass_text(t);
}

/* Waits until the line has sent what was written: the end of it cancels the transfer. */
static void drain(const struct transfer *t)
{
    const struct wry_port *port = t->station->port;
    uint64_t bytes = t->options->receives ? 0 : WRY_XMODEM_FRAME_MAX;
    uint64_t time = bytes * UINT64_C(10000000) / t->line->speed;

    port->sleep(port->context, station_now(t->station) + MIN(time, LEAVE_MOST) + LATENCY);
}

/* Reads what has arrived, or waits for it. */
static enum wry_status read_input(struct transfer *t)
{
    const struct wry_port *port = t->station->port;
    uint64_t until = t->options->receives ? wry_xmodem_receive_deadline(&t->receive)
                                          : wry_xmodem_send_deadline(&t->send);
    uint8_t bytes[256];
    size_t got = 0;
    enum wry_status status = port->read(port->context, bytes, sizeof bytes,
                                        MIN(until, station_now(t->station) + CONSOLE_TURN), &got);
    uint64_t now = station_now(t->station);

    for (size_t i = 0; status == WRY_OK && i < got; i++) {
        if (!take_byte(t, bytes[i], now))
            take_text(t, bytes[i]);
    }
    return status;
}

static enum wry_status exchange(struct transfer *t)
{
    enum wry_status status = write_output(t);

    while (status == WRY_OK && state_of(t) == WRY_XMODEM_RUNNING) {
        if (station_stopped(t->station))
            cancel(t);
        else
            status = read_input(t);
        if (status == WRY_OK)
            status = write_output(t);
        report(t, state_of(t) == WRY_XMODEM_DONE);
    }
    return status;
}

/* Passes on what the other side prints after it gave up, without the rest of its protocol. */
static enum wry_status hear_reason(struct transfer *t)
{
    const struct wry_port *port = t->station->port;
    uint64_t begun = station_now(t->station), heard_at = begun, now = begun;
    enum wry_status status = WRY_OK;
    uint8_t byte;
    size_t got;

    while (status == WRY_OK && !station_stopped(t->station) && now < heard_at + REASON_TIME &&
           now < begun + REASON_MOST) {
        status = port->read(port->context, &byte, 1, now + CONSOLE_TURN, &got);
        now = station_now(t->station);
        if (status != WRY_OK || got == 0)
            continue;
        heard_at = now;
        if (is_text(byte))
            console_line_hear(t->line, &byte, 1);
    }
    return status;
}

static struct wry_problem *problem_of_failure(const struct transfer *t)
{
    static const struct {
        enum wry_outcome outcome;
        enum wry_problem_kind kind;
    } kinds[] = {
        [WRY_XMODEM_NOT_BEGUN] = {WRY_OUTCOME_NO_ANSWER, WRY_PROBLEM_TRANSFER_NOT_BEGUN},
        [WRY_XMODEM_NOT_ANSWERED] = {WRY_OUTCOME_LINK_LOST, WRY_PROBLEM_TRANSFER_SILENT},
        [WRY_XMODEM_REFUSED] = {WRY_OUTCOME_DIFFERS, WRY_PROBLEM_TRANSFER_REPEATED},
        [WRY_XMODEM_CANCELLED] = {WRY_OUTCOME_DIFFERS, WRY_PROBLEM_TRANSFER_CANCELLED},
        [WRY_XMODEM_OUT_OF_ORDER] = {WRY_OUTCOME_DIFFERS, WRY_PROBLEM_TRANSFER_DISORDER},
    };
    enum wry_xmodem_failure failure = failure_of(t);
    GError *error = NULL;

    if (failure == WRY_XMODEM_STOPPED && t->received && t->received->len > CONTENT_MOST) {
        store_error(&error, WRY_STORE_ERROR_DAMAGED, "%s becomes too large: at most 64 MiB",
                    t->options->file);
        return problem_of_error(error);
    }
    if (failure == WRY_XMODEM_STOPPED)
        return NULL;
    if (failure == WRY_XMODEM_UNREADABLE) {
        store_error(&error, WRY_STORE_ERROR_FILE, "%s: it cannot be read to its end",
                    t->options->file);
        return problem_of_error(error);
    }
    /* A receiver gives up, too, when a block never arrives whole. */
    if (failure == WRY_XMODEM_CANCELLED && t->send.tries >= TRIES_BAD)
        failure = WRY_XMODEM_REFUSED;
    return PROBLEM(kinds[failure].outcome, kinds[failure].kind, t->options->file,
                   .found = done_of(t), .expected = t->length);
}

/* Bytes without the padding of the last block. */
static uint64_t content_length(const struct transfer *t)
{
    guint length = t->received->len,
          least = length > WRY_XMODEM_LARGE ? length - WRY_XMODEM_LARGE : 0;

    if (t->options->size > 0)
        return t->options->size;
    while (length > least && t->received->data[length - 1] == WRY_XMODEM_PADDING)
        length--;
    return length;
}

static struct wry_problem *keep(struct transfer *t)
{
    struct wry_atomic_file *place = t->place;
    GError *error = NULL;

    t->length = content_length(t);
    if (t->length > t->received->len || t->received->len - t->length >= WRY_XMODEM_LARGE)
        return PROBLEM(WRY_OUTCOME_DIFFERS, WRY_PROBLEM_TRANSFER_SHORT, t->options->file,
                       .found = t->received->len, .expected = t->length);
    FILE *file = fopen(wry_atomic_file_path(place), "wb");
    bool good = file && fwrite(t->received->data, 1, t->length, file) == t->length;
    good = file && fclose(file) == 0 && good;
    if (!good) {
        store_file_error(&error, t->options->file);
        return problem_of_error(error);
    }
    t->place = NULL;
    return wry_atomic_file_commit(place, &error) ? NULL : problem_of_error(error);
}

static void note_done(const struct transfer *t)
{
    struct wry_session_progress progress = {.done = t->length, .total = t->length};

    station_tell(t->station, (struct wry_event){.kind = WRY_EVENT_NOTE,
                                                .note = WRY_NOTE_TRANSFERRED,
                                                .text = t->options->file,
                                                .progress = &progress,
                                                .other_speed = repeated_of(t)});
}

static enum wry_status run(struct transfer *t, struct wry_problem **problem)
{
    enum wry_phase phase = t->options->receives ? WRY_PHASE_RECEIVE : WRY_PHASE_SEND;

    station_note(t->station, WRY_NOTE_TRANSFER_AWAITED, t->options->file);
    station_step(t->station, phase);
    begin(t);
    enum wry_status status = exchange(t);
    station_step_end(t->station, phase);
    pass_text(t);
    if (status != WRY_OK)
        return status;
    if (state_of(t) != WRY_XMODEM_DONE) {
        *problem = problem_of_failure(t);
        if (failure_of(t) == WRY_XMODEM_STOPPED)
            drain(t);
        return hear_reason(t);
    }
    *problem = t->options->receives ? keep(t) : NULL;
    if (!*problem)
        note_done(t);
    return WRY_OK;
}

enum wry_status console_transfer(struct console_line *line,
                                 const struct wry_console_transfer *transfer,
                                 struct wry_problem **problem)
{
    struct transfer t = {.line = line,
                         .options = transfer,
                         .station = line->station,
                         .file = -1,
                         .text = g_string_new(NULL)};
    enum wry_status status = WRY_OK;
    GError *error = NULL;

    *problem = NULL;
    if (transfer->receives ? open_place(&t, &error) : open_source(&t, &error))
        status = run(&t, problem);
    else
        *problem = problem_of_error(error);
    if (t.file >= 0)
        close(t.file);
    wry_atomic_file_abandon(t.place);
    g_string_free(t.text, TRUE);
    if (t.received)
        g_byte_array_unref(t.received);
    return status;
}
