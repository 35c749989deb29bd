/*
 * A serial device is one program's at a time. The lock is taken before the device is opened, since
 * opening it pulls its outputs and resets a board that another program is at work on; it stands for
 * the device, by number, and not for one of its names.
 */
#ifndef WRY_SERIAL_PORT_LOCK_H
#define WRY_SERIAL_PORT_LOCK_H

#include <glib.h>

/*
 * device is path without links. A descriptor to be closed when the port is, or -1 with *error: who
 * holds it as far as that can be told, or why it cannot be locked.
 */
int port_lock_take(const char *path, const char *device, GError **error);

/* The program that has the device open or locked, "NAME (process N)"; NULL when none can be told.
 * Free with g_free. */
char *port_lock_holder(const char *device);

#endif
