/* A folder as a ustar archive. */
#include "store/image/folder_image.h"

#include <sys/stat.h>
#include <unistd.h>

#include "base/folder_names.h"
#include "store/file/error.h"
#include "store/file/spool.h"
#include "store/image/tar_library.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph/flash.h"

enum {
    PIECE = 16384,
    DEPTH_MOST = 32,
};

struct maker {
    struct archive *archive;
    struct spool *spool;
    uint64_t length;
    bool too_large, no_room;
    GError **error;
};

static la_ssize_t take(struct archive *archive, void *context, const void *bytes, size_t n)
{
    struct maker *maker = context;

    (void)archive;
    maker->too_large = maker->too_large || n > WRY_FLASH_MAX - maker->length;
    maker->no_room = maker->no_room ||
                     (!maker->too_large && !spool_write(maker->spool, maker->length, bytes, n));
    if (maker->too_large || maker->no_room)
        return -1;
    maker->length += n;
    return (la_ssize_t)n;
}

static gboolean fail(const struct maker *maker, const char *path, const char *what)
{
    return store_error(maker->error, WRY_STORE_ERROR_DAMAGED, "%s: %s", path,
                       maker->too_large ? "larger than any flash"
                       : maker->no_room ? "no room for temporary files"
                                        : what);
}

static gboolean add_head(struct maker *maker, const char *path, const char *name, bool folder,
                         uint64_t size)
{
    struct archive_entry *entry = archive_entry_new();

    archive_entry_set_pathname(entry, name);
    archive_entry_set_filetype(entry, folder ? AE_IFDIR : AE_IFREG);
    archive_entry_set_perm(entry, folder ? 0755 : 0644);
    archive_entry_set_size(entry, folder ? 0 : (la_int64_t)size);
    archive_entry_set_mtime(entry, 0, 0);
    bool added = archive_write_header(maker->archive, entry) == ARCHIVE_OK;
    archive_entry_free(entry);
    return added || fail(maker, path, "its name is too long for a ustar archive");
}

static gboolean add_file(struct maker *maker, const char *path, const char *name)
{
    uint8_t piece[PIECE];
    g_autoptr(GError) inner = NULL;
    struct stat info;
    int file = wry_text_file_open_plain(path, &inner);
    uint64_t left;
    ssize_t n = 0;

    if (file < 0)
        return store_error(maker->error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    bool good =
        fstat(file, &info) == 0 && add_head(maker, path, name, false, (uint64_t)info.st_size);
    left = good ? (uint64_t)info.st_size : 0;
    while (good && left > 0) {
        n = read(file, piece, MIN(sizeof piece, left));
        good = (n > 0 && archive_write_data(maker->archive, piece, (size_t)n) == n) ||
               fail(maker, path, "cannot be read to its end");
        left -= good ? (uint64_t)n : 0;
    }
    close(file);
    return good;
}

static gboolean add_folder(struct maker *maker, const char *folder, const char *prefix,
                           unsigned depth);

static gboolean add_item(struct maker *maker, const char *folder, const char *prefix,
                         const char *item, unsigned depth)
{
    g_autofree char *path = g_build_filename(folder, item, NULL);
    g_autofree char *name = g_strconcat(prefix, item, NULL);
    g_autofree char *inside = g_strconcat(name, "/", NULL);
    struct stat info;

    if (lstat(path, &info) != 0)
        return fail(maker, path, "cannot be read");
    if (S_ISREG(info.st_mode))
        return add_file(maker, path, name);
    if (!S_ISDIR(info.st_mode))
        return fail(maker, path, "neither a file nor a folder: replace it by a copy of its target");
    return add_head(maker, path, inside, true, 0) && add_folder(maker, path, inside, depth + 1);
}

static gboolean add_folder(struct maker *maker, const char *folder, const char *prefix,
                           unsigned depth)
{
    g_auto(GStrv) names = depth < DEPTH_MOST ? folder_names(folder, NULL) : NULL;
    gboolean good = TRUE;

    if (!names)
        return fail(maker, folder, depth < DEPTH_MOST ? "cannot be read" : "too deeply nested");
    for (char **name = names; good && *name; name++)
        good = add_item(maker, folder, prefix, *name, depth);
    return good;
}

struct spool *folder_image_make(const char *path, uint32_t *length, GError **error)
{
    struct maker maker = {.error = error};

    maker.spool = tar_library_load(error) ? spool_new(NULL, error) : NULL;
    if (!maker.spool)
        return NULL;
    maker.archive = archive_write_new();
    archive_write_set_format_ustar(maker.archive);
    archive_write_set_bytes_per_block(maker.archive, 512);
    archive_write_set_bytes_in_last_block(maker.archive, 512);
    gboolean made = archive_write_open(maker.archive, &maker, NULL, take, NULL) == ARCHIVE_OK &&
                    add_folder(&maker, path, "", 0);
    made = made && (archive_write_close(maker.archive) == ARCHIVE_OK ||
                    fail(&maker, path, "cannot be made an archive"));
    archive_write_free(maker.archive);
    *length = (uint32_t)maker.length;
    if (made)
        return maker.spool;
    spool_free(maker.spool);
    return NULL;
}
