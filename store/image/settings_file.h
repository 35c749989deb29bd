/*
 * Settings in memory: loaded from a YAML file or a settings block, changed one at a time, encoded
 * as a block (docs/settings-block.md).
 *
 *     bool changed = false;
 *     struct settings *settings = settings_load("pier-a.yaml", &error);
 *     settings_set(settings, "datum_mm", "-1827", false, &changed, &error);
 *     size_t n = settings_make(settings, 1, bytes, sizeof bytes);
 *     settings_free(settings);
 *
 * Secret values exist only in this program's memory and in the encoded block. Messages never quote
 * them.
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

#include "wrytograph/settings_block.h"

struct settings;

/* Loads a YAML file. NULL with the file, the line and the cause in error. */
struct settings *settings_load(const char *path, GError **error);

/* True if the file is YAML with a member 'settings:', whether or not it is valid. */
bool settings_is_file(const char *path);

/* What a settings file says about a value. */
struct settings_reference {
    char *key;
    char *file; /* read from this file, by a path relative to the settings file; or NULL */
    bool secret;
};

/* struct settings_reference for each setting of the file, whose values are not read. NULL with the
 * file, the line and the cause in error. Free with g_ptr_array_unref. */
GPtrArray *settings_references(const char *path, GError **error);

/* From a block whose checksum has been verified. */
struct settings *settings_from_block(const uint8_t *bytes, const struct wry_settings_head *head);
void settings_free(struct settings *settings);

/*
 * Sets key to a value written as in the file. An existing key keeps its type and its secrecy. An
 * unknown key is refused, and the error names the nearest one, unless is_new is true: the key is
 * then added with the type that the value reads as. *changed is true if the value differs from the
 * one before.
 */
gboolean settings_set(struct settings *settings, const char *key, const char *value, bool is_new,
                      bool *changed, GError **error);

/* Encodes the settings as a block into bytes. Returns its length, or 0 if room is too small. */
size_t settings_make(const struct settings *settings, uint32_t generation, uint8_t *bytes,
                     size_t room);

/* settings_has compares the key alone; settings_holds the type and the value as well. */
bool settings_has(const struct settings *settings, const struct wry_setting *setting);
bool settings_holds(const struct settings *settings, const struct wry_setting *setting);

/* The existing key spelled most like key; NULL if none is near. Valid until the next change. */
const char *settings_nearest(const struct settings *settings, const char *key);

/* False also for an unknown key. */
bool settings_is_secret(const struct settings *settings, const char *key);

guint settings_count(const struct settings *settings);
/* Valid until the next change. */
const struct wry_setting *settings_at(const struct settings *settings, guint i);

/* A value as text; "********" for a secret one. Free with g_free. */
char *settings_text(const struct wry_setting *setting);
