/*
 * Settings descriptions: which keys a firmware knows, and which values each may have
 * (docs/settings-description.md).
 *
 *     struct settings_description *description =
 *         settings_description_load("gauge-settings.yaml", &error);
 *     if (settings_description_check(description, settings, NULL, &error))
 *         write(settings);
 *     settings_description_free(description);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "store/image/settings.h"

/* One key. */
struct settings_rule {
    char *key;
    uint8_t type; /* enum wry_setting_type */
    bool secret;
    bool has_least, has_most;
    int64_t least, most;          /* integers */
    double least_real, most_real; /* reals */
    uint32_t shortest, longest;   /* bytes of a text, or of bytes */
    char **one_of;                /* the texts allowed; NULL: any */
    char *unit, *help;            /* for display; NULL = none */
};

/* NULL with the file, the line and the cause in error. */
struct settings_description *settings_description_load(const char *path, GError **error);
/* True if the file is YAML with a member 'settings-description:', whether or not it is valid. */
bool settings_description_is_one(const char *path);
/* NULL is allowed. */
void settings_description_free(struct settings_description *description);

/* The rule of a key; NULL if it has none. description: NULL describes nothing. */
const struct settings_rule *
settings_description_find(const struct settings_description *description, const char *key);
guint settings_description_count(const struct settings_description *description);
const struct settings_rule *settings_description_at(const struct settings_description *description,
                                                    guint i);

/* Refuses a key that is not described, with the nearest one that is, unless the description allows
 * others or is NULL. */
gboolean settings_description_knows(const struct settings_description *description, const char *key,
                                    GError **error);

/*
 * Checks keys, types and values, and marks what is described as secret. keys: only these, ending
 * with NULL; NULL: all. An integer where a real is described becomes one. description: NULL allows
 * anything. FALSE with an error that names the key, and the line of a settings file.
 */
gboolean settings_description_check(const struct settings_description *description,
                                    struct settings *settings, const char *const *keys,
                                    GError **error);
