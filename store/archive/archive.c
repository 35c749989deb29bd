/* Backup archives, over libzip. */
#include "store/archive/archive.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "store/archive/archive_json.h"
#include "store/file/error.h"
#include "store/file/spool.h"
#include "store/file/zip_library.h"
#include "wrytograph-host/text_file.h"

#define DESCRIPTION "board.json"

enum {
    PIECE = 16384,
    DESCRIPTION_MAX = 1 << 20,
    LEVEL = 5, /* deflate level: 1 % longer than the best one, in a third of the time */
};

bool archive_is_one(const char *path)
{
    uint8_t first[4] = {0};
    int file = wry_text_file_open_plain(path, NULL);

    if (file < 0)
        return false;
    ssize_t n = read(file, first, sizeof first);
    close(file);
    return n == (ssize_t)sizeof first && memcmp(first, "PK\003\004", sizeof first) == 0;
}

static gboolean zip_error(GError **error, const char *path, const char *what)
{
    return store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", path, what);
}

/* Adds one range directly from the spool; stream is a FILE over it. */
static bool add_range(zip_t *zip, FILE *stream, const struct archive_range *range)
{
    g_autofree char *name = archive_range_name(range);
    zip_source_t *source = zip_source_filep(zip, stream, range->offset, range->length);

    if (!source)
        return false;
    zip_int64_t at = zip_file_add(zip, name, source, ZIP_FL_ENC_UTF_8);
    if (at < 0) {
        zip_source_free(source);
        return false;
    }
    return zip_set_file_compression(zip, (zip_uint64_t)at, ZIP_CM_DEFLATE, LEVEL) == 0;
}

static bool add_description(zip_t *zip, const char *text)
{
    zip_source_t *source = zip_source_buffer(zip, text, strlen(text), 0);

    if (!source)
        return false;
    if (zip_file_add(zip, DESCRIPTION, source, ZIP_FL_ENC_UTF_8) < 0) {
        zip_source_free(source);
        return false;
    }
    return true;
}

static char *read_description(zip_t *zip, gssize *length)
{
    zip_stat_t info;

    if (zip_stat(zip, DESCRIPTION, 0, &info) != 0 || !(info.valid & ZIP_STAT_SIZE) ||
        info.size == 0 || info.size > DESCRIPTION_MAX)
        return NULL;
    char *text = g_malloc(info.size);
    zip_file_t *file = zip_fopen(zip, DESCRIPTION, 0);
    zip_int64_t n = file ? zip_fread(file, text, info.size) : -1;
    if (file)
        zip_fclose(file);
    if (n != (zip_int64_t)info.size) {
        g_free(text);
        return NULL;
    }
    *length = (gssize)n;
    return text;
}

/* Unpacks one range piece by piece. False if it is missing or has another length. */
static bool unpack(zip_t *zip, const struct archive_range *range,
                   bool (*take)(void *context, uint32_t at, const uint8_t *bytes, size_t n),
                   void *context)
{
    g_autofree char *name = archive_range_name(range);
    uint8_t piece[PIECE];
    zip_stat_t info;
    /* A member that unpacks to more than its range is not unpacked at all. */
    bool sized = zip_stat(zip, name, 0, &info) == 0 && (info.valid & ZIP_STAT_SIZE) &&
                 info.size == range->length;
    zip_file_t *file = sized ? zip_fopen(zip, name, 0) : NULL;
    uint32_t done = 0;
    zip_int64_t n = 1;

    while (file && n > 0 && done <= range->length) {
        n = zip_fread(file, piece, sizeof piece);
        if (n > 0 && ((uint64_t)n > range->length - done || !take(context, done, piece, (size_t)n)))
            n = -1;
        done += n > 0 ? (uint32_t)n : 0;
    }
    if (file)
        zip_fclose(file);
    return file && n == 0 && done == range->length;
}

