/* Where content and flash differ. */
#include "differences.h"

#include "store/units.h"

enum {
    SHOWN_MAX = 8,   /* places printed; JSON has every stretch */
    MERGED_GAP = 64, /* bytes that agree between two stretches of one place */
};

static void note_difference(void *context, uint32_t offset, uint32_t length, uint8_t expected,
                            uint8_t found)
{
    struct difference difference = {
        .offset = offset, .length = length, .expected = expected, .found = found};

    g_array_append_val((GArray *)context, difference);
}

static int by_offset(const void *a, const void *b)
{
    const struct difference *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

enum wry_status differences_find(struct app *app, const struct wry_placement *placement,
                                 enum wry_verify_method method, GArray *differences)
{
    struct wry_difference_sink sink = {.context = differences, .difference = note_difference};
    enum wry_status status = wry_session_verify(&app->session, placement, method, &sink);

    g_array_sort(differences, by_offset);
    return status == WRY_DIFFERS ? WRY_OK : status;
}

static const struct difference *at(const GArray *differences, guint i)
{
    return &g_array_index(differences, struct difference, i);
}

/* Stretches with little between them are one line: three bytes here and two there help nobody. */
void differences_print(struct app *app, const GArray *differences, uint32_t content_offset,
                       const char *content)
{
    guint shown = 0;

    for (guint i = 0; i < differences->len; shown++) {
        const struct difference *first = at(differences, i), *last = first;
        uint32_t differing = first->length;
        for (i++; i < differences->len; i++) {
            const struct difference *next = at(differences, i);
            if (next->offset - (last->offset + last->length) > MERGED_GAP)
                break;
            differing += next->length;
            last = next;
        }
        if (shown >= SHOWN_MAX)
            continue;
        g_autofree char *count = units_bytes(differing);
        app_print(app,
                  "  flash 0x%06X to 0x%06X, %s from 0x%06X: %s differ%s; first %02X in the %s, "
                  "%02X in the flash",
                  (unsigned)first->offset, (unsigned)(last->offset + last->length - 1), content,
                  (unsigned)(first->offset - content_offset), count, differing == 1 ? "s" : "",
                  first->expected, content, first->found);
    }
    if (shown > SHOWN_MAX)
        app_print(app, "  and %u more places", shown - SHOWN_MAX);
}

void differences_add_json(struct app *app, const GArray *differences)
{
    json_builder_set_member_name(app->json, "differences");
    json_builder_begin_array(app->json);
    for (guint i = 0; i < differences->len; i++) {
        json_builder_begin_object(app->json);
        app_json_offset(app, "offset", at(differences, i)->offset);
        app_json_number(app, "length", at(differences, i)->length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
}

void differences_add_to_map(struct flash_map *map, const GArray *differences, const char *label)
{
    for (guint i = 0; i < differences->len; i++)
        flash_map_add(map, MAP_DIFFERS, at(differences, i)->offset, at(differences, i)->length,
                      label);
}
