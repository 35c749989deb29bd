/* Step 1 of the guide. */
#include "echo.h"

void board_echo(const struct wry_board_port *port)
{
    uint8_t bytes[64];

    port->set_speed(port->context, WRY_STARTING_SPEED);
    for (;;) {
        size_t n = port->receive(port->context, bytes, sizeof bytes);
        for (size_t sent = 0; sent < n;)
            sent += port->transmit(port->context, bytes + sent, n - sent);
    }
}
