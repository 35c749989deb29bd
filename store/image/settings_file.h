/*
 * Settings files: settings as YAML (docs/settings-block.md).
 *
 *     struct settings *settings = settings_load("pier-a.yaml", &error);
 */
#pragma once

#include "store/image/settings.h"

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

/* Writes a settings file, readable by its owner only. Secret settings are left out, as comments,
 * unless with_secrets. FALSE also if nothing would be in it, or the file exists and replace is
 * false. */
gboolean settings_save(const struct settings *settings, const char *path, bool with_secrets,
                       bool replace, GError **error);
