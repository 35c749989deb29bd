/*
 * Ports: how the host reaches a board.
 *
 * A port is one struct of functions, which a serial device, a serial port across a network and a
 * simulated board implement alike. It moves bytes and knows nothing of the protocol. Times are in
 * microseconds on the port's own clock, which is virtual for simulated boards.
 *
 *     enum wry_status status = port->write(port->context, bytes, n);
 */
#ifndef WRYTOGRAPH_PORT_H
#define WRYTOGRAPH_PORT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/status.h"

#ifdef __cplusplus
extern "C" {
#endif

struct wry_port {
    void *context;
    /* Sends n bytes. Returns when they have been accepted, which may be before they leave. */
    enum wry_status (*write)(void *context, const uint8_t *bytes, size_t n);
    /*
     * Waits for input. Returns as soon as there is at least one byte, with *got of up to room
     * bytes, or at the deadline with *got = 0. A deadline in the past means: do not wait.
     */
    enum wry_status (*read)(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                            size_t *got);
    /* Changes the speed after all bytes written before have left. WRY_UNSUPPORTED: the port cannot
     * come within 2 % of it, and keeps the speed it had. */
    enum wry_status (*set_speed)(void *context, uint32_t baud);
    /* Whether set_speed would support this speed, without using the line. NULL: only trying it
     * shows that. */
    bool (*can_speed)(void *context, uint32_t baud);
    /* Sets the control lines by meaning: reset holds the board in reset, boot selects loading mode.
     * With both false, nothing is held. */
    enum wry_status (*set_lines)(void *context, bool reset, bool boot);
    /* Sends a break: holds the line low for longer than a byte. NULL: not supported. */
    enum wry_status (*send_break)(void *context);
    /* Discards input that has arrived but was not read. */
    enum wry_status (*discard)(void *context);
    /*
     * Opens the port again after a call has failed because the device or server was gone.
     * WRY_LINK_LOST if it is not back yet. NULL: not supported.
     */
    enum wry_status (*reopen)(void *context);
    uint64_t (*now)(void *context);
    void (*sleep)(void *context, uint64_t until);
    uint32_t top_speed; /* the adapter's highest speed, baud */
};

#ifdef __cplusplus
}
#endif

#endif
