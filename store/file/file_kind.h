/* What a file is, by its first bytes (libmagic). */
#ifndef WRY_STORE_FILE_KIND_H
#define WRY_STORE_FILE_KIND_H

#include <glib.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph-host/content.h"

#define CONTENT_LOOKED_AT 65536u /* bytes that tell enough */

/* False with the error set when libmagic cannot be used. name stands in the error's text. */
gboolean content_recognise(const char *name, const uint8_t *bytes, size_t n,
                           enum wry_content *content, GError **error);

#endif
