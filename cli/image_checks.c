/* What must hold of an image before it is written: whole, for this board, in its place. */
#include <string.h>

#include "placements.h"
#include "store/units.h"

static const char build_again[] = "Build or download the image again.";

/* SHA-256 of the body against the digest that stands behind it. */
static bool body_is_whole(const struct image *image)
{
    uint32_t at = image->header_at + WRY_BOOT_HEADER_SIZE, left = image->header.body_length;
    uint8_t piece[4096], ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    while (left > 0) {
        uint32_t n = MIN(left, (uint32_t)sizeof piece);
        if (!image_file_read(image->file, at, piece, n))
            return false;
        wry_sha256_add(&sha, piece, n);
        at += n;
        left -= n;
    }
    wry_sha256_end(&sha, ours);
    return image_file_read(image->file, at, theirs, sizeof theirs) &&
           memcmp(ours, theirs, sizeof ours) == 0;
}

/* A damaged image is no reason not to compare it. */
static int check_whole(struct app *app, struct image *image, uint32_t length)
{
    const char *path = image->file->path;

    if (!image->has_header)
        return app_fail(app, EXIT_BAD_INPUT, build_again, "%s: the boot header is damaged", path);
    if (length < WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE ||
        image->header.body_length > length - WRY_BOOT_HEADER_SIZE - WRY_SHA256_SIZE)
        return app_fail(
            app, EXIT_BAD_INPUT, build_again,
            "%s: cut short: the boot header promises %" G_GUINT64_FORMAT " bytes, the file has %u",
            path, (guint64)image->header.body_length + WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE,
            (unsigned)length);
    if (!body_is_whole(image))
        return app_fail(app, EXIT_BAD_INPUT, build_again,
                        "%s: damaged: the SHA-256 at its end does not fit its content", path);
    return EXIT_DONE;
}

int image_read_header(struct app *app, struct image *image, enum placements_use use)
{
    const struct image_extent *first = &g_array_index(image->file->extents, struct image_extent, 0);
    uint8_t *bytes = image->header_bytes;

    image->header_at = first->address;
    if (first->length < WRY_BOOT_HEADER_SIZE ||
        !image_file_read(image->file, first->address, bytes, WRY_BOOT_HEADER_SIZE) ||
        !wry_boot_header_present(bytes))
        return EXIT_DONE;
    image->has_header = wry_boot_header_get(&image->header, bytes);
    return use == PLACEMENTS_WRITE ? check_whole(app, image, first->length) : EXIT_DONE;
}

static int check_chip(struct app *app, const struct image *image, const struct target *target)
{
    const struct wry_chip *built_for = wry_chip_by_code(image->header.chip_code);

    if (target->chip && image->header.chip_code == target->chip->code)
        return EXIT_DONE;
    return app_fail(app, EXIT_WRONG,
                    "Nothing was changed. Use the image that was built for this board.",
                    "%s was built for a %s, this board has a %s", image->file->path,
                    built_for ? built_for->title : "chip unknown here",
                    target->chip ? target->chip->title : "chip unknown here");
}

/* The header learns of a larger flash; a smaller one than it was built for is refused. */
static int settle_flash_size(struct app *app, struct image *image, const struct target *target,
                             enum placements_use use)
{
    uint8_t log2 = image->header.flash_size_log2;
    uint64_t built_for = UINT64_C(1) << log2;

    if (log2 == 0 || built_for == target->flash_size)
        return EXIT_DONE;
    if (built_for > target->flash_size) {
        if (use == PLACEMENTS_COMPARE)
            return EXIT_DONE;
        g_autofree char *wanted = units_flash_size((uint32_t)built_for);
        g_autofree char *size = units_flash_size(target->flash_size);
        return app_fail(
            app, EXIT_WRONG, "Nothing was changed. Use the image that was built for this board.",
            "%s was built for %s of flash, this board has %s", image->file->path, wanted, size);
    }
    if (app->leave_header)
        return EXIT_DONE;
    struct wry_boot_header header = image->header;
    while (UINT64_C(1) << header.flash_size_log2 < target->flash_size)
        header.flash_size_log2++;
    wry_boot_header_put(image->header_bytes, &header);
    image->header_set = true;
    return EXIT_DONE;
}

static int check_named_region(struct app *app, const struct image *image)
{
    const struct wry_region *region = image->region;
    uint32_t start = placements_image_start(image);
    uint64_t end = start + placements_image_span(image);
    uint64_t region_end = (uint64_t)region->offset + region->length;

    if (start >= region->offset && end <= region_end)
        return EXIT_DONE;
    return app_fail(app, EXIT_WRONG, "Nothing was changed. Check the image and the layout.",
                    "%s (0x%06X to 0x%06X) does not fit region '%s' (0x%06X to 0x%06X)",
                    image->file->path, (unsigned)start, (unsigned)(end - 1), region->name,
                    (unsigned)region->offset, (unsigned)(region_end - 1));
}

/* Programs begin where a program region begins, and end within it. */
static int check_program_place(struct app *app, const struct image *image)
{
    uint32_t start = placements_image_start(image);
    uint64_t end = start + placements_image_span(image);
    const struct wry_region *region = wry_layout_at(&app->layout, start);
    const char *next = "Nothing was changed. Check the offset against the layout: 'wrytograph "
                       "plan' draws it.";

    if (!region)
        return app_fail(app, EXIT_WRONG, next, "%s is a program, but no region begins at 0x%06X",
                        image->file->path, (unsigned)start);
    if (region->kind != WRY_REGION_APP && region->kind != WRY_REGION_START)
        return app_fail(app, EXIT_WRONG, next,
                        "%s is a program, but 0x%06X lies in region '%s', which is for %s",
                        image->file->path, (unsigned)start, region->name,
                        wry_region_kind_name(region->kind));
    if (start != region->offset)
        return app_fail(app, EXIT_WRONG, next,
                        "%s is a program, but 0x%06X is not the start of region '%s' (0x%06X)",
                        image->file->path, (unsigned)start, region->name, (unsigned)region->offset);
    if (end > (uint64_t)region->offset + region->length)
        return app_fail(app, EXIT_WRONG, next,
                        "%s ends at 0x%06X, beyond region '%s', which ends at 0x%06X",
                        image->file->path, (unsigned)(end - 1), region->name,
                        (unsigned)(region->offset + region->length - 1));
    return EXIT_DONE;
}

int image_check_region(struct app *app, const struct image *image, enum placements_use use)
{
    const struct wry_region *region = image->region;

    if (!region || !image->has_header || use != PLACEMENTS_WRITE)
        return EXIT_DONE;
    if (region->kind != WRY_REGION_APP && region->kind != WRY_REGION_START)
        return app_fail(app, EXIT_WRONG, "Nothing was changed. Check which file goes where.",
                        "%s is a program, but region '%s' is for %s", image->file->path,
                        region->name, wry_region_kind_name(region->kind));
    return check_named_region(app, image);
}

int image_check(struct app *app, struct image *image, const struct target *target,
                enum placements_use use)
{
    int code = EXIT_DONE;

    if (image->region)
        code = check_named_region(app, image);
    if (code != EXIT_DONE || !image->has_header)
        return code;
    if (use == PLACEMENTS_WRITE) {
        code = check_chip(app, image, target);
        /* The usual layout of a chip is a guess for this board: no reason to refuse. */
        if (code == EXIT_DONE && app->layout_is_firm)
            code = check_program_place(app, image);
    }
    return code == EXIT_DONE ? settle_flash_size(app, image, target, use) : code;
}
