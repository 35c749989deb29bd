/* Problems and events. */
#include "station_problem.h"

#include <string.h>

#include "jobs/station/diagnosis.h"
#include "jobs/station/figure.h"
#include "jobs/station/secrets.h"
#include "store/file/error.h"
#include "store/journal/journal.h"
#include "wrytograph-host/remote.h"
#include "wrytograph-host/serial.h"

const char *wry_outcome_text(enum wry_outcome outcome)
{
    switch (outcome) {
    case WRY_OUTCOME_DONE:
        return "done and verified";
    case WRY_OUTCOME_INTERNAL:
        return "internal failure";
    case WRY_OUTCOME_USAGE:
        return "wrong usage";
    case WRY_OUTCOME_BAD_INPUT:
        return "bad input file";
    case WRY_OUTCOME_NO_ANSWER:
        return "no answer";
    case WRY_OUTCOME_WRONG:
        return "wrong board or image";
    case WRY_OUTCOME_DIFFERS:
        return "content differs";
    case WRY_OUTCOME_LINK_LOST:
        return "link lost";
    case WRY_OUTCOME_FLASH:
        return "flash failed or protected";
    case WRY_OUTCOME_STOPPED:
        return "stopped";
    }
    return "unknown";
}

static void clear(struct wry_problem *problem)
{
    g_free(problem->subject);
    g_free(problem->other);
    g_strfreev(problem->names);
    g_clear_error(&problem->cause);
    wry_evidence_clear(&problem->evidence);
    memset(problem, 0, sizeof *problem);
}

struct wry_problem *problem_of(struct wry_problem values, const char *subject)
{
    struct wry_problem *problem = g_new0(struct wry_problem, 1);

    *problem = values;
    problem->subject = g_strdup(subject);
    return problem;
}

struct wry_problem *problem_new(enum wry_outcome outcome, enum wry_problem_kind kind,
                                const char *subject)
{
    return problem_of((struct wry_problem){.outcome = outcome, .kind = kind}, subject);
}

void problem_free(struct wry_problem *problem)
{
    if (!problem)
        return;
    clear(problem);
    g_free(problem);
}

void station_begin_call(struct wry_station *station)
{
    clear(&station->problem);
    figure_begin(station);
}

enum wry_outcome station_end_call(struct wry_station *station, struct wry_problem *problem)
{
    if (!problem)
        figure_end(station);
    if (station->job_ended)
        station->job_ended(station, problem);
    return station_end_step(station, problem);
}

enum wry_outcome station_end_step(struct wry_station *station, struct wry_problem *problem)
{
    clear(&station->problem);
    if (problem)
        station->problem = *problem;
    g_free(problem);
    return station->problem.outcome;
}

struct wry_problem *station_take_problem(struct wry_station *station)
{
    struct wry_problem *problem = NULL;

    if (station->problem.kind != WRY_PROBLEM_NONE) {
        problem = g_new(struct wry_problem, 1);
        *problem = station->problem;
        memset(&station->problem, 0, sizeof station->problem);
    }
    return problem;
}

static enum wry_outcome outcome_of_error(const GError *error)
{
    if (error->domain == WRY_SERIAL_ERROR)
        return WRY_OUTCOME_NO_ANSWER;
    if (error->domain == WRY_REMOTE_ERROR)
        return error->code == WRY_REMOTE_ERROR_STOPPED ? WRY_OUTCOME_STOPPED
                                                       : WRY_OUTCOME_NO_ANSWER;
    if (error->domain == WRY_BENCH_ERROR) {
        if (error->code == WRY_BENCH_ERROR_UNKNOWN || error->code == WRY_BENCH_ERROR_BUSY)
            return WRY_OUTCOME_NO_ANSWER;
        return error->code == WRY_BENCH_ERROR_BAD_NAME ? WRY_OUTCOME_USAGE : WRY_OUTCOME_BAD_INPUT;
    }
    return g_error_matches(error, WRY_STORE_ERROR, WRY_STORE_ERROR_EXISTS) ? WRY_OUTCOME_USAGE
                                                                           : WRY_OUTCOME_BAD_INPUT;
}

struct wry_problem *problem_of_cause(enum wry_outcome outcome, enum wry_problem_kind kind,
                                     GError *cause)
{
    return PROBLEM(outcome, kind, NULL, .cause = cause);
}

