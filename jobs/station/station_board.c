/* Connecting to a board, and leaving it. */
#include "station_board.h"

#include "jobs/station/diagnosis.h"
#include "jobs/station/flash_size.h"
#include "jobs/station/link.h"
#include "jobs/station/recovery.h"
#include "jobs/station/run_record.h"
#include "jobs/station/serial_text.h"
#include "pack/content_packer.h"
#include "store/file/adapter_speeds.h"
#include "wrytograph-host/chips.h"

enum {
    RUNS_LEAST = 24, /* bytes of text that prove it is not in loading mode */
};

/* While the user presses buttons: judges each text of the board once, when it has ended. */
static void tell_heard(struct wry_station *station)
{
    const struct wry_session_stats *stats = wry_session_stats(&station->session);
    uint32_t outside = stats->bytes_outside;
    uint8_t bytes[WRY_SESSION_HEARD];
    bool still_coming = outside != station->hand_seen;

    station->hand_seen = outside;
    if (still_coming || outside - station->hand_judged < RUNS_LEAST)
        return;
    size_t n = wry_session_heard(&station->session, bytes);
    size_t fresh = MIN(n, (size_t)(outside - station->hand_judged)), readable = 0;
    g_autoptr(GString) text = g_string_new(NULL);
    for (size_t i = n - fresh; i < n; i++) {
        bool is_text = serial_text_is_readable(bytes[i]);
        g_string_append_c(text, is_text ? (char)bytes[i] : '?');
        readable += is_text;
    }
    station->hand_judged = outside;
    if (diagnosis_says_loading(text->str))
        station_note(station, WRY_NOTE_BY_HAND_LOADING, NULL);
    else if (readable * 10 >= fresh * 8)
        station_note(station, WRY_NOTE_BY_HAND_RUNS, NULL);
}

static bool on_progress(void *context, const struct wry_session_progress *progress)
{
    struct wry_station *station = context;

    if (progress->step == WRY_STEP_CONNECT && station->settings.by_hand && !station->hand_told) {
        station->hand_told = true;
        station_note(station, WRY_NOTE_BY_HAND, NULL);
    }
    if (progress->step == WRY_STEP_CONNECT && station->settings.by_hand)
        tell_heard(station);
    if (progress->flash_busy && !station->busy_told) {
        station->busy_told = true;
        station_note(station, WRY_NOTE_FLASH_BUSY, NULL);
    }
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PROGRESS, .progress = progress});
    return station_stopped(station);
}

uint32_t board_token(const struct wry_station *station)
{
    return station->bench ? 1 : g_random_int();
}

/* A flash has a power of two of bytes; another number is no knowledge of it. */
static uint32_t power_of_two(uint32_t size)
{
    return (size & (size - 1)) == 0 ? size : 0;
}

struct wry_session_config board_config(struct wry_station *station)
{
    const struct wry_station_settings *settings = &station->settings;
    struct wry_session_config config = {.token = board_token(station),
                                        .start_speed = settings->call_speed,
                                        .max_speed = settings->max_speed,
                                        .by_hand = settings->by_hand,
                                        .call_time = settings->call_time,
                                        .patience = settings->patience,
                                        .clear_protection = settings->clear_protection,
                                        .flash_size = power_of_two(settings->expect_flash),
                                        .trust_capacity = settings->expect_flash > 0,
                                        .packer = station->pack ? pack_packer(station->pack) : NULL,
                                        .read_memory = station->read_memory,
                                        .kept = station->kept,
                                        .kept_count = STATION_KEPT_SECTORS,
                                        .context = station,
                                        .progress = on_progress};

    /* A raw connection to a far end with a fixed speed has only that one. */
    if (station->pipe_speed > 0)
        config.start_speed = config.max_speed = station->pipe_speed;
    return config;
}

enum wry_status board_call(struct wry_station *station, const struct wry_session_config *config)
{
    station->started = station_now(station);
    station->called = true;
    station_step(station, WRY_PHASE_CONNECT);
    wry_session_init(&station->session, station->port, config);
    enum wry_status status = wry_session_connect(&station->session);
    station_step_end(station, WRY_PHASE_CONNECT);
    station->heard_before = wry_session_stats(&station->session)->bytes_printable;
    if (station->hand_told && status == WRY_OK)
        station_note(station, WRY_NOTE_BY_HAND_ANSWERED, NULL);
    return status;
}

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

struct wry_problem *board_connect(struct wry_station *station, bool recovers)
{
    if (station->connected) {
        run_record_board(station);
        return NULL;
    }
    struct wry_problem *problem = station->port ? NULL : open_link(station);
    if (problem)
        return problem;
    run_record_touch(station);
    struct wry_session_config config = board_config(station);
    g_autofree char *adapter = open_adapter_name(station);
    if (adapter && config.max_speed == 0)
        config.likely_speed = adapter_speeds_find(adapter);
    enum wry_status status = board_call(station, &config);
    if (status == WRY_FLASH_UNSIZED && config.flash_size == 0)
        status = flash_size_measure(station, &config);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    tell_speed(station, adapter, config.likely_speed);
    /* Recorded before the check: an unexpected board was at the bench too. */
    run_record_board(station);
    problem = check_expected(station);
    if (!problem)
        problem = check_told_size(station);
    if (problem)
        return problem;
    station->connected = true;
    if (station->settings.board)
        station->settings.board(station->settings.context, station);
    recovery_tell(station, recovers);
    return NULL;
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
