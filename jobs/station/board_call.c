/* Calling the board on the open link. */
#include "jobs/station/board_call.h"

#include "jobs/station/diagnosis.h"
#include "jobs/station/figure.h"
#include "jobs/station/serial_text.h"
#include "pack/content_packer.h"

enum {
    RUNS_LEAST = 24,     /* bytes of text that prove it is not in loading mode */
    JUDGED_REPORTS = 11, /* calls of a lost board before it is reset */
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

/*
 * A board that restarts runs its program. Text counts only while the link is lost: before that,
 * damaged frames may look like it, since firmware contains text. Each call is judged alone, as text
 * is not readable at the speed of the work.
 */
static void note_program(struct wry_station *station, bool lost)
{
    const struct wry_session_stats *stats = wry_session_stats(&station->session);
    unsigned reports = station->loss_reports;

    /* Later the session resets the board, whose boot ROM then prints. */
    if (reports > 0 && reports < JUDGED_REPORTS &&
        diagnosis_is_text(stats->bytes_outside - station->loss_outside,
                          stats->bytes_printable - station->loss_printable))
        station->program_heard = true;
    station->loss_reports = lost ? reports + 1 : 0;
    station->loss_outside = stats->bytes_outside;
    station->loss_printable = stats->bytes_printable;
}

/* Only damaged frames make it give up early: a board whose flash is busy answers, and an end is set
 * to every other wait already. */
static bool is_late(const struct wry_station *station, const struct wry_session_progress *progress)
{
    return station->ends_at > 0 && station_now(station) > station->ends_at &&
           !progress->flash_busy && wry_session_stats(&station->session)->frames_bad > 0;
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
    note_program(station, progress->lost);
    figure_progress(station, progress);
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PROGRESS, .progress = progress});
    return is_late(station, progress) || station_stopped(station);
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
    station->program_heard = false;
    station->loss_reports = 0;
    station_step(station, WRY_PHASE_CONNECT);
    wry_session_init(&station->session, station->port, config);
    enum wry_status status = wry_session_connect(&station->session);
    station_step_end(station, WRY_PHASE_CONNECT);
    if (station->hand_told && status == WRY_OK)
        station_note(station, WRY_NOTE_BY_HAND_ANSWERED, NULL);
    return status;
}