struct wry_problem *problem_of_error(GError *error)
{
    return problem_of_cause(outcome_of_error(error), WRY_PROBLEM_SYSTEM, error);
}

static enum wry_outcome outcome_of_status(enum wry_status status)
{
    switch (status) {
    case WRY_NO_ANSWER:
        return WRY_OUTCOME_NO_ANSWER;
    case WRY_LINK_LOST:
    case WRY_PORT_GONE:
        return WRY_OUTCOME_LINK_LOST;
    case WRY_WRONG_BOARD:
    case WRY_FLASH_SMALLER:
    case WRY_BAD_RANGE:
    case WRY_UNSUPPORTED:
    case WRY_REFUSED:
        return WRY_OUTCOME_WRONG;
    case WRY_DIFFERS:
    case WRY_CONTRADICTED:
        return WRY_OUTCOME_DIFFERS;
    case WRY_STALLED:
    case WRY_FLASH_FAILED:
    case WRY_FLASH_SILENT:
    case WRY_FLASH_UNSIZED:
    case WRY_FLASH_LIMITED:
    case WRY_PROTECTED:
        return WRY_OUTCOME_FLASH;
    case WRY_SOURCE_FAILED:
    case WRY_SINK_FAILED:
    case WRY_JOURNAL_FAILED:
        return WRY_OUTCOME_BAD_INPUT;
    case WRY_STOPPED:
        return WRY_OUTCOME_STOPPED;
    case WRY_OK:
    case WRY_BAD_ARGUMENT:
    case WRY_OVERLAP:
        break;
    }
    return WRY_OUTCOME_INTERNAL;
}

/* In the middle of a job, before the next erase. */
static struct wry_problem *problem_of_journal(struct wry_station *station)
{
    if (station_stopped(station))
        return problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_ERASE_STOPPED, NULL);
    struct wry_problem *problem = problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_JOURNAL_FAILED,
                                              journal_path(station->journal));
    problem->other = g_strdup(journal_problem(station->journal));
    return problem;
}

void station_mask_evidence(const struct wry_station *station, struct wry_evidence *evidence)
{
    uint8_t bytes[WRY_SESSION_HEARD];
    size_t n = wry_session_heard(&station->session, bytes);

    if (!station->secrets)
        return;
    g_autoptr(GString) masked =
        secrets_apply_to_bytes(station->secrets, bytes, n, n == sizeof bytes);
    g_free(evidence->last_line);
    evidence->last_line = diagnosis_last_line((const uint8_t *)masked->str, masked->len);
}

struct wry_problem *problem_of_session(struct wry_station *station, enum wry_status status)
{
    const struct wry_session *session = &station->session;

    if (status == WRY_JOURNAL_FAILED && station->journal)
        return problem_of_journal(station);
    struct wry_problem *problem =
        problem_new(outcome_of_status(status), WRY_PROBLEM_SESSION, station->link);
    problem->status = status;
    problem->fault = session->fault;
    problem->speed = session->speed;
    memcpy(problem->jedec, session->board.jedec, sizeof problem->jedec);
    if (status == WRY_LINK_LOST)
        diagnosis_take_of_loss(&problem->evidence, session, station->program_heard);
    else
        wry_evidence_take(&problem->evidence, session);
    station_mask_evidence(station, &problem->evidence);
    return problem;
}

uint64_t station_now(const struct wry_station *station)
{
    return station->port ? station->port->now(station->port->context) : 0;
}

bool station_stopped(const struct wry_station *station)
{
    return wry_stop_asked(station->settings.stop);
}

void station_tell(const struct wry_station *station, struct wry_event event)
{
    if (!station->settings.event)
        return;
    event.now = station_now(station);
    event.figure = station->figure.permille;
    station->settings.event(station->settings.context, &event);
}

void station_note(const struct wry_station *station, enum wry_note note, const char *text)
{
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_NOTE, .note = note, .text = text});
}

void station_note_places(const struct wry_station *station, enum wry_note note,
                         const GArray *places)
{
    if (places->len == 0)
        return;
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_NOTE,
                                             .note = note,
                                             .places = (struct wry_place *)(void *)places->data});
}

void station_step(struct wry_station *station, enum wry_phase step)
{
    station->phase = step;
    figure_step(station, step);
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_STEP, .step = step});
}

void station_step_end(const struct wry_station *station, enum wry_phase step)
{
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_STEP_END, .step = step});
}
