/*
 * A serial port across TCP: RFC 2217 (COM port control over telnet) or raw bytes.
 *
 *     struct wry_remote_settings settings = {.host = "127.0.0.1", .port = 4001,
 *                                            .com_port = true, .wiring = wiring};
 *     struct wry_remote *remote = wry_remote_open(&settings, &error);
 *     wry_session_init(&session, wry_remote_port(remote), &config);
 *     ...
 *     wry_remote_close(remote);
 *
 * A raw connection has no control lines, and its speed cannot be changed. If the server goes away,
 * the next call fails; it never waits forever.
 */
#ifndef WRYTOGRAPH_HOST_REMOTE_H
#define WRYTOGRAPH_HOST_REMOTE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/stop.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/port.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_remote_error {
    WRY_REMOTE_ERROR_CONNECT,     /* no connection */
    WRY_REMOTE_ERROR_NO_COM_PORT, /* the server does not support COM port control */
    WRY_REMOTE_ERROR_BUSY, /* the server closed the connection at once: another client has the port
                            */
    WRY_REMOTE_ERROR_STOPPED, /* the caller asked to stop */
};

#define WRY_REMOTE_ERROR wry_remote_error_quark()
GQuark wry_remote_error_quark(void);

struct wry_remote;

struct wry_remote_settings {
    const char *host; /* a name, an IPv4 or an IPv6 address */
    uint16_t port;
    bool com_port;  /* use RFC 2217 */
    uint32_t speed; /* baud of a raw connection; 0 = 115200 */
    const struct wry_wiring *wiring;
    /* Asked every 100 ms while waiting. */
    struct wry_stop stop;
};

/* Copies the settings, except the wiring, which must outlive the port. */
struct wry_remote *wry_remote_open_of(const struct wry_remote_settings *settings, size_t size,
                                      GError **error);
static inline struct wry_remote *wry_remote_open(const struct wry_remote_settings *settings,
                                                 GError **error)
{
    return wry_remote_open_of(settings, sizeof *settings, error);
}
const struct wry_port *wry_remote_port(const struct wry_remote *remote);
/* Changes the wiring. The outputs stay unchanged until lines are set. */
void wry_remote_take_wiring(struct wry_remote *remote, const struct wry_wiring *wiring);
void wry_remote_close(struct wry_remote *remote);

#ifdef __cplusplus
}
#endif

#endif
