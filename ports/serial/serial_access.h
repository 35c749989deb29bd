/* Whether a device may be opened. */
#ifndef WRY_SERIAL_ACCESS_H
#define WRY_SERIAL_ACCESS_H

#include <glib.h>
#include <stdbool.h>

/* False with an error if the device does not exist or cannot be opened. */
bool serial_check_access(const char *path, GError **error);

#endif
