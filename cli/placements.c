/* Placements from the command line. */
#include "placements.h"

#include <errno.h>
#include <string.h>

#include "link.h"
#include "units.h"

enum {
    PIECE = 16384,
};

static bool read_image(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct image *image = context;

    return fseeko(image->file, (off_t)offset, SEEK_SET) == 0 && fread(to, 1, n, image->file) == n;
}

static int open_file(struct app *app, struct image *image)
{
    const char *next = "Check the file's name and that you may read it.";

    image->file = fopen(image->path, "rb");
    if (!image->file)
        return app_fail(app, EXIT_BAD_INPUT, next, "%s: %s", image->path, g_strerror(errno));
    if (fseeko(image->file, 0, SEEK_END) != 0 || ftello(image->file) < 0)
        return app_fail(app, EXIT_BAD_INPUT, next, "%s: not a regular file", image->path);
    off_t length = ftello(image->file);
    if (length == 0)
        return app_fail(app, EXIT_BAD_INPUT, "Build or download the image again.",
                        "%s: the file is empty", image->path);
    if (length > (off_t)UINT32_MAX)
        return app_fail(app, EXIT_BAD_INPUT, NULL, "%s: larger than any flash", image->path);
    image->length = (uint32_t)length;
    return EXIT_DONE;
}

/* SHA-256 of the body against the digest that stands behind it. */
static bool body_is_whole(struct image *image)
{
    uint32_t at = WRY_BOOT_HEADER_SIZE, left = image->header.body_length;
    uint8_t piece[PIECE], ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    while (left > 0) {
        uint32_t n = MIN(left, (uint32_t)sizeof piece);
        if (!read_image(image, at, piece, n))
            return false;
        wry_sha256_add(&sha, piece, n);
        at += n;
        left -= n;
    }
    wry_sha256_end(&sha, ours);
    return read_image(image, at, theirs, sizeof theirs) && memcmp(ours, theirs, sizeof ours) == 0;
}

static int read_header(struct app *app, struct image *image)
{
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];
    const char *next = "Build or download the image again.";

    if (image->length < sizeof bytes || !read_image(image, 0, bytes, sizeof bytes) ||
        !wry_boot_header_present(bytes))
        return EXIT_DONE;
    if (!wry_boot_header_get(&image->header, bytes))
        return app_fail(app, EXIT_BAD_INPUT, next, "%s: the boot header is damaged", image->path);
    if (image->length < WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE ||
        image->header.body_length > image->length - WRY_BOOT_HEADER_SIZE - WRY_SHA256_SIZE)
        return app_fail(
            app, EXIT_BAD_INPUT, next,
            "%s: cut short: the boot header promises %u bytes, the file has %u", image->path,
            (unsigned)(image->header.body_length + WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE),
            (unsigned)image->length);
    if (!body_is_whole(image))
        return app_fail(app, EXIT_BAD_INPUT, next,
                        "%s: damaged: the SHA-256 at its end does not fit its content",
                        image->path);
    image->has_header = true;
    return EXIT_DONE;
}

static int parse(struct app *app, struct placements *placements, size_t i, const char *argument)
{
    struct image *image = &placements->images[i];
    struct wry_placement *item = &placements->items[i];
    const char *equals = strchr(argument, '=');

    if (!equals || equals == argument || equals[1] == '\0')
        return app_fail(app, EXIT_USAGE, "Write it as OFFSET=FILE, such as 0x4000=start.bin.",
                        "'%s' is no placement", argument);
    g_autofree char *offset = g_strndup(argument, (gsize)(equals - argument));
    if (!units_parse_offset(offset, &item->offset))
        return app_fail(app, EXIT_USAGE,
                        "Write offsets in hexadecimal with 0x in front, such as 0x4000, or as 16K.",
                        "'%s' in '%s' is no offset", offset, argument);
    image->path = g_strdup(equals + 1);
    const char *slash = strrchr(image->path, '/');
    image->name = slash ? slash + 1 : image->path;
    int code = open_file(app, image);
    if (code == EXIT_DONE && placements->use == PLACEMENTS_WRITE)
        code = read_header(app, image);
    item->length = image->length;
    item->reader = (struct wry_reader){.context = image, .read = read_image};
    item->label = image;
    return code;
}

