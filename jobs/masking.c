/* Secret settings of a job. */
#include "masking.h"

#include <string.h>

#include "store/settings_file.h"

static const char mask[] = "********";

static bool is_known(const GPtrArray *secrets, const char *text)
{
    return g_ptr_array_find_with_equal_func((GPtrArray *)secrets, text, g_str_equal, NULL);
}

static void learn(struct wry_station *station, const struct wry_setting *setting)
{
    struct wry_setting open = *setting;

    if (!setting->secret)
        return;
    open.secret = false;
    g_autofree char *text = settings_text(&open);
    if (!station->secrets)
        station->secrets = g_ptr_array_new_with_free_func(g_free);
    if (text[0] != '\0' && !is_known(station->secrets, text))
        g_ptr_array_add(station->secrets, g_steal_pointer(&text));
}

void masking_learn(struct wry_station *station, const struct wry_held *held)
{
    for (size_t i = 0; i < held->count; i++) {
        const struct settings *settings = held->images[i]->settings;
        for (guint k = 0; settings && k < settings_count(settings); k++)
            learn(station, settings_at(settings, k));
    }
}

char *masking_apply(const struct wry_station *station, const char *text)
{
    GString *masked = g_string_new(text);

    for (guint i = 0; station->secrets && i < station->secrets->len; i++)
        g_string_replace(masked, g_ptr_array_index(station->secrets, i), mask, 0);
    return g_string_free(masked, FALSE);
}
