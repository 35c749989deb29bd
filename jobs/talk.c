/* Talk: what a board says, and what is said to it. */
#include <string.h>

#include "board.h"
#include "listening.h"
#include "open.h"
#include "wrytograph-host/jobs.h"

enum {
    SEEN_MAX = 65536, /* text kept for the search */
    JUDGED = 48,      /* bytes after which a speed is judged */
    READABLE_PERCENT = 80,
};

#define TURN 20000u         /* us between looks at what is to be sent */
#define QUIET_TIME 300000u  /* us of silence after which a board is taken to listen */
#define BOOT_TIME 2000000u  /* us for it to fall silent */
#define SPEED_TIME 1200000u /* us for each speed that is tried */

struct talk {
    struct wry_station *station;
    const struct wry_talk_wanted *wanted;
    GString *seen; /* printable text and line ends */
    bool found;
    bool leave;
    uint32_t first_speed, speed;
    unsigned judged, readable;  /* bytes at this speed */
    const uint32_t *next_speed; /* to try */
    bool settled;               /* the speed is readable, or none is */
    uint64_t speed_since;       /* us */
};

static uint64_t now(const struct talk *t)
{
    return station_now(t->station);
}

static void note_speed(const struct talk *t, enum wry_note note, uint32_t speed, uint32_t other)
{
    station_tell(t->station,
                 (struct wry_event){
                     .kind = WRY_EVENT_NOTE, .note = note, .speed = speed, .other_speed = other});
}

static void search(struct talk *t)
{
    if (t->seen->len > SEEN_MAX)
        g_string_erase(t->seen, 0, SEEN_MAX / 2);
    if (t->wanted->expect && strstr(t->seen->str, t->wanted->expect))
        t->found = true;
}

static void hear(struct talk *t, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        t->judged++;
        t->readable += listening_is_text(bytes[i]);
        if (bytes[i] == '\n' || (bytes[i] >= 0x20 && bytes[i] < 0x7F))
            g_string_append_c(t->seen, (char)bytes[i]);
    }
    station_tell(t->station, (struct wry_event){.kind = WRY_EVENT_HEARD, .bytes = bytes, .n = n});
    search(t);
}

/* What came together with the last answer is the first that the board says. */
static enum wry_status begin(struct talk *t)
{
    struct wry_session *session = &t->station->session;
    const struct wry_port *port = t->station->port;
    uint8_t bytes[256];
    size_t n = 0;

    t->speed = t->first_speed;
    t->speed_since = now(t);
    if (session->port && session->speed == t->speed)
        n = wry_session_take_rest(session, bytes, sizeof bytes);
    hear(t, bytes, n);
    return n > 0 ? WRY_OK : port->set_speed(port->context, t->speed);
}

static enum wry_status set_speed(struct talk *t, uint32_t baud)
{
    const struct wry_port *port = t->station->port;

    t->speed = baud;
    t->judged = t->readable = 0;
    t->speed_since = now(t);
    enum wry_status status = port->set_speed(port->context, baud);
    return status == WRY_OK ? port->discard(port->context) : status;
}

/* What arrives makes no sense: the usual speeds are tried until it does. */
static enum wry_status judge_speed(struct talk *t)
{
    bool enough = t->judged >= JUDGED;
    bool readable = t->readable * 100 >= t->judged * READABLE_PERCENT;
    uint32_t before = t->speed;

    if (t->settled || t->judged == 0 || (!enough && now(t) < t->speed_since + SPEED_TIME))
        return WRY_OK;
    if (readable) {
        t->settled = true;
        if (t->speed != t->first_speed)
            note_speed(t, WRY_NOTE_READABLE, t->speed, 0);
        return WRY_OK;
    }
    if (*t->next_speed == t->first_speed)
        t->next_speed++;
    if (*t->next_speed == 0) {
        note_speed(t, WRY_NOTE_UNREADABLE_AT_ANY, 0, 0);
        t->settled = true;
        return set_speed(t, t->first_speed);
    }
    uint32_t speed = *t->next_speed++;
    note_speed(t, WRY_NOTE_UNREADABLE, speed, before);
    return set_speed(t, speed);
}

static enum wry_status send_bytes(const struct talk *t, const void *bytes, size_t n)
{
    const struct wry_port *port = t->station->port;

    return n > 0 ? port->write(port->context, bytes, n) : WRY_OK;
}

static enum wry_status send_taken(struct talk *t)
{
    uint8_t bytes[256];

