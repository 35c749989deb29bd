/* Differences between content and flash. */
#include "mismatches.h"

#include <string.h>

#include "flash_map.h"
#include "words.h"
#include "wrytograph-host/units.h"

enum {
    SHOWN_MAX = 8,   /* most places printed; JSON has all differences */
    MERGED_GAP = 64, /* differences closer than this (bytes) are one place */
};

static const struct wry_difference *at(const GArray *differences, guint i)
{
    return &g_array_index(differences, struct wry_difference, i);
}

/* Prints differences that are close to each other as one line. */
static void print_places(const struct app *app, const struct wry_comparison *comparison)
{
    const GArray *differences = comparison->differences;
    const char *content = comparison->of_archive ? "archive" : "file";
    guint shown = 0;

    for (guint i = 0; i < differences->len; shown++) {
        const struct wry_difference *first = at(differences, i), *last = first;
        uint32_t differing = first->length;
        for (i++; i < differences->len; i++) {
            const struct wry_difference *next = at(differences, i);
            if (next->offset - (last->offset + last->length) > MERGED_GAP)
                break;
            differing += next->length;
            last = next;
        }
        if (shown >= SHOWN_MAX)
            continue;
        g_autofree char *count = wry_units_bytes(differing);
        app_print(app,
                  "  flash 0x%06X to 0x%06X, %s from 0x%06X: %s differ%s; first %02X in the %s, "
                  "%02X in the flash",
                  (unsigned)first->offset, (unsigned)(last->offset + last->length - 1), content,
                  (unsigned)(first->offset - comparison->base), count, differing == 1 ? "s" : "",
                  first->expected, content, first->found);
    }
    if (shown > SHOWN_MAX)
        app_print(app, "  and %u more places", shown - SHOWN_MAX);
}

void mismatches_print(const struct app *app, const struct wry_comparison *comparison)
{
    bool same = comparison->differences->len == 0;
    const char *how = comparison->by_digest ? "by SHA-256" : "byte for byte";

    app_outcome(app, same, "0x%06X  %-24s %s%s", (unsigned)comparison->offset, comparison->name,
                same ? "agrees " : "DIFFERS", same ? how : "");
    if (comparison->file_version[0] &&
        strcmp(comparison->file_version, comparison->flash_version) == 0)
        app_print(app, "  Both are %s by their headers.", comparison->file_version);
    else if (comparison->file_version[0] && comparison->flash_version[0])
        app_print(app, "  The board has %s, the file %s.", comparison->flash_version,
                  comparison->file_version);
    else if (comparison->file_version[0])
        app_print(app, "  The board has no program there, the file %s.", comparison->file_version);
    print_places(app, comparison);
}

static void add_to_map(struct flash_map *map, const struct wry_comparison *comparison)
{
    const GArray *differences = comparison->differences;
    const char *label = comparison->of_archive ? "archive" : comparison->name;

    flash_map_add(map, MAP_AGREES, comparison->offset, comparison->length, NULL);
    for (guint i = 0; i < differences->len; i++)
        flash_map_add(map, MAP_DIFFERS, at(differences, i)->offset, at(differences, i)->length,
                      label);
}

void mismatches_draw(const struct app *app, const struct wry_verify_result *result)
{
    g_autofree char *title =
        g_strdup_printf("Differences; layout: %s", words_layout(&result->layout));
    struct flash_map *map = flash_map_new(title, result->flash_size, &result->layout.table);

    for (guint i = 0; i < result->comparisons->len; i++)
        add_to_map(map, g_ptr_array_index(result->comparisons, i));
    flash_map_print(map, app);
    flash_map_free(map);
}
