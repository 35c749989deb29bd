/* Copies of chips. */
#include "chips/kept_chips.h"

#include <glib.h>
#include <stdbool.h>
#include <string.h>

static GMutex lock;
static GPtrArray *copies; /* struct wry_chip */

static bool same_bound(const struct wry_usual_bound *a, const struct wry_usual_bound *b)
{
    return a->from == b->from && a->value == b->value;
}

static bool same_regions(const struct wry_chip *a, const struct wry_chip *b)
{
    if (a->usual_count != b->usual_count)
        return false;
    for (size_t i = 0; i < a->usual_count; i++) {
        const struct wry_usual_region *x = &a->usual[i], *y = &b->usual[i];
        if (strcmp(x->name, y->name) != 0 || x->kind != y->kind ||
            !same_bound(&x->start, &y->start) || !same_bound(&x->end, &y->end))
            return false;
    }
    return true;
}

static bool same_chip(const struct wry_chip *a, const struct wry_chip *b)
{
    return a->code == b->code && strcmp(a->name, b->name) == 0 && strcmp(a->title, b->title) == 0 &&
           strcmp(a->strap, b->strap) == 0 && g_strcmp0(a->says_loading, b->says_loading) == 0 &&
           g_strcmp0(a->says_nothing, b->says_nothing) == 0 && a->cores == b->cores &&
           a->instructions == b->instructions && a->wants_header == b->wants_header &&
           a->read_lines_most == b->read_lines_most && a->read_clock_most == b->read_clock_most &&
           a->start_offset == b->start_offset && a->table_offset == b->table_offset &&
           a->app_offset == b->app_offset && a->flash_min == b->flash_min &&
           a->flash_max == b->flash_max && a->boot_speed == b->boot_speed &&
           a->run_speed == b->run_speed && a->top_speed == b->top_speed && same_regions(a, b);
}

static struct wry_chip *copy_of(const struct wry_chip *chip)
{
    struct wry_chip *copy = g_memdup2(chip, sizeof *chip);
    struct wry_usual_region *usual = g_memdup2(chip->usual, chip->usual_count * sizeof *usual);

    copy->name = g_intern_string(chip->name);
    copy->title = g_intern_string(chip->title);
    copy->strap = g_intern_string(chip->strap);
    copy->says_loading = g_intern_string(chip->says_loading);
    copy->says_nothing = g_intern_string(chip->says_nothing);
    for (size_t i = 0; i < chip->usual_count; i++)
        usual[i].name = g_intern_string(chip->usual[i].name);
    copy->usual = usual;
    return copy;
}

/* The built-in chip or copy with this content; NULL if there is none. */
static const struct wry_chip *find(const struct wry_chip *chip)
{
    for (size_t i = 0; wry_chip_at(i); i++) {
        if (same_chip(wry_chip_at(i), chip))
            return wry_chip_at(i);
    }
    for (guint i = 0; copies && i < copies->len; i++) {
        if (same_chip(g_ptr_array_index(copies, i), chip))
            return g_ptr_array_index(copies, i);
    }
    return NULL;
}

const struct wry_chip *kept_chip(const struct wry_chip *chip)
{
    g_mutex_lock(&lock);
    const struct wry_chip *kept = find(chip);
    if (!kept) {
        struct wry_chip *copy = copy_of(chip);
        if (!copies)
            copies = g_ptr_array_new();
        g_ptr_array_add(copies, copy);
        kept = copy;
    }
    g_mutex_unlock(&lock);
    return kept;
}
