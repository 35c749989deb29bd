/*
 * A serial port across TCP: RFC 2217 (COM port control over telnet), or a raw pipe of bytes.
 *
 *     struct wry_remote_settings settings = {.host = "127.0.0.1", .port = 4001, .com_port = true,
 *                                        .wiring = wiring};
 *     struct wry_remote *remote = wry_remote_open(&settings, &error);
 *     wry_session_init(&session, wry_remote_port(remote), &config);
 *     ...
 *     wry_remote_close(remote);
 *
 * A raw pipe has neither control lines nor a speed that can be set: it has the one it is told. A
 * server that goes away in mid-work is a failure of the next call, never a wait without end.
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
    WRY_REMOTE_ERROR_NO_COM_PORT, /* the server does not do COM port control */
    WRY_REMOTE_ERROR_BUSY,        /* the server hung up at once: another client has the port */
    WRY_REMOTE_ERROR_STOPPED,     /* the caller asked to stop */
};

#define WRY_REMOTE_ERROR wry_remote_error_quark()
GQuark wry_remote_error_quark(void);

struct wry_remote;

struct wry_remote_settings {
    const char *host; /* a name, an IPv4 or an IPv6 address */
    uint16_t port;
    bool com_port;  /* speak RFC 2217 */
    uint32_t speed; /* baud of a raw pipe; 0 = 115200 */
    const struct wry_wiring *wiring;
    /* Asked every 100 ms while something is waited for; true gives up. */
    struct wry_stop stop;
};

/* What settings point to is copied, but for the wiring, which must outlive the port. */
struct wry_remote *wry_remote_open(const struct wry_remote_settings *settings, GError **error);
const struct wry_port *wry_remote_port(const struct wry_remote *remote);
/* From now on it is wired like that; its outputs stay as they are until lines are set. */
void wry_remote_take_wiring(struct wry_remote *remote, const struct wry_wiring *wiring);
void wry_remote_close(struct wry_remote *remote);

#ifdef __cplusplus
}
#endif

#endif
