/* One image file. */
#include "placed_image.h"

#include <string.h>

#include "jobs/plan/image_source.h"
#include "store/file/file_cache.h"
#include "store/image/settings_file.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/units.h"
#include "wrytograph/region_table.h"

static const struct image_extent *extent_of(const struct image_file *file, guint i)
{
    return &g_array_index(file->extents, struct image_extent, i);
}

static bool read_file(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return image_file_read(context, offset, to, n);
}

static struct wry_reader file_reader(const struct image_file *file)
{
    return (struct wry_reader){.context = (struct image_file *)file, .read = read_file};
}

/* Only for raw files is sha256 the digest of the content. */
static bool is_cached(const struct image_file *file)
{
    return file->format == WRY_IMAGE_RAW && !file->spool;
}

bool image_body_is_whole(const struct image_file *file, uint32_t at,
                         const struct wry_boot_header *header)
{
    struct file_fact fits = {.kind = FILE_FACT_BODY_FITS, .number = at};
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct wry_reader reader = file_reader(file);
    uint32_t body = at + WRY_BOOT_HEADER_SIZE;
    struct wry_sha256 sha;

    memcpy(fits.sha256, file->sha256, sizeof fits.sha256);
    if (is_cached(file) && file_cache_knows(&fits))
        return true;
    wry_sha256_begin(&sha);
    bool read = wry_reader_hash(&reader, body, header->body_length, &sha);
    wry_sha256_end(&sha, ours);
    bool whole = read && image_file_read(file, body + header->body_length, theirs, sizeof theirs) &&
                 memcmp(ours, theirs, sizeof ours) == 0;
    if (whole && is_cached(file))
        file_cache_learn(&fits);
    return whole;
}

bool image_module_is_whole(const struct image_file *file, uint32_t at,
                           const struct wry_module_image *module)
{
    uint8_t bytes[4096];
    uint32_t crc = 0, length = module->body_length;

    if (length > file->length - WRY_MODULE_IMAGE_HEAD)
        return false;
    for (uint32_t done = 0; done < length; done += (uint32_t)sizeof bytes) {
        size_t n = MIN(length - done, sizeof bytes);
        if (!image_file_read(file, at + WRY_MODULE_IMAGE_HEAD + done, bytes, n))
            return false;
        crc = wry_crc32(crc, bytes, n);
    }
    return crc == module->body_crc;
}

bool image_digest(const struct image_file *file, uint8_t sha256[WRY_SHA256_SIZE])
{
    struct wry_reader reader = file_reader(file);
    struct wry_sha256 sha;
    bool read = true;

    if (file->format == WRY_IMAGE_RAW && !file->spool) {
        memcpy(sha256, file->sha256, WRY_SHA256_SIZE);
        return true;
    }
    wry_sha256_begin(&sha);
    for (guint i = 0; i < file->extents->len && read; i++)
        read =
            wry_reader_hash(&reader, extent_of(file, i)->address, extent_of(file, i)->length, &sha);
    wry_sha256_end(&sha, sha256);
    return read;
}

/* Damaged images may still be compared. */
static struct wry_problem *check_whole(const struct image *image)
{
    const struct wry_boot_header *header = &image->facts.header;
    uint32_t length = extent_of(image->file, 0)->length;
    uint64_t promised = (uint64_t)header->body_length + WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE;
    const char *path = image->facts.path;

    if (!image->facts.has_header)
        return problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_HEADER_DAMAGED, path);
    if (promised > length)
        return PROBLEM(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_CUT_SHORT, path, .expected = promised,
                       .found = length);
    if (!image_body_is_whole(image->file, image->header_at, header))
        return problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_BODY_DAMAGED, path);
    return NULL;
}

static void read_table(struct image *image)
{
    const struct image_extent *first = extent_of(image->file, 0);
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
    size_t n = MIN(first->length, sizeof bytes);

    if (image_file_read(image->file, first->address, bytes, n) &&
        wry_region_table_get(&image->table, bytes, n))
        image->facts.what = WRY_WHAT_TABLE;
}

static struct wry_problem *read_header(struct image *image, bool must_be_whole)
{
    const struct image_extent *first = extent_of(image->file, 0);
    uint8_t *bytes = image->header_bytes;

    image->header_at = first->address;
    if (first->length < WRY_BOOT_HEADER_SIZE ||
        !image_file_read(image->file, first->address, bytes, WRY_BOOT_HEADER_SIZE) ||
        !wry_boot_header_present(bytes)) {
        if (image->facts.what == WRY_WHAT_OTHER)
            read_table(image);
        return NULL;
    }
    image->facts.what = WRY_WHAT_PROGRAM;
    image->facts.has_header = wry_boot_header_get(&image->facts.header, bytes);
    struct wry_problem *problem = check_whole(image);
    image->facts.damaged = problem != NULL;
    if (must_be_whole)
        return problem;
    problem_free(problem);
    return NULL;
}

bool image_has_offset(const struct image *image)
{
    return image->place && g_ascii_isdigit(image->place[0]);
}

bool image_may_move(const struct image *image)
{
    return image->file->format == WRY_IMAGE_RAW || extent_of(image->file, 0)->address == 0;
}

