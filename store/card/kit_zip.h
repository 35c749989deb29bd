/* ZIP files of kits, by libzip. */
#ifndef WRY_STORE_KIT_ZIP_H
#define WRY_STORE_KIT_ZIP_H

#include <glib.h>
#include <stdint.h>
#include <zip.h>

/* For reading; closed with zip_discard. NULL with the reason. */
zip_t *kit_zip_open(const char *path, GError **error);

/* A member of at most so many bytes, NUL-terminated; NULL when it is not there, or larger. */
char *kit_zip_read(zip_t *zip, const char *name, gsize most, gsize *n);

enum kit_zip_unpacked {
    KIT_ZIP_UNPACKED,
    KIT_ZIP_UNFIT,  /* missing, of another size, or of another SHA-256 */
    KIT_ZIP_FAILED, /* the file cannot be written: errno */
};

/* A member into a new file. */
enum kit_zip_unpacked kit_zip_unpack(zip_t *zip, const char *name, uint64_t size,
                                     const char *sha256, const char *to);

/* Adds a file's content, or text, which stays the caller's until the ZIP file is closed. Times and
 * all else that could differ are fixed. */
gboolean kit_zip_add_file(zip_t *zip, const char *name, const char *path);
gboolean kit_zip_add_text(zip_t *zip, const char *name, const char *text);

#endif
