/*
 * The host's way to a board: a port.
 *
 * One struct of functions that a serial device, a serial port across a network and a simulated
 * board all fill in. A port moves bytes and knows nothing of the protocol. Times are microseconds
 * on the port's own clock, which is virtual for simulated boards.
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
    /* Sends all n bytes; returns once they are taken, not once they have left. */
    enum wry_status (*write)(void *context, const uint8_t *bytes, size_t n);
    /*
     * Returns as soon as at least one byte is there, with *got of at most room bytes; or at the
     * deadline with *got = 0. A deadline in the past only looks.
     */
    enum wry_status (*read)(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                            size_t *got);
    /* Takes effect after what was written before has left. WRY_UNSUPPORTED: it cannot come within
     * 2 % of that, and has the speed from before. */
    enum wry_status (*set_speed)(void *context, uint32_t baud);
    /* Whether set_speed would be supported; nothing is on the line meanwhile. May be NULL: that
     * shows when it is tried. */
    bool (*can_speed)(void *context, uint32_t baud);
    /* By meaning: reset true holds the board in reset, boot true asks for loading mode. Nothing is
     * held when both are false. */
    enum wry_status (*set_lines)(void *context, bool reset, bool boot);
    /* Holds the line low for longer than a byte takes (a break). May be NULL: it cannot. */
    enum wry_status (*send_break)(void *context);
    /* Forgets input that has arrived and was not read. */
    enum wry_status (*discard)(void *context);
    /*
     * Opens the port again after a call has failed: the device is back, or the server. May be NULL.
     * WRY_LINK_LOST when it is not back yet.
     */
    enum wry_status (*reopen)(void *context);
    uint64_t (*now)(void *context);
    void (*sleep)(void *context, uint64_t until);
    uint32_t top_speed; /* baud that the adapter can do */
};

#ifdef __cplusplus
}
#endif

#endif
