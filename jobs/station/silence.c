/*
 * Why a board does not answer.
 *
 * The session's counts have one explanation if nothing, only zeros or readable text arrived. The
 * other cases are distinguished by trying: our own bytes that come back from a board held in reset
 * cross joined wires, and those that do not were echoed by a program; stray bytes in reset come
 * from a floating line; a board that is understood at another speed uses that speed. In the end the
 * board is reset, if that is wired, so that it is left in a defined state.
 */
#include "jobs/station/silence.h"

#include <string.h>

#include "jobs/station/board_call.h"
#include "jobs/station/diagnosis.h"
#include "jobs/station/link.h"
#include "jobs/station/serial_text.h"
#include "wrytograph-host/chips.h"

#define LISTEN_TIME 400000u /* us at each speed, after a reset */
#define REPORT_TIME                                                                                \
    1050000u              /* us likewise, if the reset is not wired: programs report each second */
#define SLOT_TIME 50000u  /* us */
#define RESET_TIME 50000u /* us */
#define ECHO_TIME 200000u /* us for our own bytes to come back */
#define TOP_TRIED 460800u /* baud: no board starts at a higher speed */

enum {
    READABLE_LEAST = 20, /* least bytes of text that count */
    REPORT_LEAST = 11,   /* likewise, of a program that is not reset: a line */
    STRAY_MOST = 4,      /* stray bytes that may be chance */
    OFF_SPEEDS = 4,
    SLOTS = 20, /* into which a second is divided */
};

/* Board clocks that are off, per mille of the usual speed. A receiver accepts about 20 either way,
 * so these cover everything to 100. */
static const uint16_t off_speeds[OFF_SPEEDS] = {1040, 960, 1080, 920};

static void release(const struct wry_port *port)
{
    port->set_lines(port->context, false, false);
}

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
    release(port);
    return there && heard > STRAY_MOST;
}

/* A board held in reset echoes nothing: our own bytes then come back over the wires. */
static bool echoes_in_reset(const struct wry_station *station)
{
    static const uint8_t bytes[8] = {0x55, 0x33, 0x55, 0x33, 0x55, 0x33, 0x55, 0x33};
    const struct wry_port *port = station->port;
    unsigned heard = 0, readable;

    hold_reset(port);
    bool there = port->write(port->context, bytes, sizeof bytes) == WRY_OK &&
                 serial_text_count(station, ECHO_TIME, &heard, &readable);
    release(port);
    return !there || heard >= sizeof bytes;
}

/* Calls the board at one speed, with a new session. */
static enum wry_status call_at(struct wry_station *station, uint32_t speed)
{
    struct wry_session_config config = {
        .token = board_token(station), .start_speed = speed, .max_speed = speed, .attempts = 1};

    wry_session_init(&station->session, station->port, &config);
    return wry_session_connect(&station->session);
}

/* The n-th other speed to try; 0 past the last. off: boards whose clock is off come last. */
static uint32_t other_speed(const struct wry_station *station, size_t n, bool off)
{
    uint32_t called = station->settings.call_speed, speed;
    size_t i = 0;

    if (called == 0)
        called = WRY_STARTING_SPEED;
    for (; (speed = serial_text_speed(i)) > 0; i++) {
        if (speed != called && speed <= TOP_TRIED && n-- == 0)
            return speed;
    }
    return off && n < OFF_SPEEDS ? (uint32_t)((uint64_t)called * off_speeds[n] / 1000) : 0;
}

static void tell_try(const struct wry_station *station, size_t n, bool off)
{
    size_t all = n;

    while (other_speed(station, all, off) > 0)
        all++;
    g_autofree char *text = g_strdup_printf("%zu of %zu", n + 1, all);
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_NOTE,
                                             .note = WRY_NOTE_SPEED_TRIED,
                                             .speed = other_speed(station, n, off),
                                             .text = text});
}

/* Looks for a loader at other speeds. */
static bool find_loader(struct wry_station *station, struct wry_evidence *evidence, bool off)
{
    uint32_t speed;

    for (size_t i = 0; (speed = other_speed(station, i, off)) > 0; i++) {
        if (station_stopped(station))
            return false;
        tell_try(station, i, off);
        if (call_at(station, speed) == WRY_OK) {
            diagnosis_conclude(evidence, WRY_FINDING_OTHER_SPEED, WRY_EVIDENCE_LOADER, speed);
            return true;
        }
    }
    return false;
}

/* The length of the longest stretch without unreadable bytes. */
static size_t longest_text(const char *text)
{
    size_t longest = 0;

    while (*text) {
        size_t n = strcspn(text, "?");
        longest = MAX(longest, n);
        text += n + strspn(text + n, "?");
    }
    return longest;
}

/* The boot ROM may print before it, at a speed of its own. */
static bool text_at(const struct wry_station *station, uint32_t speed)
{
    const struct wry_port *port = station->port;
    bool wired = open_has_lines(station);

    port->set_speed(port->context, speed);
    hold_reset(port);
    release(port);
    /* A program that still waits for the end of a line, which our calls have begun, is silent. */
    if (!wired)
        port->write(port->context, (const uint8_t *)"\r\n", 2);
    g_autofree char *text = serial_text_hear(station, wired ? LISTEN_TIME : REPORT_TIME);
    return longest_text(text) >= (wired ? READABLE_LEAST : REPORT_LEAST);
}

