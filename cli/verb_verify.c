/* verify: images against what the flash holds. */
#include "link.h"
#include "placements.h"
#include "units.h"

enum {
    SHOWN_MAX = 8,   /* places printed per image; JSON has every stretch */
    MERGED_GAP = 64, /* bytes that agree between two stretches of one place */
};

struct stretch {
    uint32_t offset, length;
    uint8_t expected, found;
};

static void note_difference(void *context, uint32_t offset, uint32_t length, uint8_t expected,
                            uint8_t found)
{
    struct stretch stretch = {
        .offset = offset, .length = length, .expected = expected, .found = found};

    g_array_append_val((GArray *)context, stretch);
}

static int by_offset(const void *a, const void *b)
{
    const struct stretch *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

/* Stretches with little between them are one line: three bytes here and two there help nobody. */
static void print_differences(struct app *app, const struct wry_placement *item,
                              const GArray *stretches)
{
    guint shown = 0;

    for (guint i = 0; i < stretches->len; shown++) {
        const struct stretch *first = &g_array_index(stretches, struct stretch, i);
        const struct stretch *last = first;
        uint32_t differing = first->length;
        for (i++; i < stretches->len; i++) {
            const struct stretch *next = last + 1;
            if (next->offset - (last->offset + last->length) > MERGED_GAP)
                break;
            differing += next->length;
            last = next;
        }
        if (shown >= SHOWN_MAX)
            continue;
        g_autofree char *count = units_bytes(differing);
        app_print(app,
                  "  flash 0x%06X to 0x%06X, file from 0x%06X: %s differ%s; first %02X in the "
                  "file, %02X in the flash",
                  (unsigned)first->offset, (unsigned)(last->offset + last->length - 1),
                  (unsigned)(first->offset - item->offset), count, differing == 1 ? "s" : "",
                  first->expected, first->found);
    }
    if (shown > SHOWN_MAX)
        app_print(app, "  and %u more places", shown - SHOWN_MAX);
}

static void add_json(struct app *app, const struct wry_placement *item, const GArray *stretches)
{
    const struct image *image = item->label;

    json_builder_begin_object(app->json);
    app_json_text(app, "file", image->path);
    app_json_offset(app, "offset", item->offset);
    app_json_number(app, "length", item->length);
    json_builder_set_member_name(app->json, "differences");
    json_builder_begin_array(app->json);
    for (guint i = 0; i < stretches->len; i++) {
        const struct stretch *s = &g_array_index(stretches, struct stretch, i);
        json_builder_begin_object(app->json);
        app_json_offset(app, "offset", s->offset);
        app_json_number(app, "length", s->length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
    json_builder_end_object(app->json);
}

/* One image; *differs is set when it is not what the flash holds. */
static enum wry_status verify_image(struct app *app, const struct wry_placement *item,
                                    bool *differs, uint32_t *first)
{
    const struct image *image = item->label;
    g_autoptr(GArray) stretches = g_array_new(FALSE, FALSE, sizeof(struct stretch));
    struct wry_difference_sink sink = {.context = stretches, .difference = note_difference};
    enum wry_status status = wry_session_verify(&app->session, item, WRY_VERIFY_DIGEST, &sink);

    if (status != WRY_OK && status != WRY_DIFFERS)
        return status;
    g_array_sort(stretches, by_offset);
    app_outcome(app, status == WRY_OK, "0x%06X  %-20s %s", (unsigned)item->offset, image->name,
                status == WRY_OK ? "agrees by SHA-256" : "DIFFERS");
    print_differences(app, item, stretches);
    add_json(app, item, stretches);
    if (status == WRY_DIFFERS && !*differs) {
        *differs = true;
        *first = wry_session_fault(&app->session)->offset;
    }
    return WRY_OK;
}

static int run(struct app *app, struct placements *placements)
{
    enum wry_status status = WRY_OK;
    bool differs = false;
    uint32_t first = 0;
    int code = placements_open(app, placements, app->rest, PLACEMENTS_COMPARE);

    if (code == EXIT_DONE)
        code = link_connect(app);
    if (code == EXIT_DONE)
        code = placements_plan(app, placements);
    if (code != EXIT_DONE)
        return code;
    json_builder_set_member_name(app->json, "images");
    json_builder_begin_array(app->json);
    for (size_t i = 0; i < placements->count && status == WRY_OK; i++)
        status = verify_image(app, &placements->items[i], &differs, &first);
    json_builder_end_array(app->json);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    if (differs)
        return app_fail(app, EXIT_DIFFERS, "'wrytograph write' with the same arguments mends it.",
                        "the flash differs from the files, first at offset 0x%06X",
                        (unsigned)first);
    app_outcome(app, true, "Verified: the flash holds %s.",
                placements->count == 1 ? "the image" : "all the images");
    return EXIT_DONE;
}

int verb_verify(struct app *app, int argc, char **argv)
{
    struct placements placements = {0};

    if (!app_parse(app, argc, argv, APP_LINK, NULL, "OFFSET=FILE…",
                   "Compares images with the flash by the board's SHA-256, and says where they\n"
                   "differ. Changes nothing. Exit code 6 when anything differs."))
        return app->code;
    int code = run(app, &placements);
    placements_free(&placements);
    return code;
}
