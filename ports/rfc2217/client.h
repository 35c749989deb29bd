/*
 * A serial port across TCP: RFC 2217 (COM port control over telnet), or a raw pipe of bytes.
 *
 *     struct remote_settings settings = {.host = "127.0.0.1", .port = 4001, .com_port = true,
 *                                        .wiring = wiring};
 *     struct remote_port *remote = remote_port_open(&settings, &error);
 *     wry_session_init(&session, remote_port_port(remote), &config);
 *     ...
 *     remote_port_close(remote);
 *
 * A raw pipe has neither control lines nor a speed that can be set: it has the one it is told. A
 * server that goes away in mid-work is a failure of the next call, never a wait without end.
 */
#ifndef WRY_RFC2217_CLIENT_H
#define WRY_RFC2217_CLIENT_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wiring.h"
#include "wrytograph/port.h"

enum remote_error {
    REMOTE_ERROR_CONNECT,     /* no connection */
    REMOTE_ERROR_NO_COM_PORT, /* the server does not do COM port control */
    REMOTE_ERROR_BUSY,        /* the server hung up at once: another client has the port */
    REMOTE_ERROR_STOPPED,     /* the caller asked to stop */
};

#define REMOTE_ERROR remote_error_quark()
GQuark remote_error_quark(void);

struct remote_port;

struct remote_settings {
    const char *host; /* a name, an IPv4 or an IPv6 address */
    uint16_t port;
    bool com_port;  /* speak RFC 2217 */
    uint32_t speed; /* baud of a raw pipe; 0 = 115200 */
    const struct wiring *wiring;
    /* Asked every 100 ms while something is waited for; true gives up. May be NULL. */
    bool (*stop)(void);
};

/* What settings point to is copied, but for the wiring, which must outlive the port. */
struct remote_port *remote_port_open(const struct remote_settings *settings, GError **error);
const struct wry_port *remote_port_port(const struct remote_port *remote);
void remote_port_close(struct remote_port *remote);

#endif
