/*
 * A serial device or pseudo-terminal.
 *
 *     struct wry_serial *serial = wry_serial_open(
 *         &(struct wry_serial_settings){.path = "/dev/ttyUSB0", .wiring = wiring}, &error);
 *     wry_session_init(&session, wry_serial_port(serial), &config);
 *     ...
 *     wry_serial_close(serial);
 *
 * A port is locked before it is opened: only one program has it at a time. When it is opened, the
 * system asserts both outputs, which resets a board in some wirings; afterwards they are as set,
 * also after closing. If a device is unplugged, the next call fails; reopening finds the same
 * adapter under another name. A pseudo-terminal has no control lines: setting them does nothing.
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
    WRY_SERIAL_ERROR_MISSING,    /* the device does not exist */
    WRY_SERIAL_ERROR_PERMISSION, /* no permission to open it */
    WRY_SERIAL_ERROR_BUSY,       /* another program has it */
    WRY_SERIAL_ERROR_OTHER,
};

#define WRY_SERIAL_ERROR wry_serial_error_quark()
GQuark wry_serial_error_quark(void);

struct wry_serial;

struct wry_serial_settings {
    const char *path;                /* path of the device or of a link to it; copied */
    const struct wry_wiring *wiring; /* outlives the port */
    struct wry_stop stop;            /* ends a write or drain that does not advance */
};

/* NULL with error. The initial speed is 115200 baud. */
struct wry_serial *wry_serial_open_of(const struct wry_serial_settings *settings, size_t size,
                                      GError **error);
static inline struct wry_serial *wry_serial_open(const struct wry_serial_settings *settings,
                                                 GError **error)
{
    return wry_serial_open_of(settings, sizeof *settings, error);
}
const struct wry_port *wry_serial_port(const struct wry_serial *serial);
/* An identifier of the adapter that stays the same when its device name changes: its serial number,
 * or where it is plugged in. Free with g_free. */
char *wry_serial_adapter(const struct wry_serial *serial);
/* Changes the wiring. The outputs stay unchanged until lines are set. */
void wry_serial_take_wiring(struct wry_serial *serial, const struct wry_wiring *wiring);
void wry_serial_close(struct wry_serial *serial);

/* A serial port of this computer. Strings may be NULL. */
struct wry_serial_device {
    char *path, *description, *serial;
    int usb_vendor, usb_product; /* 0 if it is not a USB device */
    char *link;                  /* its persistent name in /dev/serial/by-id */
    char *problem;               /* why it cannot be opened; NULL = it can */
    char *holder; /* the program that has it open, "NAME (process N)"; NULL = none, or unknown */
};

/*
 * All ports as struct wry_serial_device, sorted by path; free with g_ptr_array_unref. A file named
 * by WRYTOGRAPH_DEVICES replaces the system's list, with lines of PATH VENDOR:PRODUCT SERIAL
 * DESCRIPTION.
 */
GPtrArray *wry_serial_devices(void);

/* A USB device, serial port or not. Hubs are left out. */
struct wry_usb_device {
    char *place; /* where it is plugged in, in the system's notation */
    char *name;  /* the device's own vendor and product name; may be "" */
    int vendor, product;
};

/*
 * All USB devices as struct wry_usb_device; free with g_ptr_array_unref. Empty if the system does
 * not provide them. A folder named by WRYTOGRAPH_USB replaces /sys/bus/usb/devices.
 */
GPtrArray *wry_usb_devices(void);

#ifdef __cplusplus
}
#endif

#endif
