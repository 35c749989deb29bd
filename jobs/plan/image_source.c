/* Images from settings and folders. */
#include "jobs/plan/image_source.h"

#include "store/file/error.h"
#include "store/file/spool.h"
#include "store/image/folder_image.h"

struct image_file *image_source_settings(const char *path, const struct settings *settings,
                                         uint32_t generation, GError **error)
{
    g_autofree uint8_t *bytes = g_malloc(WRY_SETTINGS_BLOCK_MAX);
    size_t n = settings_make(settings, generation, bytes, WRY_SETTINGS_BLOCK_MAX);

    if (n == 0) {
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "%s: more settings than a block can hold (%u bytes)", path,
                    WRY_SETTINGS_BLOCK_MAX);
        return NULL;
    }
    struct spool *spool = spool_new(NULL, error);
    if (!spool)
        return NULL;
    if (spool_write(spool, 0, bytes, n))
        return image_file_of_spool(path, spool, (uint32_t)n);
    store_error(error, WRY_STORE_ERROR_FILE, "%s: no room for temporary files", path);
    spool_free(spool);
    return NULL;
}

struct image_file *image_source_folder(const char *path, GError **error)
{
    uint32_t length = 0;
    struct spool *spool = folder_image_make(path, &length, error);

    return spool ? image_file_of_spool(path, spool, length) : NULL;
}
