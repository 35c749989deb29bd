/* The kind of a file by its first bytes (libmagic). */
#pragma once

#include <glib.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph-host/content.h"

#define CONTENT_LOOKED_AT 65536u /* bytes to examine */

/* False with error if libmagic cannot be used. name is used in the error. */
gboolean content_recognise(const char *name, const uint8_t *bytes, size_t n,
                           enum wry_content *content, GError **error);
