/* Text from a board. */
#include "jobs/station/serial_text.h"

const uint32_t serial_text_speeds[] = {115200, 38400, 9600, 57600, 230400, 460800, 921600, 0};

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
