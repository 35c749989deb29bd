/* Text from a board. */
#include "jobs/station/serial_text.h"

#include "wrytograph-host/chips.h"

/* The same with repetitions, in two lists: what chips say comes after the first one. */
static uint32_t candidate(size_t n)
{
    static const uint32_t usual[] = {38400, 9600, 57600, 230400, 460800, 921600, 0};
    size_t chips = 0;

    if (n == 0)
        return WRY_STARTING_SPEED;
    while (wry_chips_at(chips) && chips < n - 1)
        chips++;
    const struct wry_chip *chip = chips == n - 1 ? wry_chips_at(chips) : NULL;
    if (chip)
        return chip->boot_speed;
    size_t rest = n - 1 - chips;
    return rest < sizeof usual / sizeof usual[0] ? usual[rest] : 0;
}

static bool is_new(size_t n)
{
    for (size_t i = 0; i < n; i++) {
        if (candidate(i) == candidate(n))
            return false;
    }
    return true;
}

uint32_t serial_text_speed(size_t n)
{
    for (size_t i = 0; candidate(i) > 0; i++) {
        if (is_new(i) && n-- == 0)
            return candidate(i);
    }
    return 0;
}

bool serial_text_is_readable(uint8_t byte)
{
    return (byte >= 0x20 && byte < 0x7F) || byte == '\r' || byte == '\n' || byte == '\t';
}

bool serial_text_count(const struct wry_station *station, uint64_t time, unsigned *heard,
                       unsigned *readable)
{
    const struct wry_port *port = station->port;
    uint64_t end = port->now(port->context) + time;
    uint8_t bytes[256];
    size_t got;

    *heard = *readable = 0;
    while (port->now(port->context) < end && !station_stopped(station)) {
        if (port->read(port->context, bytes, sizeof bytes, end, &got) != WRY_OK)
            return false;
        *heard += (unsigned)got;
        for (size_t i = 0; i < got; i++)
            *readable += serial_text_is_readable(bytes[i]);
    }
    return true;
}

char *serial_text_hear(const struct wry_station *station, uint64_t time)
{
    const struct wry_port *port = station->port;
    uint64_t end = port->now(port->context) + time;
    GString *text = g_string_new(NULL);
    uint8_t bytes[256];
    size_t got;

    while (port->now(port->context) < end && !station_stopped(station) &&
           port->read(port->context, bytes, sizeof bytes, end, &got) == WRY_OK) {
        for (size_t i = 0; i < got; i++)
            g_string_append_c(text, serial_text_is_readable(bytes[i]) ? (char)bytes[i] : '?');
    }
    return g_string_free(text, FALSE);
}
