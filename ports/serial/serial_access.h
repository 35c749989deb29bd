/* Whether a device may be opened. */
#ifndef WRY_SERIAL_ACCESS_H
#define WRY_SERIAL_ACCESS_H

#include <glib.h>
#include <stdbool.h>

/* False with a message when there is no such device, or it may not be opened. */
bool serial_check_access(const char *path, GError **error);

#endif
