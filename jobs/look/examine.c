/*
 * Examine: finds out what is wrong with a link.
 *
 * A board that answers is tested under load, and is then started: one that comes back in loading
 * mode has a strap that is always held. For one that does not answer, see station/silence.c.
 */
#include <string.h>

#include "jobs/station/board_call.h"
#include "jobs/station/diagnosis.h"
#include "jobs/station/flash_size.h"
#include "jobs/station/link.h"
#include "jobs/station/serial_text.h"
#include "jobs/station/silence.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/jobs.h"

#define PATIENCE                                                                                   \
    2500000u /* us: a board that stops answering is a finding, not worth waiting for               \
              */
#define READ_LENGTH 0x10000u
#define READ_TIME 6000000u /* us for it; 64 KiB take this long at 115200 baud */
#define LOAD_LENGTH 0x40000u
#define EXAMINE_TIME 9000000u /* us for calling and testing; silence is judged after that */
#define HAND_TIME 60000000u   /* us for pressing buttons, if not given */
#define BOOT_TIME 400000u     /* us in which a boot ROM reports loading mode */

struct test_read {
    const struct wry_station *station;
    uint64_t end; /* us on the port's clock */
    uint32_t length;
    bool too_slow;
};

/* A line that damages nearly everything is judged before all is read. */
static bool forget(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct test_read *test = context;

    (void)offset;
    (void)bytes;
    test->length += (uint32_t)n;
    test->too_slow = station_now(test->station) > test->end;
    return !test->too_slow;
}

/* True if the lost board answers once it is reset. It may be in a boot loop: several attempts. */
static bool answers_after_reset(struct wry_station *station)
{
    struct wry_session_config config = {.token = board_token(station),
                                        .start_speed = station->settings.call_speed,
                                        .max_speed = WRY_STARTING_SPEED};

    wry_session_init(&station->session, station->port, &config);
    return wry_session_connect(&station->session) == WRY_OK;
}

/* The link was lost during the test. A board that answers after a reset has left loading mode: most
 * boards that fail under load do so, as their supply gives way. */
static void conclude_loss(struct wry_station *station, struct wry_evidence *evidence,
                          uint32_t speed)
{
    struct wry_evidence loss;

    diagnosis_take_of_loss(&loss, &station->session, station->program_heard);
    evidence->counts = loss.counts;
    if (loss.finding == WRY_FINDING_NOISE)
        diagnosis_conclude(evidence, WRY_FINDING_NOISE,
                           evidence->length > 0 ? WRY_EVIDENCE_DAMAGED : WRY_EVIDENCE_HEARD, speed);
    else if (loss.finding == WRY_FINDING_BROWN_OUT ||
             (!station->session.port_failed && answers_after_reset(station)))
        diagnosis_conclude(evidence, WRY_FINDING_BROWN_OUT, WRY_EVIDENCE_RESTARTED, speed);
    else
        diagnosis_conclude(evidence, WRY_FINDING_FADES, WRY_EVIDENCE_FELL_SILENT, speed);
    wry_evidence_clear(&loss);
}

/* Starts the board; true if its boot ROM then reports loading mode, although the strap is
 * released. */
static bool comes_back(struct wry_station *station, uint32_t boot_speed)
{
    if (wry_session_start(&station->session) != WRY_OK)
        return false;
    station->port->set_speed(station->port->context, boot_speed);
    g_autofree char *text = serial_text_hear(station, BOOT_TIME);
    return diagnosis_says_loading(text);
}

/* The board answers: tests it under load, and the line for errors. */
static struct wry_problem *examine_work(struct wry_station *station, struct wry_evidence *evidence)
{
    struct wry_session *session = &station->session;
    const struct wry_session_stats *counts = wry_session_stats(session);
    struct test_read test = {.station = station, .end = station_now(station) + READ_TIME};
    struct wry_writer writer = {.context = &test, .write = forget};
    uint32_t speed = session->speed;
    uint8_t digest[WRY_SHA256_SIZE];
    enum wry_status status = wry_session_read(session, 0, READ_LENGTH, &writer);

    if (status == WRY_OK)
        status = wry_session_digest(session, 0, LOAD_LENGTH, digest);
    evidence->counts = *counts;
    evidence->length = test.length;
    bool too_slow = test.too_slow || (status == WRY_STOPPED && !station_stopped(station));
    if (status != WRY_OK && !too_slow && status != WRY_LINK_LOST)
        return problem_of_session(station, status);
    if (status == WRY_LINK_LOST || counts->reconnects > 0) {
        conclude_loss(station, evidence, speed);
    } else if (counts->frames_bad > 0) {
        diagnosis_conclude(evidence, WRY_FINDING_NOISE,
                           test.length > 0 ? WRY_EVIDENCE_DAMAGED : WRY_EVIDENCE_HEARD,
                           session->speed);
    } else if (counts->speed_steps_down > 0) {
        diagnosis_conclude(evidence, WRY_FINDING_SLOW, WRY_EVIDENCE_SPEEDS_GIVEN_UP,
                           session->speed);
    } else {
        diagnosis_conclude(evidence, WRY_FINDING_GOOD, WRY_EVIDENCE_WORKS, session->speed);
    }
    evidence->no_lines = !open_has_lines(station);
    evidence->by_hand = station->settings.by_hand;
    bool works = evidence->finding == WRY_FINDING_GOOD || evidence->finding == WRY_FINDING_SLOW;
    const struct wry_chip *chip = wry_chips_by_code(session->board.chip_code);
    /* While somebody holds the button, it says nothing. */
    if (works && station->settings.leaves_running && !station->settings.by_hand &&
        comes_back(station, chip ? chip->boot_speed : WRY_STARTING_SPEED))
        diagnosis_conclude(evidence, WRY_FINDING_STRAP_HELD, WRY_EVIDENCE_LOADING_AGAIN,
                           session->speed);
    return NULL;
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
    station->ends_at = station_now(station) + EXAMINE_TIME +
                       (config.by_hand ? (config.call_time > 0 ? config.call_time : HAND_TIME) : 0);
    enum wry_status status = board_call(station, &config);
    if (status == WRY_FLASH_UNSIZED && config.flash_size == 0)
        status = flash_size_measure(station, &config);
    bool answered = station->session.connected;
    bool silent = status == WRY_NO_ANSWER || status == WRY_LINK_LOST ||
                  (status == WRY_STOPPED && !station_stopped(station));
    if (status == WRY_OK)
        problem = examine_work(station, evidence);
    else if (silent && answered)
        conclude_loss(station, evidence, station->session.speed);
    else if (silent)
        silence_judge(station, evidence, true);
    else /* the port is gone, or the board has said what is wrong: its link is good */
        problem = problem_of_session(station, status);
    station->ends_at = 0;
    if (station_stopped(station) && !problem)
        problem = problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
    return problem ? station_end_call(station, problem) : outcome_of(evidence->finding);
}
