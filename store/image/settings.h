/*
 * Settings in memory: loaded from a YAML file (settings_file.h) or a settings block, changed one at
 * a time, encoded as a block (docs/settings-block.md).
 *
 *     struct settings *settings = settings_from_block(bytes, &head);
 *     struct settings_change change = {.key = "datum_mm", .value = "-1827"};
 *     settings_set(settings, &change, &error);
 *     size_t n = settings_make(settings, head.generation + 1, bytes, sizeof bytes);
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

struct settings *settings_new(void);
/* From a block whose checksum has been verified. */
struct settings *settings_from_block(const uint8_t *bytes, const struct wry_settings_head *head);
struct settings *settings_copy(const struct settings *settings);
void settings_free(struct settings *settings);

/* One key and its new value. */
struct settings_change {
    const char *key, *value; /* the value as in a settings file */
    bool is_new;             /* add the key if it does not exist */
    bool secret;             /* it is secret from now on */
    uint8_t type;            /* enum wry_setting_type, if it is known to have one; 0 = not */
};

/*
 * An existing key keeps its secrecy, and its type unless type is given. An unknown key is refused,
 * and the error names the nearest one, unless is_new is true: the key is then added, with the type
 * that the value reads as if none is given.
 */
gboolean settings_set(struct settings *settings, const struct settings_change *change,
                      GError **error);

/* Removes a key. FALSE with an error that names the nearest one if there is none. */
gboolean settings_unset(struct settings *settings, const char *key, GError **error);

/* Takes over all settings of another, and with exactly removes the others. A key that is secret
 * stays so. */
void settings_merge(struct settings *settings, const struct settings *from, bool exactly);

/* Encodes the settings as a block into bytes. Returns its length, or 0 if room is too small. */
size_t settings_make(const struct settings *settings, uint32_t generation, uint8_t *bytes,
                     size_t room);

/* settings_has compares the key alone; settings_holds the type and the value as well. */
bool settings_has(const struct settings *settings, const struct wry_setting *setting);
bool settings_holds(const struct settings *settings, const struct wry_setting *setting);
/* The same keys, types, values and secrecy, in any order. */
bool settings_equal(const struct settings *a, const struct settings *b);

/* The existing key spelled most like key; NULL if none is near. Valid until the next change. */
const char *settings_nearest(const struct settings *settings, const char *key);

/* False also for an unknown key. */
bool settings_is_secret(const struct settings *settings, const char *key);

guint settings_count(const struct settings *settings);
/* Valid until the next change. */
const struct wry_setting *settings_at(const struct settings *settings, guint i);
/* NULL if there is no such key. */
const struct wry_setting *settings_get(const struct settings *settings, const char *key);

/* A value as text; "********" for a secret one. Free with g_free. */
char *settings_text(const struct wry_setting *setting);

/* "text", "integer", "real", "boolean" or "bytes"; 0 for another name. */
const char *settings_type_name(uint8_t type);
uint8_t settings_type_by_name(const char *name);
