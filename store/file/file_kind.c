/* Kinds of content by media type. */
#include "store/file/file_kind.h"

#include "base/digest.h"
#include "error.h"
#include "store/file/file_cache.h"
#include "store/file/media_type.h"
#include "wrytograph-host/units.h"
#include "wrytograph/module_image.h"

/* By prefix; the first match counts. */
static const struct {
    const char *type;
    enum wry_content content;
} kinds[] = {
    {"text/html", WRY_CONTENT_PAGE},
    {"text/xml", WRY_CONTENT_PAGE},
    {"application/xhtml+xml", WRY_CONTENT_PAGE},
    {"application/xml", WRY_CONTENT_PAGE},
    {"text/", WRY_CONTENT_TEXT},
    {"application/json", WRY_CONTENT_TEXT},
    {"application/zip", WRY_CONTENT_ZIP},
    {"application/java-archive", WRY_CONTENT_ZIP},
    {"application/gzip", WRY_CONTENT_PACKED},
    {"application/x-gzip", WRY_CONTENT_PACKED},
    {"application/x-xz", WRY_CONTENT_PACKED},
    {"application/x-bzip2", WRY_CONTENT_PACKED},
    {"application/zstd", WRY_CONTENT_PACKED},
    {"application/x-7z-compressed", WRY_CONTENT_PACKED},
    {"application/x-rar", WRY_CONTENT_PACKED},
    {"application/x-tar", WRY_CONTENT_PACKED},
    {"application/vnd.debian.binary-package", WRY_CONTENT_PACKED},
    {"application/x-executable", WRY_CONTENT_PROGRAM},
    {"application/x-pie-executable", WRY_CONTENT_PROGRAM},
    {"application/x-sharedlib", WRY_CONTENT_PROGRAM},
    {"application/x-object", WRY_CONTENT_PROGRAM},
    {"application/x-archive", WRY_CONTENT_PROGRAM},
    {"application/pdf", WRY_CONTENT_DOCUMENT},
    {"application/vnd.oasis.opendocument", WRY_CONTENT_DOCUMENT},
    {"application/vnd.openxmlformats", WRY_CONTENT_DOCUMENT},
    {"image/png", WRY_CONTENT_DOCUMENT},
    {"image/jpeg", WRY_CONTENT_DOCUMENT},
    {"image/gif", WRY_CONTENT_DOCUMENT},
    {"image/svg", WRY_CONTENT_DOCUMENT},
};

static enum wry_content by_type(const char *type)
{
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        if (g_str_has_prefix(type, kinds[i].type))
            return kinds[i].content;
    }
    return WRY_CONTENT_ANY;
}

/* *sure: the kind was looked for; not in a build without libmagic. */
static gboolean recognise(const char *name, const uint8_t *bytes, size_t n,
                          enum wry_content *content, bool *sure, GError **error)
{
    g_autoptr(GError) inner = NULL;
    g_autofree char *type = media_type(bytes, n, &inner);

    *sure = type != NULL;
    if (type)
        *content = by_type(type);
    if (inner)
        store_error(error, WRY_STORE_ERROR_FILE, "%s: its kind cannot be detected: %s", name,
                    inner->message);
    return inner == NULL;
}

static bool is_module(const uint8_t *bytes, size_t n)
{
    struct wry_module_image image;

    return n >= WRY_MODULE_IMAGE_HEAD && wry_module_image_get(&image, bytes);
}

gboolean content_recognise(const char *name, const uint8_t *bytes, size_t n,
                           enum wry_content *content, GError **error)
{
    static GMutex lock;
    struct file_fact fact = {.kind = FILE_FACT_NOT_MISTAKEN};
    gboolean recognised = TRUE;
    bool sure = false;

    digest_of(bytes, n, fact.sha256);
    /* libmagic loads megabytes of rules each time: a second thread with the same bytes waits for
     * the first one's result. */
    g_mutex_lock(&lock);
    *content = is_module(bytes, n) ? WRY_CONTENT_MODULE : WRY_CONTENT_ANY;
    if (*content == WRY_CONTENT_ANY && !file_cache_knows(&fact)) {
        recognised = recognise(name, bytes, n, content, &sure, error);
        if (sure && *content == WRY_CONTENT_ANY)
            file_cache_learn(&fact);
    }
    g_mutex_unlock(&lock);
    return recognised;
}
