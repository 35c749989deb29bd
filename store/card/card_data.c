/* Cards in memory. */
#include "card_data.h"

static void free_value(void *item)
{
    struct card_value *value = item;

    g_free(value->region);
    g_free(value->key);
    g_free(value->value);
    g_free(value);
}

GPtrArray *card_values_new(void)
{
    return g_ptr_array_new_with_free_func(free_value);
}

const struct card_variant *card_variant_for(const struct card_placement *placement,
                                            uint32_t flash_size)
{
    for (guint i = 0; i < placement->variants->len; i++) {
        const struct card_variant *variant = g_ptr_array_index(placement->variants, i);
        if (variant->flash_size == 0 || variant->flash_size == flash_size)
            return variant;
    }
    return NULL;
}

bool card_is_for_flash(const struct card *card, uint32_t flash_size)
{
    for (guint i = 0; i < card->flash_sizes->len; i++) {
        if (g_array_index(card->flash_sizes, uint32_t, i) == flash_size)
            return true;
    }
    return false;
}

void card_free(struct card *card)
{
    if (!card)
        return;
    g_free(card->path);
    g_free(card->folder);
    g_free(card->name);
    g_free(card->version);
    g_array_unref(card->flash_sizes);
    g_free(card->chip_file);
    g_free(card->layout);
    g_free(card->settings_description);
    g_ptr_array_unref(card->holds);
    g_free(card->backup_folder);
    g_strfreev(card->erase);
    g_ptr_array_unref(card->placements);
    g_ptr_array_unref(card->values);
    g_free(card->table);
    g_strfreev(card->name_columns);
    g_strfreev(card->new_columns);
    g_ptr_array_unref(card->steps);
    g_free(card->line_end);
    g_ptr_array_unref(card->files);
    g_free(card);
}

bool card_column_is_new(const struct card *card, const char *region, const char *key)
{
    g_autofree char *full = region ? g_strconcat(region, "/", key, NULL) : g_strdup(key);

    return card->new_columns && (g_strv_contains((const char *const *)card->new_columns, full) ||
                                 g_strv_contains((const char *const *)card->new_columns, key));
}
