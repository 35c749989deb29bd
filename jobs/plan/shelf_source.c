/* Images from the shelf. */
#include "jobs/plan/shelf_source.h"

#include <string.h>

#include "jobs/plan/shelf_items.h"
#include "wrytograph-host/shelf.h"

static struct wry_problem *fail_with(enum wry_problem_kind kind, enum wry_outcome outcome,
                                     const char *name, const GPtrArray *items)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new_with_free_func(g_free);
    struct wry_problem *problem = problem_new(outcome, kind, name);

    for (guint i = 0; i < items->len; i++)
        g_ptr_array_add(names, wry_shelf_item_title(g_ptr_array_index(items, i), items));
    g_ptr_array_add(names, NULL);
    problem->names = (char **)g_ptr_array_free(g_steal_pointer(&names), FALSE);
    return problem;
}

static bool fits(const struct wry_shelf_item *item, const struct target *target)
{
    return !target->chip || wry_shelf_judge(item, target->chip, target->flash_size,
                                            &target->layout.table, NULL) == WRY_SHELF_FITS;
}

/* The only item that fits, or the preferred one of several; otherwise NULL. */
static const struct wry_shelf_item *choose(const GPtrArray *fitting)
{
    const struct wry_shelf_item *preferred = NULL;

    for (guint i = 0; i < fitting->len; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(fitting, i);
        if (item->preferred && preferred)
            return NULL;
        if (item->preferred || fitting->len == 1)
            preferred = item;
    }
    return preferred;
}

struct wry_problem *shelf_source_open(const struct target *target, struct image *image,
                                      bool must_be_whole)
{
    const char *name = image->path + strlen(IMAGE_SHELF);
    GError *error = NULL;
    g_autoptr(GPtrArray) items = wry_shelf_items(NULL, &error);
    g_autoptr(GPtrArray) named = g_ptr_array_new();
    g_autoptr(GPtrArray) fitting = g_ptr_array_new();

    if (!items)
        return problem_of_error(error);
    for (guint i = 0; i < items->len; i++) {
        struct wry_shelf_item *item = g_ptr_array_index(items, i);
        if (!shelf_items_is_named(item, name))
            continue;
        g_ptr_array_add(named, item);
        if (fits(item, target))
            g_ptr_array_add(fitting, item);
    }
    if (named->len == 0)
        return fail_with(WRY_PROBLEM_SHELF_NONE, WRY_OUTCOME_USAGE, name, items);
    if (fitting->len == 0)
        return fail_with(WRY_PROBLEM_SHELF_UNFIT, WRY_OUTCOME_WRONG, name, named);
    const struct wry_shelf_item *item = choose(fitting);
    if (!item)
        return fail_with(WRY_PROBLEM_SHELF_MANY, WRY_OUTCOME_USAGE, name, fitting);
    image->shelf_name = shelf_items_title(item);
    image->facts.from_shelf = image->shelf_name;
    image->settings_description = g_strdup(item->settings_description);
    struct image_file *file = image_file_open(item->path, NULL, &error);
    if (!file)
        return problem_of_error(error);
    struct wry_problem *problem = image_take_file(image, file, must_be_whole);
    image->facts.name = image->shelf_name;
    return problem;
}