static void find_text(const struct wry_station *station, struct wry_evidence *evidence, bool off)
{
    uint32_t speed;

    for (size_t i = 0; (speed = other_speed(station, i, off)) > 0; i++) {
        if (station_stopped(station))
            return;
        tell_try(station, i, off);
        if (text_at(station, speed)) {
            diagnosis_conclude(evidence, WRY_FINDING_OTHER_SPEED, WRY_EVIDENCE_TEXT, speed);
            return;
        }
    }
}

/* The output of a boot ROM with its own speed, while the strap is held; free with g_free. */
static char *rom_text(const struct wry_station *station, uint32_t speed)
{
    const struct wry_port *port = station->port;

    port->set_speed(port->context, speed);
    port->set_lines(port->context, true, true);
    port->sleep(port->context, port->now(port->context) + RESET_TIME);
    port->discard(port->context);
    port->set_lines(port->context, false, true);
    char *text = serial_text_hear(station, LISTEN_TIME);
    release(port);
    return text;
}

static bool is_readable(const char *text)
{
    return longest_text(text) >= READABLE_LEAST;
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
            diagnosis_conclude(evidence, WRY_FINDING_DEAF, WRY_EVIDENCE_LOADING_TEXT, speed);
        else if (is_readable(text))
            diagnosis_conclude(evidence, WRY_FINDING_STRAP, WRY_EVIDENCE_TEXT, speed);
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
        release(port);
        if (call_at(station, WRY_STARTING_SPEED) != WRY_OK)
            continue;
        wry_session_start(&station->session);
        diagnosis_conclude(evidence, WRY_FINDING_WIRING, WRY_EVIDENCE_WIRING, WRY_STARTING_SPEED);
        evidence->wiring = wiring;
        return true;
    }
    open_take_wiring(station, first);
    release(port);
    evidence->wirings_tried = true;
    return false;
}

/* Programs print lines, with pauses; a line that floats does not pause. */
static bool comes_evenly(const struct wry_station *station)
{
    unsigned slots = 0;

    for (unsigned i = 0; i < SLOTS; i++) {
        unsigned heard, readable;
        if (!serial_text_count(station, SLOT_TIME, &heard, &readable))
            return false;
        slots += heard > 0;
    }
    return slots * 4 >= SLOTS * 3;
}

/* Bytes arrive that are not readable. */
static void judge_garbage(struct wry_station *station, struct wry_evidence *evidence)
{
    if (!evidence->no_lines && speaks_in_reset(station)) {
        evidence->finding = WRY_FINDING_NO_GROUND;
        return;
    }
    bool garbage = evidence->finding == WRY_FINDING_GARBAGE;
    /* Without a reset, a board that prints is not in loading mode. */
    bool may_load = !evidence->no_lines || evidence->by_hand;
    if (garbage && evidence->no_lines && comes_evenly(station))
        return;
    if (may_load && find_loader(station, evidence, garbage))
        return;
    if (!garbage || evidence->no_lines || !judge_rom(station, evidence))
        find_text(station, evidence, garbage && !may_load);
}

/* Tries out which of the explanations of a finding is true. */
static void try_to_tell(struct wry_station *station, struct wry_evidence *evidence, bool thorough)
{
    bool wired = !evidence->no_lines;

    switch (evidence->finding) {
    case WRY_FINDING_SILENT:
        if (!wired)
            find_loader(station, evidence, false);
        else if (thorough && station->wiring_assumed)
            find_wiring(station, evidence);
        break;
    case WRY_FINDING_ECHO:
        if (wired && !echoes_in_reset(station))
            evidence->finding = WRY_FINDING_STRAP;
        break;
    case WRY_FINDING_STRAP:
        if (!thorough || !wired || (station->wiring_assumed && find_wiring(station, evidence)))
            break;
        find_loader(station, evidence, false);
        break;
    case WRY_FINDING_DEAF:
        find_loader(station, evidence, false);
        break;
    case WRY_FINDING_NOISE:
        /* Text at another speed may look like text with errors, if no frame ever came. */
        if (evidence->counts.frames_bad == 0)
            judge_garbage(station, evidence);
        break;
    case WRY_FINDING_GARBAGE:
        judge_garbage(station, evidence);
        break;
    default:
        break;
    }
}

void silence_judge(struct wry_station *station, struct wry_evidence *evidence, bool thorough)
{
    wry_evidence_take(evidence, &station->session);
    station_mask_evidence(station, evidence);
    evidence->no_lines = !open_has_lines(station);
    evidence->by_hand = station->settings.by_hand;
    if (open_is_raw(station) || station->session.port_failed)
        return;
    station_step(station, WRY_PHASE_CONNECT);
    try_to_tell(station, evidence, thorough);
    station_step_end(station, WRY_PHASE_CONNECT);
    if (!station->session.connected) {
        hold_reset(station->port);
        release(station->port);
    }
}
