/*
 * Locks of serial devices: one program at a time. The lock is taken before the device is opened,
 * since opening changes its outputs and would reset a board that another program works on. It
 * identifies the device by its number, not by its path.
 */
#ifndef WRY_SERIAL_PORT_LOCK_H
#define WRY_SERIAL_PORT_LOCK_H

#include <glib.h>

/*
 * device is path with links resolved. Returns a descriptor to close together with the port, or -1
 * with *error: the holder, if known, or why it cannot be locked.
 */
int port_lock_take(const char *path, const char *device, GError **error);

/* The program that has the device open or locked, "NAME (process N)"; NULL if none is known. Free
 * with g_free. */
char *port_lock_holder(const char *device);

#endif
