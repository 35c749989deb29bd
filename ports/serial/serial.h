/*
 * A real serial device or pseudo-terminal, over libserialport.
 *
 *     struct serial_port *serial = serial_port_open("/dev/ttyUSB0", wiring, &error);
 *     wry_session_init(&session, serial_port_port(serial), &config);
 *     ...
 *     serial_port_close(serial);
 *
 * One program holds a port at a time. A device that is unplugged fails the next call. A
 * pseudo-terminal has no control lines; setting them does nothing there.
 */
#ifndef WRY_SERIAL_H
#define WRY_SERIAL_H

#include <glib.h>
#include <stdbool.h>

#include "wiring.h"
#include "wrytograph/port.h"

enum serial_error {
    SERIAL_ERROR_MISSING,    /* there is no such device */
    SERIAL_ERROR_PERMISSION, /* it may not be opened */
    SERIAL_ERROR_BUSY,       /* another program holds it */
    SERIAL_ERROR_OTHER,
};

#define SERIAL_ERROR serial_error_quark()
GQuark serial_error_quark(void);

struct serial_port;

struct serial_port *serial_port_open(const char *path, const struct wiring *wiring, GError **error);
const struct wry_port *serial_port_port(const struct serial_port *serial);
void serial_port_close(struct serial_port *serial);

/* A port that the system knows of; strings may be NULL. */
struct serial_device {
    char *path, *description, *serial;
    int usb_vendor, usb_product; /* 0 when it is no USB device */
    char *problem;               /* why it cannot be opened; NULL when it can */
};

/* False with a message when there is no such device, or it may not be opened. */
bool serial_check_access(const char *path, GError **error);

/*
 * An array of struct serial_device, by path. Free with g_ptr_array_unref. A file named by
 * WRYTOGRAPH_DEVICES stands in for the system's list: a line for each, PATH VENDOR:PRODUCT SERIAL
 * DESCRIPTION.
 */
GPtrArray *serial_devices(void);

#endif