void image_place(struct image *image, uint32_t base)
{
    const struct image_file *file = image->file;
    const struct image_extent *first = extent_of(file, 0);
    const struct image_extent *last = extent_of(file, file->extents->len - 1);

    image->facts.base = base;
    image->facts.start = base + first->address;
    image->facts.span = (uint64_t)last->address + last->length - first->address;
}

struct wry_problem *image_take_file(struct image *image, struct image_file *file,
                                    bool must_be_whole)
{
    uint32_t base = 0;

    image->file = file;
    image->facts.path = file->path;
    image->facts.name = file->name;
    image->facts.length = file->length;
    if (image_has_offset(image))
        wry_units_parse_offset(image->place, &base);
    image_place(image, base);
    struct wry_problem *problem = read_header(image, must_be_whole);
    bool raw = file->format == WRY_IMAGE_RAW;
    if (!problem && !image->place && raw &&
        (image->facts.what == WRY_WHAT_OTHER || image->facts.what == WRY_WHAT_FOLDER))
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_NO_PLACE, image->path);
    return problem;
}

/* Opens settings for a named region. Whether that is a settings region is not known yet; their
 * errors are reported when it is. */
static struct image_file *open_settings(struct image *image, GError **error)
{
    image->settings = settings_load(image->path, &image->settings_error);
    if (!image->settings)
        return NULL;
    image->facts.what = WRY_WHAT_SETTINGS;
    image->keys = g_ptr_array_new_with_free_func(g_free);
    for (guint i = 0; i < settings_count(image->settings); i++) {
        const struct wry_setting *setting = settings_at(image->settings, i);
        g_ptr_array_add(image->keys, g_strndup(setting->key, setting->key_length));
    }
    g_ptr_array_add(image->keys, NULL);
    image->facts.keys = (const char *const *)image->keys->pdata;
    return image_source_settings(image->path, image->settings, 1, error);
}

static struct image_file *open_file(struct image *image, const enum wry_image_format *format,
                                    GError **error)
{
    struct image_file *file = NULL;
    bool named = image->place && !image_has_offset(image);

    if (g_file_test(image->path, G_FILE_TEST_IS_DIR)) {
        image->facts.what = WRY_WHAT_FOLDER;
        return image_source_folder(image->path, error);
    }
    if (named && !format &&
        (g_str_has_suffix(image->path, ".yaml") || g_str_has_suffix(image->path, ".yml")))
        file = open_settings(image, error);
    return file || (error && *error) ? file : image_file_open(image->path, format, error);
}

/* Detects HEX or S-records in a file named like a raw binary. */
static bool is_misnamed(const char *path, enum wry_image_format *format)
{
    return g_str_has_suffix(path, ".bin") && image_file_look(path, format) &&
           (*format == WRY_IMAGE_INTEL_HEX || *format == WRY_IMAGE_S_RECORD);
}

struct wry_problem *image_open(struct image *image, const struct wry_image_options *options,
                               const enum wry_image_format *format, bool must_be_whole)
{
    GError *error = NULL;
    enum wry_image_format records = WRY_IMAGE_RAW;
    uint32_t base = 0;

    image->place = g_strdup(options->place);
    image->path = g_strdup(options->file);
    image->facts.path = image->facts.name = image->path;
    if (image_has_offset(image) && !wry_units_parse_offset(image->place, &base))
        return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_OFFSET, image->place,
                       .other = g_strdup(options->file));
    if (g_str_has_prefix(image->path, IMAGE_SHELF))
        return NULL;
    if (must_be_whole && !format && is_misnamed(image->path, &records))
        return PROBLEM(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_RECORDS_AS_BIN, options->file,
                       .other = g_strdup(wry_image_format_title(records)));
    struct image_file *file = open_file(image, format, &error);
    if (!file)
        return problem_of_error(error);
    struct wry_problem *problem = image_take_file(image, file, must_be_whole);
    if (problem || file->format == WRY_IMAGE_RAW)
        return problem;
    if (!image_has_offset(image) || image_may_move(image))
        return NULL;
    if (base != extent_of(file, 0)->address)
        return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_TWO_PLACES, options->file,
                       .start = extent_of(file, 0)->address);
    /* The offset says the same as the file. */
    image_place(image, 0);
    return NULL;
}

void image_close(struct image *image)
{
    image_file_free(image->file);
    settings_free(image->settings);
    g_clear_error(&image->settings_error);
    if (image->keys)
        g_ptr_array_unref(image->keys);
    g_free(image->settings_description);
    if (image->changes)
        g_ptr_array_unref(image->changes);
    g_free(image->shelf_name);
    g_free(image->place);
    g_free(image->path);
    g_free(image);
}

static bool read_piece(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct image_piece *piece = context;
    const struct image *image = piece->image;
    uint32_t address = piece->address + offset;

    if (!image_file_read(image->file, address, to, n))
        return false;
    if (image->facts.header_set || image->facts.read_set) {
        uint64_t from = MAX(address, image->header_at);
        uint64_t end =
            MIN((uint64_t)address + n, (uint64_t)image->header_at + WRY_BOOT_HEADER_SIZE);
        if (from < end)
            memcpy(to + (from - address), image->header_bytes + (from - image->header_at),
                   (size_t)(end - from));
    }
    return true;
}

struct wry_reader image_reader(struct image_piece *piece)
{
    return (struct wry_reader){.context = piece, .read = read_piece};
}
