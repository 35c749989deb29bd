/* inspect: what a file contains, without a board. */
#include <string.h>

#include "app.h"
#include "store/archive.h"
#include "store/image_file.h"
#include "store/layout_file.h"
#include "store/units.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/message.h"
#include "wrytograph/region_table.h"

enum {
    SHOWN_MAX = 12, /* ranges printed; JSON has them all */
};

static void show(struct app *app, const char *name, const char *json_name, const char *value)
{
    app_print(app, "%-10s %s", name, value);
    app_json_text(app, json_name, value);
}

/* open_ended: regions that reach the largest flash end where the flash of the board does. */
static void show_regions(struct app *app, const struct wry_region_table *layout, bool open_ended)
{
    json_builder_set_member_name(app->json, "layout");
    json_builder_begin_array(app->json);
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        bool rest = open_ended && region->offset + (uint64_t)region->length >= WRY_FLASH_MAX;
        g_autofree char *length = rest ? g_strdup("the rest") : units_bytes(region->length);
        g_autofree char *end =
            rest ? g_strdup("the end ")
                 : g_strdup_printf("0x%06X", (unsigned)(region->offset + region->length - 1));
        app_print(app, "%-10s 0x%06X to %s  %-12s %-12s %s", i == 0 ? "regions" : "",
                  (unsigned)region->offset, end, length, region->name,
                  wry_region_kind_name(region->kind));
        json_builder_begin_object(app->json);
        app_json_text(app, "name", region->name);
        app_json_offset(app, "offset", region->offset);
        app_json_number(app, "length", region->length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
}

/* Archives. */

static int inspect_archive(struct app *app, const char *path)
{
    GError *error = NULL;
    struct archive *archive = archive_open(path, &error);

    if (!archive)
        return app_fail_error(app, error);
    const struct wry_chip *chip = wry_chip_by_code(archive->chip_code);
    g_autofree char *address = units_address(archive->eui48);
    g_autofree char *size = units_flash_size(archive->flash_size);
    show(app, "format", "format", "backup archive");
    show(app, "board", "address", address);
    show(app, "chip", "chip", chip ? chip->title : "unknown");
    show(app, "flash", "flash", size);
    show(app, "made", "created", archive->created);
    show(app, "by", "tool", archive->tool);
    json_builder_set_member_name(app->json, "ranges");
    json_builder_begin_array(app->json);
    for (guint i = 0; i < archive->ranges->len; i++) {
        const struct archive_range *range =
            &g_array_index(archive->ranges, struct archive_range, i);
        g_autofree char *sha256 = units_digest(range->sha256);
        app_print(app, "%-10s 0x%06X to 0x%06X  SHA-256 %s", i == 0 ? "holds" : "",
                  (unsigned)range->offset, (unsigned)(range->offset + range->length - 1), sha256);
        json_builder_begin_object(app->json);
        app_json_offset(app, "offset", range->offset);
        app_json_number(app, "length", range->length);
        app_json_text(app, "sha256", sha256);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
    show_regions(app, &archive->layout, false);
    app_outcome(app, true, "The archive is whole: every range fits its SHA-256.");
    archive_free(archive);
    return EXIT_DONE;
}

/* Images. */

static void show_extents(struct app *app, const struct image_file *image)
{
    json_builder_set_member_name(app->json, "ranges");
    json_builder_begin_array(app->json);
    for (guint i = 0; i < image->extents->len; i++) {
        const struct image_extent *e = &g_array_index(image->extents, struct image_extent, i);
        g_autofree char *length = units_bytes(e->length);
        if (i < SHOWN_MAX)
            app_print(app, "%-10s 0x%08X to 0x%08X  %s", i == 0 ? "holds" : "",
                      (unsigned)e->address, (unsigned)(e->address + e->length - 1), length);
        json_builder_begin_object(app->json);
        app_json_offset(app, "address", e->address);
        app_json_number(app, "length", e->length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
    if (image->extents->len > SHOWN_MAX)
        app_print(app, "%-10s and %u more stretches", "", image->extents->len - SHOWN_MAX);
}

/* SHA-256 of the content in order of address. */
static bool digest(const struct image_file *image, uint8_t sha256[WRY_SHA256_SIZE])
{
    uint8_t piece[16384];
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    for (guint i = 0; i < image->extents->len; i++) {
        const struct image_extent *e = &g_array_index(image->extents, struct image_extent, i);
        for (uint32_t at = 0; at < e->length;) {
            uint32_t n = MIN(e->length - at, (uint32_t)sizeof piece);
            if (!image_file_read(image, e->address + at, piece, n))
                return false;
            wry_sha256_add(&sha, piece, n);
            at += n;
        }
    }
    wry_sha256_end(&sha, sha256);
    return true;
}

static bool body_fits(const struct image_file *image, uint32_t at,
                      const struct wry_boot_header *header)
{
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE], piece[4096];
    uint32_t left = header->body_length;
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    for (at += WRY_BOOT_HEADER_SIZE; left > 0;) {
        uint32_t n = MIN(left, (uint32_t)sizeof piece);
        if (!image_file_read(image, at, piece, n))
            return false;
        wry_sha256_add(&sha, piece, n);
        at += n;
        left -= n;
    }
    wry_sha256_end(&sha, ours);
    return image_file_read(image, at, theirs, sizeof theirs) &&
           memcmp(ours, theirs, sizeof ours) == 0;
}

static void show_header(struct app *app, const struct wry_boot_header *header)
{
    const struct wry_chip *chip = wry_chip_by_code(header->chip_code);
    g_autofree char *body = units_bytes(header->body_length);
    g_autofree char *mode = g_strdup_printf("%u data line%s at %u MHz", header->read_lines,
                                            header->read_lines == 1 ? "" : "s", header->read_clock);
    g_autofree char *flash = header->flash_size_log2 > 0
                                 ? units_flash_size(UINT32_C(1) << header->flash_size_log2)
                                 : g_strdup("any");

    show(app, "program", "version", header->version);
    show(app, "built for", "chip", chip ? chip->title : "a chip unknown here");
    show(app, "flash", "flash", flash);
    show(app, "read mode", "read_mode", mode);
    show(app, "body", "body", body);
}

/* True when the image is whole as far as it says of itself. */
static bool show_program(struct app *app, const struct image_file *image)
{
    const struct image_extent *first = &g_array_index(image->extents, struct image_extent, 0);
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];
    struct wry_boot_header header;

    if (first->length < sizeof bytes ||
        !image_file_read(image, first->address, bytes, sizeof bytes) ||
        !wry_boot_header_present(bytes)) {
        show(app, "header", "boot_header", "none");
        return true;
    }
    if (!wry_boot_header_get(&header, bytes)) {
        show(app, "header", "boot_header", "DAMAGED: its CRC-32 or a field is wrong");
        return false;
    }
    show(app, "header", "boot_header", "fits its CRC-32");
    show_header(app, &header);
    bool fits = body_fits(image, first->address, &header);
    show(app, "digest", "body_digest",
         fits ? "fits the body" : "DOES NOT FIT: the body is damaged or cut short");
    return fits;
}

static void show_table(struct app *app, const struct image_file *image)
{
    const struct image_extent *first = &g_array_index(image->extents, struct image_extent, 0);
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
    size_t n = MIN(first->length, sizeof bytes);
    struct wry_region_table table;

    if (image_file_read(image, first->address, bytes, n) &&
        wry_region_table_get(&table, bytes, n)) {
        show(app, "table", "region_table", "a region table, fits its CRC-32");
        show_regions(app, &table, false);
    }
}

static int inspect_image(struct app *app, const char *path, int format)
{
    GError *error = NULL;
    uint8_t sha256[WRY_SHA256_SIZE];
    struct image_file *image = image_file_open(path, format, &error);

    if (!image)
        return app_fail_error(app, error);
    g_autofree char *length = units_bytes(image->length);
    show(app, "format", "format", image_format_title(image->format));
    show(app, "content", "content", length);
    app_json_number(app, "content_bytes", (int64_t)image->length);
    show_extents(app, image);
    bool read = digest(image, sha256);
    g_autofree char *text = units_digest(sha256);
    if (read)
        show(app, "SHA-256", "sha256", text);
    bool whole = show_program(app, image);
    show_table(app, image);
    image_file_free(image);
    if (!read)
        return app_fail(app, EXIT_BAD_INPUT, NULL, "%s: cannot be read to its end", path);
    return whole ? EXIT_DONE
                 : app_fail(app, EXIT_BAD_INPUT, "Build or download the image again.",
                            "%s is damaged", path);
}

static int inspect_layout(struct app *app, const char *path)
{
    struct layout_file file;
    GError *error = NULL;

    if (!layout_file_load(path, 0, &file, &error))
        return app_fail_error(app, error);
    show(app, "format", "format", "layout");
    show(app, "chip", "chip", file.chip ? file.chip->title : "any");
    show_regions(app, &file.layout, file.open_ended);
    app_outcome(app, true, "The layout is sound.");
    return EXIT_DONE;
}

static bool is_yaml(const char *path)
{
    return g_str_has_suffix(path, ".yaml") || g_str_has_suffix(path, ".yml");
}

static int run(struct app *app)
{
    const char *path = app->rest[0];
    int format = IMAGE_FILE_DETECT;

    if (!path || app->rest[1])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph inspect gauge.bin'.",
                        "give one file to inspect");
    if (app->as && !image_format_parse(app->as, &format))
        return app_fail(app, EXIT_USAGE, "Formats are raw, hex and srec.",
                        "'%s' is no image format", app->as);
    app_json_text(app, "file", path);
    if (!app->as && archive_is_one(path))
        return inspect_archive(app, path);
    if (!app->as && is_yaml(path))
        return inspect_layout(app, path);
    return inspect_image(app, path, format);
}

int verb_inspect(struct app *app, int argc, char **argv)
{
    GOptionEntry entries[] = {
        {"as", 0, 0, G_OPTION_ARG_STRING, &app->as, "Take the file for raw, hex or srec", "FORMAT"},
        G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, 0, entries, "FILE",
                   "Says what an image, a backup archive or a layout file (.yaml) contains, and\n"
                   "whether it is whole."))
        return app->code;
    return run(app);
}