int placements_open(struct app *app, struct placements *placements, char **arguments,
                    enum placements_use use)
{
    int code = EXIT_DONE;

    memset(placements, 0, sizeof *placements);
    placements->use = use;
    placements->count = g_strv_length(arguments);
    placements->images = g_new0(struct image, placements->count);
    placements->items = g_new0(struct wry_placement, placements->count);
    if (placements->count == 0)
        return app_fail(app, EXIT_USAGE, "Give OFFSET=FILE, such as 0x4000=start.bin.",
                        "no images given");
    for (size_t i = 0; i < placements->count && code == EXIT_DONE; i++)
        code = parse(app, placements, i, arguments[i]);
    return code;
}

const struct image *placements_image(const struct placements *placements, size_t i)
{
    return placements->items[i].label;
}

static int check_header(struct app *app, const struct image *image)
{
    const struct wry_chip *built_for = wry_chip_by_code(image->header.chip_code);
    const struct wry_chip *found = link_chip(app);
    uint32_t capacity = app->session.board.capacity;
    const char *next = "Nothing was changed. Use the image that was built for this board.";

    if (!image->has_header)
        return EXIT_DONE;
    if (image->header.chip_code != app->session.board.chip_code)
        return app_fail(app, EXIT_WRONG, next, "%s was built for a %s, this board has a %s",
                        image->path, built_for ? built_for->title : "chip unknown here",
                        found ? found->title : "chip unknown here");
    if (image->header.flash_size_log2 > 0 &&
        UINT64_C(1) << image->header.flash_size_log2 > capacity) {
        g_autofree char *wanted = units_flash_size(UINT32_C(1) << image->header.flash_size_log2);
        g_autofree char *size = units_flash_size(capacity);
        return app_fail(app, EXIT_WRONG, next, "%s was built for %s of flash, this board has %s",
                        image->path, wanted, size);
    }
    return EXIT_DONE;
}

static int bad_range(struct app *app, const struct placements *placements,
                     const struct wry_fault *fault)
{
    g_autofree char *size = units_flash_size((uint32_t)fault->found);

    return app_fail(app, EXIT_WRONG,
                    "Nothing was changed. Check the offset, and that the image fits this board.",
                    "%s at 0x%06X ends at 0x%06" G_GINT64_MODIFIER
                    "X, beyond the end of the flash (%s)",
                    placements_image(placements, fault->expected)->path, (unsigned)fault->offset,
                    (guint64)fault->offset + fault->length, size);
}

static int overlap(struct app *app, const struct placements *placements,
                   const struct wry_fault *fault)
{
    return app_fail(app, EXIT_USAGE, "Nothing was changed. Check the offsets of the two files.",
                    "%s and %s overlap from 0x%06X to 0x%06X",
                    placements_image(placements, fault->expected)->path,
                    placements_image(placements, fault->found)->path, (unsigned)fault->offset,
                    (unsigned)(fault->offset + fault->length - 1));
}

int placements_plan(struct app *app, struct placements *placements)
{
    struct wry_fault fault;
    enum wry_status status = wry_plan_init(&placements->plan, placements->items, placements->count,
                                           app->session.board.capacity, &fault);

    if (status == WRY_BAD_RANGE)
        return bad_range(app, placements, &fault);
    if (status == WRY_OVERLAP)
        return overlap(app, placements, &fault);
    for (size_t i = 0; i < placements->count; i++) {
        int code = check_header(app, placements_image(placements, i));
        if (code != EXIT_DONE)
            return code;
    }
    return EXIT_DONE;
}

void placements_free(struct placements *placements)
{
    for (size_t i = 0; i < placements->count; i++) {
        if (placements->images[i].file)
            fclose(placements->images[i].file);
        g_free(placements->images[i].path);
    }
    g_free(placements->images);
    g_free(placements->items);
}
