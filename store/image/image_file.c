/* Image files of any format with random access. */
#include "store/image/image_file.h"

#include <errno.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "store/file/error.h"
#include "store/file/file_cache.h"
#include "store/file/spool.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/text_file.h"

enum {
    PIECE = 65536,
    EXTENTS_MAX = 100000,
    AHEAD = 16384,
};

struct image_ahead {
    uint32_t from;
    size_t n;
    uint8_t bytes[AHEAD];
};

/* Collects short records before writing them to the spool. */
struct gatherer {
    struct image_file *image;
    uint32_t address;
    size_t fill;
    bool overlap;
    bool scattered; /* more extents than are allowed */
    bool disk_failed;
    uint8_t bytes[PIECE];
};

static const struct {
    const char *name, *title;
} formats[] = {
    [WRY_IMAGE_RAW] = {"raw", "raw binary"},
    [WRY_IMAGE_INTEL_HEX] = {"hex", "Intel HEX"},
    [WRY_IMAGE_S_RECORD] = {"srec", "S-record"},
};

const char *wry_image_format_title(enum wry_image_format format)
{
    return formats[format].title;
}

const enum wry_image_format *wry_image_format_by_name(const char *name)
{
    static const enum wry_image_format all[] = {WRY_IMAGE_RAW, WRY_IMAGE_INTEL_HEX,
                                                WRY_IMAGE_S_RECORD};

    for (size_t i = 0; i < G_N_ELEMENTS(all); i++) {
        if (g_strcmp0(name, formats[all[i]].name) == 0)
            return &all[i];
    }
    return NULL;
}

static bool flush(struct gatherer *g)
{
    bool written = spool_write(g->image->spool, g->address, g->bytes, g->fill);

    g->disk_failed = g->disk_failed || !written;
    g->address += (uint32_t)g->fill;
    g->fill = 0;
    return written;
}

/* Index of the first extent that ends after address. */
static guint extent_after(const GArray *extents, uint32_t address)
{
    guint low = 0, high = extents->len;

    while (low < high) {
        guint middle = low + (high - low) / 2;
        const struct image_extent *e = &g_array_index(extents, struct image_extent, middle);
        if ((uint64_t)e->address + e->length > address)
            high = middle;
        else
            low = middle + 1;
    }
    return low;
}

/* Adds an extent and joins it with adjacent ones. False if it overlaps one. */
static bool add_extent(GArray *extents, uint32_t address, uint32_t length)
{
    guint i = extent_after(extents, address);
    struct image_extent *next =
        i < extents->len ? &g_array_index(extents, struct image_extent, i) : NULL;
    struct image_extent *last = i > 0 ? &g_array_index(extents, struct image_extent, i - 1) : NULL;
    uint64_t end = (uint64_t)address + length;

    if (next && next->address < end)
        return false;
    bool joins_last = last && last->address + last->length == address;
    bool joins_next = next && next->address == end;
    if (joins_last) {
        last->length += length + (joins_next ? next->length : 0);
        if (joins_next)
            g_array_remove_index(extents, i);
    } else if (joins_next) {
        next->address = address;
        next->length += length;
    } else {
        struct image_extent extent = {.address = address, .length = length};
        g_array_insert_val(extents, i, extent);
    }
    return true;
}

static bool take(void *context, uint32_t address, const uint8_t *bytes, size_t n)
{
    struct gatherer *g = context;

    if (!add_extent(g->image->extents, address, (uint32_t)n)) {
        g->overlap = true;
        return false;
    }
    if (g->image->extents->len > EXTENTS_MAX) {
        g->scattered = true;
        return false;
    }
    if (g->fill > 0 && (address != g->address + g->fill || g->fill + n > sizeof g->bytes) &&
        !flush(g))
        return false;
    if (g->fill == 0)
        g->address = address;
    memcpy(g->bytes + g->fill, bytes, n);
    g->fill += n;
    g->image->length += n;
    return true;
}

static const char *cause(const struct wry_image_parser *parser, const struct gatherer *g)
{
    switch (parser->error) {
    case WRY_IMAGE_BAD_CHARACTER:
        return "a character that does not belong there";
    case WRY_IMAGE_BAD_CHECKSUM:
        return "the checksum is wrong";
    case WRY_IMAGE_BAD_LENGTH:
        return "the record's length field is wrong";
    case WRY_IMAGE_BAD_TYPE:
        return "an unknown record type";
    case WRY_IMAGE_BAD_ADDRESS:
        return "content beyond the 32-bit address space";
    case WRY_IMAGE_BAD_COUNT:
        return "the count of records is wrong: records are missing";
    case WRY_IMAGE_AFTER_END:
        return "something follows the end record";
    case WRY_IMAGE_NO_END:
        return "the end record is missing: the file is cut short";
    case WRY_IMAGE_SINK_FAILED:
        return g->overlap     ? "content for an address that had some already"
               : g->scattered ? "content in more than 100,000 separate ranges"
                              : "no space for temporary files";
    case WRY_IMAGE_OK:
        break;
    }
    return "not readable";
}

static gboolean parse(struct image_file *image, int file, GError **error)
{
    image->spool = spool_new(NULL, error);
    if (!image->spool)
        return FALSE;

    g_autofree struct gatherer *g = g_new0(struct gatherer, 1);
    g_autofree uint8_t *piece = g_malloc(PIECE);
    struct wry_image_sink sink = {.context = g, .take = take};
    struct wry_image_parser parser;
    ssize_t n;

    g->image = image;
    wry_image_parser_init(&parser, image->format, &sink);
    while ((n = read(file, piece, PIECE)) > 0) {
        if (!wry_image_parser_take(&parser, piece, (size_t)n))
            break;
    }
    if (n < 0)
        return store_file_error(error, image->path);
    if (!wry_image_parser_end(&parser) || !flush(g)) {
        if (g->disk_failed)
            return store_error(
                error, WRY_STORE_ERROR_FILE,
                "%s: no room for its content in %s (%s); make room there, or set TMPDIR to "
                "another folder",
                image->path, g_get_tmp_dir(), g_strerror(errno));
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s:%u: %s", image->path,
                           (unsigned)parser.line, cause(&parser, g));
    }
    return TRUE;
}

