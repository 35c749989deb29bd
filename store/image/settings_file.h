/*
 * Settings in memory: read from a YAML file or a block, changed one by one, made into a block
 * (docs/settings-block.md).
 *
 *     struct settings *settings = settings_load("pier-a.yaml", &error);
 *     settings_set(settings, "datum_mm", "-1827", &error);
 *     size_t n = settings_make(settings, 1, bytes, sizeof bytes);
 *     settings_free(settings);
 *
 * Values that are secret stay in memory of this program and in the block that is made of them; no
 * message holds one.
 */
#ifndef WRY_STORE_SETTINGS_FILE_H
#define WRY_STORE_SETTINGS_FILE_H

#include <glib.h>
#include <stdbool.h>

#include "wrytograph/settings_block.h"

struct settings;

/* From a file of ours; NULL with file, line and cause. */
struct settings *settings_load(const char *path, GError **error);

/* True when the file is YAML that has 'settings:', sound or not. */
bool settings_is_file(const char *path);

/* A value that comes from a file beside the settings file. */
struct settings_reference {
    char *file; /* as it is written there */
    bool secret;
};

/* All of them, struct settings_reference; NULL with file, line and cause. Values are not read. Free
 * with g_ptr_array_unref. */
GPtrArray *settings_references(const char *path, GError **error);

/* Whether the file says that this setting is secret; its value is not read. False also when it
 * cannot be told. */
bool settings_file_keeps_secret(const char *path, const char *key);

/* From a block that is sound. */
struct settings *settings_from_block(const uint8_t *bytes, const struct wry_settings_head *head);
void settings_free(struct settings *settings);

/*
 * A value as one would write it in the file. A key that is there keeps its type, and whether it is
 * secret; one that is not there is refused, with the nearest, unless is_new: then it gets the type
 * that the value reads as. *changed is true if it had another value.
 */
gboolean settings_set(struct settings *settings, const char *key, const char *value, bool is_new,
                      bool *changed, GError **error);

/* Bytes of the block; 0 when it does not fit. */
size_t settings_make(const struct settings *settings, uint32_t generation, uint8_t *bytes,
                     size_t room);

/* True for a key of the same name; for one that also has the same type and value. */
bool settings_has(const struct settings *settings, const struct wry_setting *setting);
bool settings_holds(const struct settings *settings, const struct wry_setting *setting);

/* The key that is spelled most like it; NULL if none comes near. Valid until the next change. */
const char *settings_nearest(const struct settings *settings, const char *key);

/* False also where there is no such key. */
bool settings_is_secret(const struct settings *settings, const char *key);

guint settings_count(const struct settings *settings);
/* Valid until the next change. */
const struct wry_setting *settings_at(const struct settings *settings, guint i);

/* A value as text; "********" for a secret one. Free with g_free. */
char *settings_text(const struct wry_setting *setting);

#endif
