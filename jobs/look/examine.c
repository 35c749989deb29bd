/*
 * Examine: finds out what is wrong with a link.
 *
 * The most likely causes come first: a board that answers is tested under load; then other wirings,
 * other speeds of the loader and of the boot ROM's text are tried. Every try ends with a reset, so
 * that the board is left in a defined state.
 */
#include <string.h>

#include "jobs/station/board_call.h"
#include "jobs/station/diagnosis.h"
#include "jobs/station/flash_size.h"
#include "jobs/station/link.h"
#include "jobs/station/serial_text.h"
#include "jobs/station/station_board.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/jobs.h"

#define LISTEN_TIME 400000u /* us at each speed */
#define RESET_TIME 50000u   /* us */
#define PATIENCE                                                                                   \
    2500000u /* us: a board that stops answering is a finding, not worth waiting for               \
              */
#define READ_LENGTH 0x10000u
#define LOAD_LENGTH 0x40000u
#define TOP_TRIED 460800u /* baud: no board starts at a higher speed */

enum {
    READABLE_LEAST = 16, /* least bytes of text that count */
    STRAY_MOST = 4,      /* stray bytes that may be chance */
};

static void hold_reset(const struct wry_port *port)
{
    port->set_lines(port->context, true, false);
    port->sleep(port->context, port->now(port->context) + RESET_TIME);
    port->discard(port->context);
}

/* A board held in reset is silent: what is heard then is stray. */
static bool speaks_in_reset(const struct wry_station *station)
{
    const struct wry_port *port = station->port;
    unsigned heard, readable;

    hold_reset(port);
    bool there = serial_text_count(station, LISTEN_TIME, &heard, &readable);
    port->set_lines(port->context, false, false);
    return there && heard > STRAY_MOST;
}

/* Calls the board at one speed, with a new session. */
static enum wry_status call_at(struct wry_station *station, uint32_t speed)
{
    struct wry_session_config config = {
        .token = board_token(station), .start_speed = speed, .max_speed = speed, .attempts = 1};

    wry_session_init(&station->session, station->port, &config);
    return wry_session_connect(&station->session);
}

static bool text_at(const struct wry_station *station, uint32_t speed)
{
    const struct wry_port *port = station->port;
    unsigned heard, readable;

    port->set_speed(port->context, speed);
    hold_reset(port);
    port->set_lines(port->context, false, false);
    return serial_text_count(station, LISTEN_TIME, &heard, &readable) &&
           readable >= READABLE_LEAST && readable * 10 >= heard * 8;
}

static void conclude(struct wry_evidence *evidence, enum wry_finding finding,
                     enum wry_evidence_kind kind, uint32_t speed)
{
    evidence->finding = finding;
    evidence->kind = kind;
    evidence->speed = speed;
}

/* Looks for a loader at other speeds. */
static bool find_loader(struct wry_station *station, struct wry_evidence *evidence)
{
    for (size_t i = 1; serial_text_speed(i) > 0 && !station_stopped(station); i++) {
        uint32_t speed = serial_text_speed(i);
        if (speed <= TOP_TRIED && call_at(station, speed) == WRY_OK) {
            conclude(evidence, WRY_FINDING_OTHER_SPEED, WRY_EVIDENCE_LOADER, speed);
            return true;
        }
    }
    return false;
}

static void find_text(const struct wry_station *station, struct wry_evidence *evidence)
{
    for (size_t i = 1; serial_text_speed(i) > 0 && !station_stopped(station); i++) {
        uint32_t speed = serial_text_speed(i);
        if (speed <= TOP_TRIED && text_at(station, speed)) {
            conclude(evidence, WRY_FINDING_OTHER_SPEED, WRY_EVIDENCE_TEXT, speed);
            return;
        }
    }
}

/* The output of a boot ROM with its own speed, while the strap is held; free with g_free. */
static char *rom_text(const struct wry_station *station, uint32_t speed)
{
    const struct wry_port *port = station->port;
    GString *text = g_string_new(NULL);
    uint8_t bytes[256];
    size_t got;

    port->set_speed(port->context, speed);
    port->set_lines(port->context, true, true);
    port->sleep(port->context, port->now(port->context) + RESET_TIME);
    port->discard(port->context);
    port->set_lines(port->context, false, true);
    uint64_t end = port->now(port->context) + LISTEN_TIME;
    while (port->now(port->context) < end && !station_stopped(station) &&
           port->read(port->context, bytes, sizeof bytes, end, &got) == WRY_OK) {
        for (size_t i = 0; i < got; i++)
            g_string_append_c(text, serial_text_is_readable(bytes[i]) ? (char)bytes[i] : '?');
    }
    port->set_lines(port->context, false, false);
    return g_string_free(text, FALSE);
}

static bool is_readable(const char *text)
{
    size_t n = strlen(text), marks = 0;

    for (size_t i = 0; i < n; i++)
        marks += text[i] == '?';
    return n >= READABLE_LEAST && marks * 10 < n;
}

/* True if a chip before the n-th has the same boot speed. */
static bool is_tried(size_t n)
{
    for (size_t i = 0; i < n; i++) {
        if (wry_chips_at(i)->boot_speed == wry_chips_at(n)->boot_speed)
            return true;
    }
    return false;
}

/* Judges by the boot text, at the ROM's speed, if it is in loading mode. */
static bool judge_rom(const struct wry_station *station, struct wry_evidence *evidence)
{
    for (size_t i = 0; wry_chips_at(i) && !station_stopped(station); i++) {
        uint32_t speed = wry_chips_at(i)->boot_speed;
        if (speed == WRY_STARTING_SPEED || is_tried(i))
            continue;
        g_autofree char *text = rom_text(station, speed);
        if (diagnosis_says_loading(text))
            conclude(evidence, WRY_FINDING_DEAF, WRY_EVIDENCE_LOADING_TEXT, speed);
        else if (is_readable(text))
            conclude(evidence, WRY_FINDING_STRAP, WRY_EVIDENCE_TEXT, speed);
        else
            continue;
        return true;
    }
    return false;
}