    if (!t->wanted->take)
        return WRY_OK;
    size_t n = t->wanted->take(t->wanted->context, bytes, sizeof bytes, &t->leave);
    return send_bytes(t, bytes, n);
}

static enum wry_status turn(struct talk *t)
{
    const struct wry_port *port = t->station->port;
    uint8_t bytes[256];
    size_t got;
    enum wry_status status = port->read(port->context, bytes, sizeof bytes, now(t) + TURN, &got);

    if (status == WRY_OK && got > 0)
        hear(t, bytes, got);
    if (status == WRY_OK)
        status = judge_speed(t);
    return status == WRY_OK ? send_taken(t) : status;
}

/* A board that is just booting does not hear yet; and what it said before is no answer. */
static enum wry_status send_first(struct talk *t)
{
    const char *line_end = t->wanted->line_end ? t->wanted->line_end : "\r\n";
    uint64_t begun = now(t), quiet_since = begun;
    enum wry_status status = WRY_OK;

    while (status == WRY_OK && now(t) < quiet_since + QUIET_TIME && now(t) < begun + BOOT_TIME &&
           !station_stopped(t->station)) {
        unsigned heard = t->judged;
        status = turn(t);
        if (t->judged != heard)
            quiet_since = now(t);
    }
    g_string_truncate(t->seen, 0);
    t->found = false;
    if (status == WRY_OK)
        status = send_bytes(t, t->wanted->send, strlen(t->wanted->send));
    return status == WRY_OK ? send_bytes(t, line_end, strlen(line_end)) : status;
}

static enum wry_status loop(struct talk *t)
{
    uint64_t time = t->wanted->time;
    enum wry_status status = begin(t);

    uint64_t end = time > 0 ? now(t) + time : UINT64_MAX;
    if (status == WRY_OK && t->wanted->send)
        status = send_first(t);
    while (status == WRY_OK && !t->found && !t->leave && !station_stopped(t->station) &&
           now(t) < end)
        status = turn(t);
    return status;
}

static enum wry_outcome conclude(const struct talk *t, enum wry_status status)
{
    struct wry_station *station = t->station;

    if (t->found)
        return WRY_OUTCOME_DONE;
    if (status != WRY_OK)
        return station_fail(station, WRY_OUTCOME_LINK_LOST, WRY_PROBLEM_LINK_GONE, station->link);
    if (station_stopped(station))
        return station_fail(station, WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
    if (!t->wanted->expect)
        return WRY_OUTCOME_DONE;
    station_fail(station, WRY_OUTCOME_DIFFERS, WRY_PROBLEM_NOT_SEEN, t->wanted->expect);
    station->problem.found = t->judged;
    return station->problem.outcome;
}

static enum wry_outcome talk(struct wry_station *station, const struct wry_talk_wanted *wanted,
                             uint32_t speed, struct wry_talk_result *result)
{
    struct talk t = {.station = station,
                     .wanted = wanted,
                     .seen = g_string_new(NULL),
                     .first_speed = wanted->speed > 0 ? wanted->speed : speed,
                     .next_speed = listening_speeds};

    note_speed(&t, WRY_NOTE_LISTENING, t.first_speed, 0);
    enum wry_status status = loop(&t);
    result->ended = true;
    result->seen = t.found;
    result->speed = t.speed;
    result->text = g_string_free(t.seen, FALSE);
    return conclude(&t, status);
}

enum wry_outcome wry_station_listen(struct wry_station *station,
                                    const struct wry_talk_wanted *wanted,
                                    struct wry_talk_result *result)
{
    station_begin(station);
    enum wry_outcome outcome = station->port ? WRY_OUTCOME_DONE : open_link(station);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    /* Opening a port may have pulled its outputs: let the board go. */
    station->port->set_lines(station->port->context, false, false);
    return talk(station, wanted, WRY_STARTING_SPEED, result);
}

enum wry_outcome wry_station_start(struct wry_station *station,
                                   const struct wry_talk_wanted *wanted,
                                   struct wry_talk_result *result)
{
    station_begin(station);
    enum wry_outcome outcome = board_connect(station, false);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    const struct wry_chip *chip = wry_chip_by_code(station->session.board.chip_code);
    enum wry_status status = wry_session_start(&station->session);
    if (status != WRY_OK)
        return station_fail_session(station, status);
    station->connected = false;
    station_note(station, WRY_NOTE_STARTED, NULL);
    return talk(station, wanted, chip ? chip->run_speed : WRY_STARTING_SPEED, result);
}

void wry_talk_result_clear(struct wry_talk_result *result)
{
    g_free(result->text);
    *result = (struct wry_talk_result){0};
}
