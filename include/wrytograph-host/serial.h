/*
 * A real serial device or pseudo-terminal.
 *
 *     struct wry_serial *serial = wry_serial_open(
 *         &(struct wry_serial_settings){.path = "/dev/ttyUSB0", .wiring = wiring}, &error);
 *     wry_session_init(&session, wry_serial_port(serial), &config);
 *     ...
 *     wry_serial_close(serial);
 *
 * One program holds a port at a time: it is locked before it is opened. Opening it, the system
 * asserts both outputs, which resets a board in some wirings; from then on they are as meant, and
 * stay so when the port is closed. A device that is unplugged fails the next call; reopening it
 * finds the same adapter under another name. A pseudo-terminal has no control lines; setting them
 * does nothing there.
 */
#ifndef WRYTOGRAPH_HOST_SERIAL_H
#define WRYTOGRAPH_HOST_SERIAL_H

#include <glib.h>
#include <stdbool.h>

#include "wrytograph-host/stop.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/port.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_serial_error {
    WRY_SERIAL_ERROR_MISSING,    /* there is no such device */
    WRY_SERIAL_ERROR_PERMISSION, /* it may not be opened */
    WRY_SERIAL_ERROR_BUSY,       /* another program holds it */
    WRY_SERIAL_ERROR_OTHER,
};

#define WRY_SERIAL_ERROR wry_serial_error_quark()
GQuark wry_serial_error_quark(void);

struct wry_serial;

struct wry_serial_settings {
    const char *path;                /* of the device, or a link to it; copied */
    const struct wry_wiring *wiring; /* outlives the port */
    struct wry_stop stop;            /* ends what waits: a write or a drain that goes no further */
};

/* NULL with error. Its speed is 115200 baud at first. */
struct wry_serial *wry_serial_open(const struct wry_serial_settings *settings, GError **error);
const struct wry_port *wry_serial_port(const struct wry_serial *serial);
/* A name of the adapter that outlasts its device's: its serial number, or where it is plugged in.
 * Free with g_free. */
char *wry_serial_adapter(const struct wry_serial *serial);
/* From now on it is wired like that; its outputs stay as they are until lines are set. */
void wry_serial_take_wiring(struct wry_serial *serial, const struct wry_wiring *wiring);
void wry_serial_close(struct wry_serial *serial);

/* A port that the system knows of; strings may be NULL. */
struct wry_serial_device {
    char *path, *description, *serial;
    int usb_vendor, usb_product; /* 0 when it is no USB device */
    char *link;                  /* a name of it that lasts, in /dev/serial/by-id */
    char *problem;               /* why it cannot be opened; NULL when it can */
    char *holder;                /* the program that holds it, "NAME (process N)", as far as that
                                    can be told; NULL when nobody is known to */
};

/*
 * An array of struct wry_serial_device, by path. Free with g_ptr_array_unref. A file named by
 * WRYTOGRAPH_DEVICES stands in for the system's list: a line for each, PATH VENDOR:PRODUCT SERIAL
 * DESCRIPTION.
 */
GPtrArray *wry_serial_devices(void);

/* A USB device, whether or not it is a serial port; hubs are none. */
struct wry_usb_device {
    char *place; /* where it is plugged in, as the system names it */
    char *name;  /* maker and product as it says itself; may be "" */
    int vendor, product;
};

/*
 * An array of struct wry_usb_device; free with g_ptr_array_unref. Empty where the system does not
 * tell. A folder named by WRYTOGRAPH_USB stands in for /sys/bus/usb/devices.
 */
GPtrArray *wry_usb_devices(void);

#ifdef __cplusplus
}
#endif

#endif
