/*
 * A serial port across TCP: RFC 2217 (COM port control over telnet), or a raw pipe of bytes.
 *
 *     struct remote_port *remote = remote_port_open("127.0.0.1", 4001, true, wiring, &error);
 *     wry_session_init(&session, remote_port_port(remote), &config);
 *     ...
 *     remote_port_close(remote);
 *
 * A raw pipe has neither speed nor control lines. A server that goes away in mid-work is a failure
 * of the next call, never a wait without end.
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
};

#define REMOTE_ERROR remote_error_quark()
GQuark remote_error_quark(void);

struct remote_port;

/* host may be a name, an IPv4 or an IPv6 address. com_port: speak RFC 2217. */
struct remote_port *remote_port_open(const char *host, uint16_t port, bool com_port,
                                     const struct wiring *wiring, GError **error);
const struct wry_port *remote_port_port(const struct remote_port *remote);
void remote_port_close(struct remote_port *remote);

#endif
