/* Placements from the command line. */
#include "placements.h"

#include <string.h>

#include "link.h"
#include "store/units.h"

/* One stretch of an image, as a reader sees it. */
struct piece {
    const struct image *image;
    uint32_t address;
};

static bool read_piece(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct piece *piece = context;
    const struct image *image = piece->image;
    uint32_t address = piece->address + offset;

    if (!image_file_read(image->file, address, to, n))
        return false;
    for (size_t i = 0; image->header_set && i < n; i++) {
        uint32_t at = address + (uint32_t)i - image->header_at;
        if (at < WRY_BOOT_HEADER_SIZE)
            to[i] = image->header_bytes[at];
    }
    return true;
}

static int open_image(struct app *app, struct image *image, const char *argument, int format,
                      enum placements_use use)
{
    const char *equals = strchr(argument, '=');
    GError *error = NULL;

    if (equals && (equals == argument || equals[1] == '\0'))
        return app_fail(app, EXIT_USAGE,
                        "Write it as OFFSET=FILE or REGION=FILE, such as 0x4000=start.bin.",
                        "'%s' is no placement", argument);
    image->place = equals ? g_strndup(argument, (gsize)(equals - argument)) : NULL;
    if (image->place && g_ascii_isdigit(image->place[0]) &&
        !units_parse_offset(image->place, &image->base))
        return app_fail(app, EXIT_USAGE,
                        "Write offsets in hexadecimal with 0x in front, such as 0x4000, or as 16K.",
                        "'%s' in '%s' is no offset", image->place, argument);
    image->file = image_file_open(equals ? equals + 1 : argument, format, &error);
    if (!image->file)
        return app_fail_error(app, error);
    if (!equals && image->file->format == WRY_IMAGE_RAW)
        return app_fail(app, EXIT_USAGE,
                        "Write it as OFFSET=FILE or REGION=FILE, such as 0x4000=start.bin.",
                        "%s is raw binary: it does not say where it goes", argument);
    if (image->place && g_ascii_isdigit(image->place[0]) && image->file->format != WRY_IMAGE_RAW)
        return app_fail(app, EXIT_USAGE, "Give the file alone, or REGION=FILE.",
                        "%s carries its own addresses; an offset for it is ambiguous",
                        image->file->path);
    return image_read_header(app, image, use);
}

int placements_open(struct app *app, struct placements *placements, char **arguments,
                    enum placements_use use)
{
    int format = IMAGE_FILE_DETECT, code = EXIT_DONE;

    memset(placements, 0, sizeof *placements);
    placements->use = use;
    placements->image_count = g_strv_length(arguments);
    placements->images = g_new0(struct image, placements->image_count);
    if (placements->image_count == 0)
        return app_fail(app, EXIT_USAGE,
                        "Give REGION=FILE or OFFSET=FILE, such as 0x4000=start.bin.",
                        "no images given");
    if (app->as && !image_format_parse(app->as, &format))
        return app_fail(app, EXIT_USAGE, "Formats are raw, hex and srec.",
                        "'%s' is no image format", app->as);
    for (size_t i = 0; i < placements->image_count && code == EXIT_DONE; i++)
        code = open_image(app, &placements->images[i], arguments[i], format, use);
    return code;
}

const struct image *placements_image(const struct placements *placements, size_t i)
{
    return placements->items[i].label;
}

static const struct image_extent *extent_of(const struct image *image, guint i)
{
    return &g_array_index(image->file->extents, struct image_extent, i);
}

uint32_t placements_image_start(const struct image *image)
{
    return image->base + extent_of(image, 0)->address;
}

uint64_t placements_image_span(const struct image *image)
{
    const struct image_extent *last = extent_of(image, image->file->extents->len - 1);

    return (uint64_t)last->address + last->length - extent_of(image, 0)->address;
}

static int bad_range(struct app *app, const struct placements *placements,
                     const struct wry_fault *fault)
{
    g_autofree char *size = units_flash_size((uint32_t)fault->found);

    return app_fail(app, EXIT_WRONG,
                    "Nothing was changed. Check the offset, and that the image fits this board.",
                    "%s at 0x%06X ends at 0x%06" G_GINT64_MODIFIER
                    "X, beyond the end of the flash (%s)",
                    placements_image(placements, fault->expected)->file->path,
                    (unsigned)fault->offset, (guint64)fault->offset + fault->length, size);
}

