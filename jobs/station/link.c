/* Opening a link by its address. */
#include "jobs/station/link.h"

#include <string.h>

#include "bench/bench_folder.h"
#include "wrytograph-host/remote.h"
#include "wrytograph-host/serial.h"
#include "wrytograph-host/units.h"

#define BENCH "bench:"
#define RFC2217 "rfc2217://"
#define TCP "tcp://"

static char *bench_folder(const struct wry_station *station)
{
    return station->settings.bench_folder ? g_strdup(station->settings.bench_folder)
                                          : wry_bench_default_folder();
}

char *open_bench_board_folder(const struct wry_station *station)
{
    g_autofree char *folder = bench_folder(station);

    return g_build_filename(folder, station->link + strlen(BENCH), NULL);
}

static struct wry_problem *open_bench(struct wry_station *station)
{
    g_autofree char *folder = bench_folder(station);
    GError *error = NULL;

    station->bench =
        bench_open(folder, station->link + strlen(BENCH), station->settings.wiring, &error);
    if (!station->bench)
        return problem_of_error(error);
    station->port = bench_port(station->bench);
    return NULL;
}

/* Parses HOST:PORT, with an IPv6 address in brackets. */
static bool parse_host(const char *text, char **host, uint16_t *port)
{
    const char *colon = strrchr(text, ':');
    guint64 number = 0;

    if (!colon || colon == text ||
        !g_ascii_string_to_unsigned(colon + 1, 10, 1, UINT16_MAX, &number, NULL))
        return false;
    *port = (uint16_t)number;
    if (text[0] == '[' && colon[-1] == ']')
        *host = g_strndup(text + 1, (gsize)(colon - text - 2));
    else if (!memchr(text, ':', (size_t)(colon - text)))
        *host = g_strndup(text, (gsize)(colon - text));
    else
        return false;
    return (*host)[0] != '\0';
}

/* Parses HOST:PORT?speed=BAUD; the speed is for raw connections to a far end with a fixed speed. */
static struct wry_problem *parse_remote(const char *address, char **host,
                                        struct wry_remote_settings *settings)
{
    const char *query = strchr(address, '?');
    g_autofree char *place = g_strndup(address, query ? (gsize)(query - address) : strlen(address));
    const char *speed = query && g_str_has_prefix(query, "?speed=") ? strchr(query, '=') + 1 : NULL;

    if (!parse_host(place, host, &settings->port))
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_HOST, address);
    if (query && (settings->com_port || !speed || !wry_units_parse_speed(speed, &settings->speed)))
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_LINK_SETTING, query);
    settings->host = *host;
    return NULL;
}

/* A raw connection cannot change the speed of its far end. */
static struct wry_problem *check_speeds(const struct wry_station *station, uint32_t fixed)
{
    const uint32_t asked[] = {station->settings.max_speed, station->settings.call_speed};

    for (size_t i = 0; i < G_N_ELEMENTS(asked); i++) {
        if (asked[i] > 0 && asked[i] != fixed)
            return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_FIXED_SPEED, station->link,
                           .expected = asked[i], .found = fixed);
    }
    return NULL;
}

static struct wry_problem *open_remote(struct wry_station *station, const char *scheme,
                                       bool com_port)
{
    struct wry_remote_settings settings = {
        .com_port = com_port, .wiring = station->settings.wiring, .stop = station->settings.stop};
    g_autofree char *host = NULL;
    GError *error = NULL;
    struct wry_problem *problem = parse_remote(station->link + strlen(scheme), &host, &settings);

    if (!problem && !com_port)
        problem = check_speeds(station, settings.speed > 0 ? settings.speed : WRY_STARTING_SPEED);
    if (problem)
        return problem;
    station->pipe_speed = settings.speed;
    station->remote = wry_remote_open(&settings, &error);
    if (!station->remote)
        return problem_of_error(error);
    station->port = wry_remote_port(station->remote);
    return NULL;
}

static struct wry_problem *open_serial(struct wry_station *station)
{
    GError *error = NULL;

    station->serial =
        wry_serial_open(&(struct wry_serial_settings){.path = station->link,
                                                      .wiring = station->settings.wiring,
                                                      .stop = station->settings.stop},
                        &error);
    if (!station->serial)
        return problem_of_error(error);
    station->port = wry_serial_port(station->serial);
    return NULL;
}

/* Chooses the only USB adapter, if no link was given. */
static struct wry_problem *choose_device(struct wry_station *station)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();
    g_autoptr(GPtrArray) names = g_ptr_array_new_with_free_func(g_free);

    for (guint i = 0; i < devices->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(devices, i);
        if (device->usb_vendor == 0)
            continue;
        g_ptr_array_add(names, g_strdup(device->path));
        g_ptr_array_add(names, g_strdup(device->description ? device->description : ""));
    }
    if (names->len == 0)
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_NO_LINK, NULL);
    if (names->len == 2) {
        station->link = g_strdup(g_ptr_array_index(names, 0));
        station_note(station, WRY_NOTE_ONLY_ADAPTER, station->link);
        return NULL;
    }
    struct wry_problem *problem = problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_MANY_ADAPTERS, NULL);
    g_ptr_array_add(names, NULL);
    problem->names = (char **)g_ptr_array_free(g_steal_pointer(&names), FALSE);
    return problem;
}

static struct wry_problem *open_address(struct wry_station *station)
{
    if (station->settings.port) {
        station->port = station->settings.port;
        return NULL;
    }
    if (!station->link) {
        struct wry_problem *problem = choose_device(station);
        if (!station->link)
            return problem;
    }
    if (g_str_has_prefix(station->link, BENCH))
        return open_bench(station);
    if (g_str_has_prefix(station->link, RFC2217))
        return open_remote(station, RFC2217, true);
    if (g_str_has_prefix(station->link, TCP))
        return open_remote(station, TCP, false);
    if (strchr(station->link, '/') && !strstr(station->link, "://"))
        return open_serial(station);
    return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_LINK, station->link);
}

struct wry_problem *open_link(struct wry_station *station)
{
    struct wry_problem *problem = open_address(station);

    if (problem)
        return problem;
    station->counted.trace = station->settings.trace;
    station->counted.context = station->settings.context;
    counted_port_open(&station->counted, station->port);
    station->port = &station->counted.port;
    return NULL;
}

char *open_adapter_name(const struct wry_station *station)
{
    if (station->serial)
        return wry_serial_adapter(station->serial);
    return g_str_has_prefix(station->link, RFC2217) ? g_strdup(station->link) : NULL;
}

bool open_is_raw(const struct wry_station *station)
{
    return station->link && g_str_has_prefix(station->link, TCP);
}

bool open_has_lines(const struct wry_station *station)
{
    return !station->settings.wiring->none && !open_is_raw(station);
}

void open_take_wiring(struct wry_station *station, const struct wry_wiring *wiring)
{
    station->settings.wiring = wiring;
    if (station->serial)
        wry_serial_take_wiring(station->serial, wiring);
    if (station->remote)
        wry_remote_take_wiring(station->remote, wiring);
    if (station->bench)
        bench_take_wiring(station->bench, wiring);
}

void close_link(struct wry_station *station)
{
    wry_serial_close(station->serial);
    station->serial = NULL;
    wry_remote_close(station->remote);
    station->remote = NULL;
    bench_close(station->bench);
    station->bench = NULL;
    station->port = NULL;
}
