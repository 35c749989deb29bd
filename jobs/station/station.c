/* Creating, opening, querying and freeing stations. */
#include "wrytograph-host/station.h"

#include "base/sized.h"
#include "jobs/station/known_content.h"
#include "jobs/station/link.h"
#include "jobs/station/recovery.h"
#include "jobs/station/secrets.h"
#include "pack/content_packer.h"
#include "station_board.h"
#include "store/image/settings_description.h"
#include "wrytograph-host/chips.h"

struct wry_station *wry_station_new_of(const struct wry_station_settings *given, size_t size)
{
    const struct wry_station_settings *settings = SIZED(struct wry_station_settings, given, size);
    struct wry_station *station = g_new0(struct wry_station, 1);
    struct wry_station_settings *own = &station->settings;

    *own = *settings;
    own->bench_folder = g_strdup(settings->bench_folder);
    own->layout_file = g_strdup(settings->layout_file);
    own->settings_description = g_strdup(settings->settings_description);
    own->done_by = g_strdup(settings->done_by);
    own->lot = g_strdup(settings->lot);
    own->link = NULL;
    station->wiring_assumed = !own->wiring;
    if (station->wiring_assumed)
        own->wiring = wry_wiring_at(0);
    if (settings->link && settings->link[0] != '\0')
        station->link = g_strdup(settings->link);
    else if (settings->port)
        station->link = g_strdup("a port of this program");
    station->pack = pack_new();
    station->read_memory = g_malloc(WRY_SESSION_READ_MEMORY);
    station->kept = g_new(struct wry_journal_sector, STATION_KEPT_SECTORS);
    return station;
}

void wry_station_free(struct wry_station *station)
{
    if (!station)
        return;
    board_leave(station);
    recovery_close(station);
    known_content_close(station);
    close_link(station);
    station_begin_call(station); /* frees the problem */
    g_free((char *)station->settings.bench_folder);
    g_free((char *)station->settings.layout_file);
    g_free((char *)station->settings.settings_description);
    g_free((char *)station->settings.done_by);
    g_free((char *)station->settings.lot);
    settings_description_free(station->description);
    pack_free(station->pack);
    if (station->secrets)
        g_ptr_array_unref(station->secrets);
    g_free(station->read_memory);
    g_free(station->kept);
    g_free(station->link);
    g_free(station);
}

enum wry_outcome wry_station_open(struct wry_station *station)
{
    station_begin_call(station);
    return station_end_step(station, station->port ? NULL : open_link(station));
}

enum wry_outcome wry_station_connect(struct wry_station *station)
{
    station_begin_call(station);
    return station_end_step(station, board_connect(station, false));
}

const struct wry_problem *wry_station_problem(const struct wry_station *station)
{
    return &station->problem;
}

char *wry_station_masked(const struct wry_station *station, const char *text)
{
    return secrets_apply(station->secrets, text);
}

const char *wry_station_link(const struct wry_station *station)
{
    return station->link;
}

const struct wry_port *wry_station_port(const struct wry_station *station)
{
    return station->port;
}

bool wry_station_is_simulated(const struct wry_station *station)
{
    return station->bench != NULL;
}

bool wry_station_spent(const struct wry_station *station, struct wry_spent *spent)
{
    const struct counted_port *counted = &station->counted;

    if (!station->port)
        return false;
    *spent = (struct wry_spent){.seconds = (double)(station_now(station) - counted->opened) / 1e6,
                                .connecting = (double)station->connecting / 1e6,
                                .bytes_sent = counted->sent,
                                .bytes_received = counted->received};
    return true;
}

const struct wry_hello_reply *wry_station_board(const struct wry_station *station)
{
    return station->connected ? wry_session_board(&station->session) : NULL;
}

const struct wry_chip *wry_station_chip(const struct wry_station *station)
{
    const struct wry_hello_reply *board = wry_station_board(station);

    return board ? wry_chips_by_code(board->chip_code) : NULL;
}

uint32_t wry_station_speed(const struct wry_station *station)
{
    return station->connected ? station->session.speed : 0;
}

uint32_t wry_station_figure(const struct wry_station *station)
{
    return station->figure.permille;
}