static gboolean open_raw(struct image_file *image, GError **error)
{
    struct image_extent extent = {.length = (uint32_t)image->file_length};

    if (image->file_length > WRY_FLASH_MAX)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: larger than any flash",
                           image->path);
    if (!file_cache_digest(image->file, image->sha256))
        return store_file_error(error, image->path);
    g_array_append_val(image->extents, extent);
    image->length = image->file_length;
    image->ahead = g_new0(struct image_ahead, 1);
    return TRUE;
}

static gboolean load(struct image_file *image, const enum wry_image_format *format, GError **error)
{
    uint8_t first[WRY_IMAGE_DETECT_SIZE];
    struct stat info;

    g_autoptr(GError) inner = NULL;

    image->file = wry_text_file_open_plain(image->path, &inner);
    if (image->file < 0)
        return store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    if (fstat(image->file, &info) != 0)
        return store_file_error(error, image->path);
    image->file_length = (uint64_t)info.st_size;
    ssize_t n = pread(image->file, first, sizeof first, 0);
    if (n < 0)
        return store_file_error(error, image->path);
    if (n == 0)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: the file is empty", image->path);
    image->format = format ? *format : wry_image_detect(first, (size_t)n);
    if (image->format == WRY_IMAGE_UNCLEAR)
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: records in UTF-16, or after other text. Save it as plain text that "
                           "begins with the first record, or add --as raw",
                           image->path);
    if (image->format == WRY_IMAGE_RAW)
        return open_raw(image, error);
    gboolean parsed = parse(image, image->file, error);
    close(image->file);
    image->file = -1;
    if (parsed && image->length == 0)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: the file has no content",
                           image->path);
    return parsed;
}

static struct image_file *new_image(const char *path)
{
    struct image_file *image = g_new0(struct image_file, 1);

    image->path = g_strdup(path);
    while (strlen(image->path) > 1 && g_str_has_suffix(image->path, "/"))
        image->path[strlen(image->path) - 1] = '\0';
    const char *slash = strrchr(image->path, '/');
    image->name = slash && slash[1] ? slash + 1 : image->path;
    image->file = -1;
    image->extents = g_array_new(FALSE, FALSE, sizeof(struct image_extent));
    return image;
}

struct image_file *image_file_of_spool(const char *path, struct spool *spool, uint32_t length)
{
    struct image_file *image = new_image(path);
    struct image_extent extent = {.length = length};

    image->format = WRY_IMAGE_RAW;
    image->spool = spool;
    image->length = image->file_length = length;
    g_array_append_val(image->extents, extent);
    return image;
}

bool image_file_look(const char *path, enum wry_image_format *format)
{
    uint8_t first[WRY_IMAGE_DETECT_SIZE];
    int file = wry_text_file_open_plain(path, NULL);
    ssize_t n = file >= 0 ? read(file, first, sizeof first) : -1;

    if (file >= 0)
        close(file);
    if (n > 0)
        *format = wry_image_detect(first, (size_t)n);
    return n > 0;
}

struct image_file *image_file_open(const char *path, const enum wry_image_format *format,
                                   GError **error)
{
    struct image_file *image = new_image(path);

    if (load(image, format, error))
        return image;
    image_file_free(image);
    return NULL;
}

void image_file_free(struct image_file *image)
{
    if (!image)
        return;
    if (image->file >= 0)
        close(image->file);
    g_free(image->ahead);
    spool_free(image->spool);
    g_array_free(image->extents, TRUE);
    g_free(image->path);
    g_free(image);
}

bool image_file_changed(const struct image_file *image)
{
    uint8_t now[WRY_SHA256_SIZE];

    return !image->spool &&
           (!file_cache_digest(image->file, now) || memcmp(now, image->sha256, sizeof now) != 0);
}

bool image_file_has(const struct image_file *image, uint32_t address, uint32_t n)
{
    for (guint i = 0; i < image->extents->len; i++) {
        const struct image_extent *extent = &g_array_index(image->extents, struct image_extent, i);
        if (address >= extent->address && address - extent->address < extent->length)
            return n <= extent->length - (address - extent->address);
    }
    return false;
}

/* Content is requested page by page; one system call for each would cost more than the page. */
static bool read_ahead(const struct image_file *image, uint32_t address, uint8_t *to, size_t n)
{
    struct image_ahead *ahead = image->ahead;

    if (address < ahead->from || address - ahead->from > ahead->n ||
        n > ahead->n - (address - ahead->from)) {
        ssize_t got = pread(image->file, ahead->bytes, sizeof ahead->bytes, (off_t)address);
        ahead->from = address;
        ahead->n = got > 0 ? (size_t)got : 0;
    }
    if (n > ahead->n - (address - ahead->from))
        return false;
    memcpy(to, ahead->bytes + (address - ahead->from), n);
    return true;
}

bool image_file_read(const struct image_file *image, uint32_t address, uint8_t *to, size_t n)
{
    if (image->spool)
        return spool_read(image->spool, address, to, n);
    if (n <= sizeof image->ahead->bytes)
        return read_ahead(image, address, to, n);
    return pread(image->file, to, n, (off_t)address) == (ssize_t)n;
}
