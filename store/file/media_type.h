/* Media types by the first bytes of a file: of libmagic, if the build has it. */
#pragma once

#include <glib.h>
#include <stddef.h>
#include <stdint.h>

/* Such as "text/html"; free with g_free. NULL with error if it cannot be found out; NULL without
 * one in a build that does not look. */
char *media_type(const uint8_t *bytes, size_t n, GError **error);
