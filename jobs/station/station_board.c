/* Connecting to a board, and leaving it. */
#include "station_board.h"

#include "jobs/station/board_call.h"

#include "jobs/station/flash_size.h"
#include "jobs/station/link.h"
#include "jobs/station/recovery.h"
#include "jobs/station/run_record.h"
#include "jobs/station/silence.h"
#include "store/file/adapter_speeds.h"
#include "wrytograph-host/chips.h"

static struct wry_problem *check_expected(struct wry_station *station)
{
    const struct wry_station_settings *settings = &station->settings;
    const struct wry_hello_reply *board = wry_session_board(&station->session);
    const struct wry_chip *chip = wry_chips_by_code(board->chip_code);

    if (settings->expect_chip && settings->expect_chip->code != board->chip_code)
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_NOT_THAT_CHIP, NULL,
                       .chip = settings->expect_chip, .found_chip = chip,
                       .chip_code = board->chip_code);
    if (settings->expect_flash > 0 && board->capacity != settings->expect_flash)
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_NOT_THAT_FLASH, NULL,
                       .expected = settings->expect_flash, .found = board->capacity);
    return NULL;
}

/* Notes why it is no faster, and remembers it for the next command. */
static void tell_speed(const struct wry_station *station, const char *adapter, uint32_t likely)
{
    const struct wry_session *session = &station->session;
    bool slower = session->stats.speed_steps_down > 0;

    if (slower && adapter)
        adapter_speeds_keep(adapter, session->speed);
    if (slower || session->speed == likely)
        station_tell(station,
                     (struct wry_event){.kind = WRY_EVENT_NOTE,
                                        .note = slower ? WRY_NOTE_SLOWER : WRY_NOTE_SPEED_KNOWN,
                                        .speed = session->speed});
}

/* A size that only the user knows of is checked as far as the flash's content allows. */
static struct wry_problem *check_told_size(struct wry_station *station)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);
    bool smaller = false;

    if (board->size_from != WRY_SIZE_TOLD || station->flash_measured)
        return NULL;
    enum wry_status status = flash_size_doubt(station, &smaller);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    return smaller ? PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_FLASH_REPEATS, NULL,
                             .expected = board->capacity, .found = board->capacity / 2)
                   : NULL;
}

static struct wry_problem *problem_of_silence(struct wry_station *station)
{
    struct wry_problem *problem = problem_of_session(station, WRY_NO_ANSWER);

    wry_evidence_clear(&problem->evidence);
    silence_judge(station, &problem->evidence, false);
    if (!station_stopped(station))
        return problem;
    problem_free(problem);
    return problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
}

static struct wry_problem *connect(struct wry_station *station)
{
    run_record_touch(station);
    struct wry_session_config config = board_config(station);
    g_autofree char *adapter = open_adapter_name(station);
    if (adapter && config.max_speed == 0)
        config.likely_speed = adapter_speeds_find(adapter);
    enum wry_status status = board_call(station, &config);
    if (status == WRY_FLASH_UNSIZED && config.flash_size == 0)
        status = flash_size_measure(station, &config);
    if (status == WRY_NO_ANSWER)
        return problem_of_silence(station);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    tell_speed(station, adapter, config.likely_speed);
    /* Recorded before the check: an unexpected board was at the bench too. */
    run_record_board(station);
    struct wry_problem *problem = check_expected(station);
    if (!problem)
        problem = check_told_size(station);
    if (problem)
        return problem;
    station->connected = true;
    if (station->settings.board)
        station->settings.board(station->settings.context, station);
    return NULL;
}

struct wry_problem *board_connect(struct wry_station *station, bool recovers)
{
    if (station->connected) {
        run_record_board(station);
        return NULL;
    }
    struct wry_problem *problem = station->port ? NULL : open_link(station);
    if (problem)
        return problem;
    uint64_t begun = station_now(station);
    problem = connect(station);
    station->connecting += station_now(station) - begun;
    if (!problem)
        recovery_tell(station, recovers);
    return problem;
}

/* Even a board that is not the expected one is left as the settings say. */
void board_leave(struct wry_station *station)
{
    if (!station->port || !station->session.connected || station->session.port_failed)
        return;
    if (station->settings.leaves_running)
        wry_session_start(&station->session);
    else
        wry_session_leave(&station->session);
}