static int overlap(struct app *app, const struct placements *placements,
                   const struct wry_fault *fault)
{
    return app_fail(app, EXIT_USAGE, "Nothing was changed. Check the places of the two files.",
                    "%s and %s overlap from 0x%06X to 0x%06X",
                    placements_image(placements, fault->expected)->file->path,
                    placements_image(placements, fault->found)->file->path, (unsigned)fault->offset,
                    (unsigned)(fault->offset + fault->length - 1));
}

/* Regions by name: raw content goes to their start, addresses stay as they are. */
static int resolve(struct app *app, struct image *image)
{
    if (!image->place || g_ascii_isdigit(image->place[0]))
        return EXIT_DONE;
    image->region = regions_find(app, image->place);
    if (!image->region)
        return app->code;
    if (image->file->format == WRY_IMAGE_RAW)
        image->base = image->region->offset;
    return EXIT_DONE;
}

static void make_items(struct placements *placements)
{
    for (size_t i = 0; i < placements->image_count; i++) {
        g_assert(placements->images[i].file); /* all were opened */
        placements->count += placements->images[i].file->extents->len;
    }
    placements->items = g_new0(struct wry_placement, placements->count);
    placements->pieces = g_new0(struct piece, placements->count);
    size_t n = 0;
    for (size_t i = 0; i < placements->image_count; i++) {
        const struct image *image = &placements->images[i];
        for (guint k = 0; k < image->file->extents->len; k++, n++) {
            const struct image_extent *extent = extent_of(image, k);
            placements->pieces[n] = (struct piece){.image = image, .address = extent->address};
            placements->items[n] = (struct wry_placement){
                .offset = image->base + extent->address,
                .length = extent->length,
                .reader = {.context = &placements->pieces[n], .read = read_piece},
                .label = image};
        }
    }
}

int placements_plan(struct app *app, struct placements *placements, const struct target *target)
{
    struct wry_fault fault;
    int code = regions_load(app, target);

    for (size_t i = 0; i < placements->image_count && code == EXIT_DONE; i++)
        code = resolve(app, &placements->images[i]);
    /* A program in the wrong region is that first of all, and an overlap only because of it. */
    for (size_t i = 0; i < placements->image_count && code == EXIT_DONE; i++)
        code = image_check_region(app, &placements->images[i], placements->use);
    if (code != EXIT_DONE)
        return code;
    make_items(placements);
    enum wry_status status = wry_plan_init(&placements->plan, placements->items, placements->count,
                                           target->flash_size, &fault);
    if (status == WRY_BAD_RANGE)
        return bad_range(app, placements, &fault);
    if (status == WRY_OVERLAP)
        return overlap(app, placements, &fault);
    for (size_t i = 0; i < placements->image_count && code == EXIT_DONE; i++)
        code = image_check(app, &placements->images[i], target, placements->use);
    return code;
}

int placements_prepare(struct app *app, struct placements *placements, enum placements_use use)
{
    int code = placements_open(app, placements, app->rest, use);

    if (code == EXIT_DONE)
        code = link_connect(app);
    if (code != EXIT_DONE)
        return code;
    struct target target = regions_target(app);
    return placements_plan(app, placements, &target);
}

char *placements_offsets(const struct placements *placements)
{
    GString *text = g_string_new(NULL);
    size_t shown = MIN(placements->count, 6);

    for (size_t i = 0; i < shown; i++)
        g_string_append_printf(text, "%s0x%06X", i > 0 ? ", " : "",
                               (unsigned)placements->items[i].offset);
    if (shown < placements->count)
        g_string_append_printf(text, " and %u more places", (unsigned)(placements->count - shown));
    return g_string_free(text, FALSE);
}

void placements_add_json(struct app *app, const struct placements *placements)
{
    json_builder_set_member_name(app->json, "images");
    json_builder_begin_array(app->json);
    for (size_t i = 0; i < placements->count; i++) {
        json_builder_begin_object(app->json);
        app_json_text(app, "file", placements_image(placements, i)->file->path);
        app_json_offset(app, "offset", placements->items[i].offset);
        app_json_number(app, "length", placements->items[i].length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
}

void placements_free(struct placements *placements)
{
    for (size_t i = 0; i < placements->image_count; i++) {
        image_file_free(placements->images[i].file);
        g_free(placements->images[i].place);
    }
    g_free(placements->images);
    g_free(placements->items);
    g_free(placements->pieces);
}