static bool take_into_spool(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    const struct archive_range *range = context;

    return spool_write(range->archive->content, (uint64_t)range->offset + at, bytes, n);
}

/* Unpacks into the spool and computes the digest from there. */
static bool unpack_into_spool(zip_t *zip, struct archive_range *range)
{
    uint8_t sha256[WRY_SHA256_SIZE];

    return unpack(zip, range, take_into_spool, range) && archive_range_digest(range, sha256) &&
           memcmp(sha256, range->sha256, sizeof sha256) == 0;
}

static bool take_into_digest(void *context, uint32_t at, const uint8_t *bytes, size_t n)
{
    (void)at;
    wry_sha256_add(context, bytes, n);
    return true;
}

/* Reads the file back: compression is not trusted with the only copy of a board's content. */
static bool holds_all(const struct archive *archive, const char *path)
{
    zip_t *zip = zip_open(path, ZIP_RDONLY, NULL);
    bool holds = zip != NULL;

    for (guint i = 0; i < archive->ranges->len && holds; i++) {
        const struct archive_range *range =
            &g_array_index(archive->ranges, struct archive_range, i);
        uint8_t digest[WRY_SHA256_SIZE];
        struct wry_sha256 sha;
        wry_sha256_begin(&sha);
        holds = unpack(zip, range, take_into_digest, &sha);
        wry_sha256_end(&sha, digest);
        holds = holds && memcmp(digest, range->sha256, sizeof digest) == 0;
    }
    if (zip)
        zip_discard(zip);
    return holds;
}

gboolean archive_can_write(GError **error)
{
    return zip_library_load(error);
}

gboolean archive_write(const struct archive *archive, const char *path, GError **error)
{
    g_autofree char *description = archive_json_write(archive);
    int code = 0;

    if (!zip_library_load(error))
        return FALSE;
    zip_t *zip = zip_open(path, ZIP_CREATE | ZIP_TRUNCATE, &code);
    bool added = zip && add_description(zip, description);
    if (!zip)
        return zip_error(error, path, "cannot be made");
    /* Each source owns its stream. */
    for (guint i = 0; i < archive->ranges->len && added; i++) {
        FILE *stream = fdopen(dup(spool_descriptor(archive->content)), "rb");
        added = stream &&
                add_range(zip, stream, &g_array_index(archive->ranges, struct archive_range, i));
    }
    if (added && zip_close(zip) == 0)
        return holds_all(archive, path) ||
               zip_error(error, path, "the written file does not read back correctly");
    zip_error(error, path, zip_strerror(zip));
    zip_discard(zip);
    return FALSE;
}

static gboolean load(struct archive *archive, zip_t *zip, const char *path, GError **error)
{
    gssize length = 0;
    g_autofree char *text = read_description(zip, &length);

    if (!text)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: not a backup: there is no %s in it",
                           path, DESCRIPTION);
    if (!archive_json_read(archive, text, length, path, error))
        return FALSE;
    archive->content = spool_new(NULL, error);
    if (!archive->content)
        return FALSE;
    for (guint i = 0; i < archive->ranges->len; i++) {
        struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, i);
        if (unpack_into_spool(zip, range))
            continue;
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: damaged: the content from 0x%06X on does not match its SHA-256",
                           path, (unsigned)range->offset);
    }
    return TRUE;
}

struct archive *archive_open(const char *path, GError **error)
{
    int code = 0;
    int file = wry_text_file_open_plain(path, error);

    if (file < 0)
        return NULL;
    close(file);
    if (!zip_library_load(error))
        return NULL;
    zip_t *zip = zip_open(path, ZIP_RDONLY, &code);
    if (!zip) {
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "%s: damaged or cut short: not a whole ZIP file", path);
        return NULL;
    }
    struct archive *archive = archive_new();
    gboolean loaded = load(archive, zip, path, error);
    zip_discard(zip);
    if (loaded)
        return archive;
    archive_close(archive);
    return NULL;
}
