/* ZIP files of kits, by libzip. */
#pragma once

#include <glib.h>
#include <stdint.h>

#include "store/file/zip_library.h"

/* Opens a ZIP file for reading; close it with zip_discard. NULL with error. */
zip_t *kit_zip_open(const char *path, GError **error);

/* Reads a member of at most so many bytes, NUL-terminated; NULL if it is missing or larger. */
char *kit_zip_read(zip_t *zip, const char *name, gsize most, gsize *n);

enum kit_zip_unpacked {
    KIT_ZIP_UNPACKED,
    KIT_ZIP_UNFIT,  /* missing, or another size or SHA-256 */
    KIT_ZIP_FAILED, /* the file cannot be written: errno */
};

/* Unpacks a member into a new file. */
enum kit_zip_unpacked kit_zip_unpack(zip_t *zip, const char *name, uint64_t size,
                                     const char *sha256, const char *to);

/* Adds the content of a file, or a text that must stay valid until the ZIP file is closed. Times
 * and other variable fields are fixed. */
gboolean kit_zip_add_file(zip_t *zip, const char *name, const char *path);
gboolean kit_zip_add_text(zip_t *zip, const char *name, const char *text);
