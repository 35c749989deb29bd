/* One image file. */
#include "image.h"

#include <string.h>

#include "base/units.h"

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

bool image_body_is_whole(const struct image_file *file, uint32_t at,
                         const struct wry_boot_header *header)
{
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct wry_reader reader = file_reader(file);
    uint32_t body = at + WRY_BOOT_HEADER_SIZE;
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    bool read = wry_reader_hash(&reader, body, header->body_length, &sha);
    wry_sha256_end(&sha, ours);
    return read && image_file_read(file, body + header->body_length, theirs, sizeof theirs) &&
           memcmp(ours, theirs, sizeof ours) == 0;
}

bool image_digest(const struct image_file *file, uint8_t sha256[WRY_SHA256_SIZE])
{
    struct wry_reader reader = file_reader(file);
    struct wry_sha256 sha;
    bool read = true;

    wry_sha256_begin(&sha);
    for (guint i = 0; i < file->extents->len && read; i++)
        read =
            wry_reader_hash(&reader, extent_of(file, i)->address, extent_of(file, i)->length, &sha);
    wry_sha256_end(&sha, sha256);
    return read;
}

/* A damaged image is no reason not to compare it. */
static enum wry_outcome check_whole(struct wry_station *station, const struct image *image)
{
    const struct wry_boot_header *header = &image->facts.header;
    uint32_t length = extent_of(image->file, 0)->length;
    uint64_t promised = (uint64_t)header->body_length + WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE;
    const char *path = image->facts.path;

    if (!image->facts.has_header)
        return station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_HEADER_DAMAGED, path);
    if (promised > length) {
        station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_CUT_SHORT, path);
        station->problem.expected = promised;
        station->problem.found = length;
        return station->problem.outcome;
    }
    if (!image_body_is_whole(image->file, image->header_at, header))
        return station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_BODY_DAMAGED, path);
    return WRY_OUTCOME_DONE;
}

static enum wry_outcome read_header(struct wry_station *station, struct image *image,
                                    bool must_be_whole)
{
    const struct image_extent *first = extent_of(image->file, 0);
    uint8_t *bytes = image->header_bytes;

    image->header_at = first->address;
    if (first->length < WRY_BOOT_HEADER_SIZE ||
        !image_file_read(image->file, first->address, bytes, WRY_BOOT_HEADER_SIZE) ||
        !wry_boot_header_present(bytes))
        return WRY_OUTCOME_DONE;
    image->facts.has_header = wry_boot_header_get(&image->facts.header, bytes);
    return must_be_whole ? check_whole(station, image) : WRY_OUTCOME_DONE;
}

bool image_has_offset(const struct image *image)
{
    return image->place && g_ascii_isdigit(image->place[0]);
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

enum wry_outcome image_open(struct wry_station *station, struct image *image,
                            const struct wry_image_wanted *wanted,
                            const enum wry_image_format *format, bool must_be_whole)
{
    GError *error = NULL;
    uint32_t base = 0;

    image->place = g_strdup(wanted->place);
    if (image_has_offset(image) && !units_parse_offset(image->place, &base)) {
        station_fail(station, WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_OFFSET, image->place);
        station->problem.other = g_strdup(wanted->file);
        return station->problem.outcome;
    }
    image->file = image_file_open(wanted->file, format, &error);
    if (!image->file)
        return station_fail_system(station, error);
    bool raw = image->file->format == WRY_IMAGE_RAW;
    if (!image->place && raw)
        return station_fail(station, WRY_OUTCOME_USAGE, WRY_PROBLEM_NO_PLACE, wanted->file);
    if (image_has_offset(image) && !raw)
        return station_fail(station, WRY_OUTCOME_USAGE, WRY_PROBLEM_TWO_PLACES, wanted->file);
    image->facts.path = image->file->path;
    image->facts.name = image->file->name;
    image->facts.length = image->file->length;
    image_place(image, base);
    return read_header(station, image, must_be_whole);
}

void image_close(struct image *image)
{
    image_file_free(image->file);
    g_free(image->place);
    g_free(image);
}

static bool read_piece(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct image_piece *piece = context;
    const struct image *image = piece->image;
    uint32_t address = piece->address + offset;

    if (!image_file_read(image->file, address, to, n))
        return false;
    for (size_t i = 0; image->facts.header_set && i < n; i++) {
        uint32_t at = address + (uint32_t)i - image->header_at;
        if (at < WRY_BOOT_HEADER_SIZE)
            to[i] = image->header_bytes[at];
    }
    return true;
}

struct wry_reader image_reader(struct image_piece *piece)
{
    return (struct wry_reader){.context = piece, .read = read_piece};
}