/*
 * No wiring was given, and with the usual one the board runs its program or is held in reset: looks
 * for a wiring that reaches loading mode, and keeps one that does.
 */
static bool find_wiring(struct wry_station *station, struct wry_evidence *evidence)
{
    const struct wry_wiring *first = station->settings.wiring, *wiring;
    const struct wry_port *port = station->port;

    for (size_t i = 0; (wiring = wry_wiring_at(i)) && !station_stopped(station); i++) {
        if (wiring == first || wiring->none)
            continue;
        open_take_wiring(station, wiring);
        port->set_lines(port->context, false, false);
        if (call_at(station, WRY_STARTING_SPEED) != WRY_OK)
            continue;
        wry_session_start(&station->session);
        conclude(evidence, WRY_FINDING_WIRING, WRY_EVIDENCE_WIRING, WRY_STARTING_SPEED);
        evidence->wiring = wiring;
        return true;
    }
    open_take_wiring(station, first);
    port->set_lines(port->context, false, false);
    evidence->wirings_tried = true;
    return false;
}

static void examine_silence(struct wry_station *station, struct wry_evidence *evidence)
{
    wry_evidence_take(evidence, &station->session);
    station_mask_evidence(station, evidence);
    enum wry_finding finding = evidence->finding;

    bool may_be_wiring = finding == WRY_FINDING_STRAP || finding == WRY_FINDING_SILENT;
    if (station->wiring_assumed && may_be_wiring && find_wiring(station, evidence))
        return;
    if (finding == WRY_FINDING_GARBAGE && speaks_in_reset(station)) {
        evidence->finding = WRY_FINDING_NO_GROUND;
        return;
    }
    /* Text at another speed may look like text with errors, if no frame ever came. */
    bool may_be_speed = finding == WRY_FINDING_NOISE && evidence->counts.frames_bad == 0;
    if (finding != WRY_FINDING_GARBAGE && finding != WRY_FINDING_STRAP &&
        finding != WRY_FINDING_DEAF && !may_be_speed)
        return;
    if (find_loader(station, evidence) || finding == WRY_FINDING_DEAF)
        return;
    if (finding != WRY_FINDING_GARBAGE || !judge_rom(station, evidence))
        find_text(station, evidence);
}

static bool forget(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)offset;
    (void)bytes;
    (void)n;
    return true;
}

/* The board answers: tests it under load, and the line for errors. */
static void examine_work(struct wry_station *station, struct wry_evidence *evidence)
{
    struct wry_session *session = &station->session;
    const struct wry_session_stats *counts = wry_session_stats(session);
    struct wry_writer writer = {.write = forget};
    uint32_t outside = counts->bytes_outside, speed = session->speed;
    uint8_t digest[WRY_SHA256_SIZE];
    enum wry_status status = wry_session_read(session, 0, READ_LENGTH, &writer);

    if (status == WRY_OK)
        status = wry_session_digest(session, 0, LOAD_LENGTH, digest);
    if (status != WRY_OK || counts->reconnects > 0) {
        bool text = counts->bytes_outside > outside + READABLE_LEAST;
        conclude(evidence, text ? WRY_FINDING_BROWN_OUT : WRY_FINDING_FADES,
                 text ? WRY_EVIDENCE_RESTARTED : WRY_EVIDENCE_FELL_SILENT, speed);
    } else if (counts->frames_bad > 0) {
        conclude(evidence, WRY_FINDING_NOISE, WRY_EVIDENCE_DAMAGED, session->speed);
    } else if (counts->speed_steps_down > 0) {
        conclude(evidence, WRY_FINDING_SLOW, WRY_EVIDENCE_SPEEDS_GIVEN_UP, session->speed);
    } else {
        conclude(evidence, WRY_FINDING_GOOD, WRY_EVIDENCE_WORKS, session->speed);
    }
    evidence->length = READ_LENGTH;
    evidence->counts = *counts;
}

static enum wry_outcome outcome_of(enum wry_finding finding)
{
    switch (finding) {
    case WRY_FINDING_GOOD:
    case WRY_FINDING_SLOW:
        return WRY_OUTCOME_DONE;
    case WRY_FINDING_NOISE:
    case WRY_FINDING_BROWN_OUT:
    case WRY_FINDING_FADES:
        return WRY_OUTCOME_LINK_LOST;
    default:
        return WRY_OUTCOME_NO_ANSWER;
    }
}

enum wry_outcome wry_station_examine(struct wry_station *station, struct wry_evidence *evidence)
{
    station_begin_call(station);
    struct wry_problem *problem = station->port ? NULL : open_link(station);
    if (problem)
        return station_end_call(station, problem);
    struct wry_session_config config = board_config(station);
    if (config.patience == 0)
        config.patience = PATIENCE;
    enum wry_status status = board_call(station, &config);
    if (status == WRY_FLASH_UNSIZED && config.flash_size == 0)
        status = flash_size_measure(station, &config);
    /* The last two are answers: the link is good. */
    if (status == WRY_LINK_LOST || status == WRY_PORT_GONE || status == WRY_FLASH_SILENT ||
        status == WRY_FLASH_UNSIZED)
        return station_end_call(station, problem_of_session(station, status));
    if (status == WRY_OK)
        examine_work(station, evidence);
    else
        examine_silence(station, evidence);
    if (station_stopped(station))
        problem = problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
    return problem ? station_end_call(station, problem) : outcome_of(evidence->finding);
}
