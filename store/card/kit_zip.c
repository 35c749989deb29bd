/* ZIP files of kits. */
#include "store/card/kit_zip.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

#include "store/file/error.h"
#include "wrytograph-host/text_file.h"

enum {
    PIECE = 65536,
    LEVEL = 9,
    DOS_DATE = 33, /* the first date that ZIP can represent, 1980-01-01 */
};

zip_t *kit_zip_open(const char *path, GError **error)
{
    g_autoptr(GError) inner = NULL;
    int code = 0, file = wry_text_file_open_plain(path, &inner);

    if (file < 0) {
        store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
        return NULL;
    }
    close(file);
    if (!zip_library_load(error))
        return NULL;
    zip_t *zip = zip_open(path, ZIP_RDONLY, &code);
    if (!zip)
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "%s: damaged or cut short: not a whole ZIP file", path);
    return zip;
}

char *kit_zip_read(zip_t *zip, const char *name, gsize most, gsize *n)
{
    zip_stat_t info;

    if (zip_stat(zip, name, 0, &info) != 0 || !(info.valid & ZIP_STAT_SIZE) || info.size > most)
        return NULL;
    char *text = g_malloc0(info.size + 1);
    zip_file_t *file = zip_fopen(zip, name, 0);
    zip_int64_t got = file ? zip_fread(file, text, info.size) : -1;
    if (file)
        zip_fclose(file);
    if (got != (zip_int64_t)info.size) {
        g_free(text);
        return NULL;
    }
    *n = info.size;
    return text;
}

static bool write_all(int file, const guchar *bytes, size_t n)
{
    while (n > 0) {
        ssize_t written = write(file, bytes, n);
        if (written < 0 && errno == EINTR)
            continue;
        if (written <= 0)
            return false;
        bytes += written;
        n -= (size_t)written;
    }
    return true;
}

/* Unpacks; returns the bytes, or -1. */
static zip_int64_t copy(zip_file_t *from, int to, uint64_t size, GChecksum *checksum, bool *failed)
{
    g_autofree guchar *piece = g_malloc(PIECE);
    zip_int64_t done = 0, n;

    while ((n = zip_fread(from, piece, PIECE)) > 0) {
        done += n;
        if ((uint64_t)done > size)
            return -1;
        g_checksum_update(checksum, piece, n);
        *failed = !write_all(to, piece, (size_t)n);
        if (*failed)
            return -1;
    }
    return n < 0 ? -1 : done;
}

enum kit_zip_unpacked kit_zip_unpack(zip_t *zip, const char *name, uint64_t size,
                                     const char *sha256, const char *to)
{
    zip_stat_t info;
    /* A member that unpacks to more than it should is not unpacked at all. */
    bool sized =
        zip_stat(zip, name, 0, &info) == 0 && (info.valid & ZIP_STAT_SIZE) && info.size == size;
    zip_file_t *from = sized ? zip_fopen(zip, name, 0) : NULL;
    bool failed = false;

    if (!from)
        return KIT_ZIP_UNFIT;
    int file = open(to, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0600);
    GChecksum *checksum = g_checksum_new(G_CHECKSUM_SHA256);
    failed = file < 0;
    zip_int64_t done = failed ? -1 : copy(from, file, size, checksum, &failed);
    bool fits = done == (zip_int64_t)size && strcmp(g_checksum_get_string(checksum), sha256) == 0;
    if (file >= 0 && close(file) != 0)
        failed = true;
    g_checksum_free(checksum);
    zip_fclose(from);
    return failed ? KIT_ZIP_FAILED : fits ? KIT_ZIP_UNPACKED : KIT_ZIP_UNFIT;
}

static gboolean add(zip_t *zip, const char *name, zip_source_t *source)
{
    zip_int64_t index = source ? zip_file_add(zip, name, source, ZIP_FL_ENC_UTF_8) : -1;

    if (index < 0) {
        zip_source_free(source);
        return FALSE;
    }
    zip_uint64_t at = (zip_uint64_t)index;
    return zip_set_file_compression(zip, at, ZIP_CM_DEFLATE, LEVEL) == 0 &&
           zip_file_set_dostime(zip, at, 0, DOS_DATE, 0) == 0 &&
           zip_file_set_external_attributes(zip, at, 0, ZIP_OPSYS_UNIX, 0644u << 16) == 0;
}

gboolean kit_zip_add_file(zip_t *zip, const char *name, const char *path)
{
    return add(zip, name, zip_source_file(zip, path, 0, -1));
}

gboolean kit_zip_add_text(zip_t *zip, const char *name, const char *text)
{
    return add(zip, name, zip_source_buffer(zip, text, strlen(text), 0));
}
