/*
 * Settings as a thing of their own: reading, changing, saving and loading the settings blocks of a
 * board, a backup or another file, one key at a time (docs/settings-block.md).
 *
 *     struct wry_setting_change change = {WRY_SETTING_SET, NULL, "datum_mm", "-1801"};
 *     struct wry_settings_options options = {.changes = &change, .change_count = 1};
 *     struct wry_settings_result result = {0};
 *     if (wry_station_change_settings(station, &options, &result) == WRY_OUTCOME_DONE)
 *         show(result.blocks);
 *     wry_settings_result_clear(&result);
 */
#ifndef WRYTOGRAPH_HOST_SETTINGS_H
#define WRYTOGRAPH_HOST_SETTINGS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/jobs.h"
#include "wrytograph/region.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_setting_act {
    WRY_SETTING_SET,   /* a key that exists, or is described */
    WRY_SETTING_ADD,   /* a key that may not exist yet */
    WRY_SETTING_UNSET, /* removes a key; the value is not used */
    WRY_SETTING_HIDE,  /* sets a key that is secret from now on, and may not exist yet */
};

/* An array of these does not change; see jobs.h. */
struct wry_setting_change {
    enum wry_setting_act act;
    const char *region; /* NULL = the only region with a block */
    const char *key, *value;
};

struct wry_settings_options {
    const char *region; /* only the block of this region; NULL: of each */
    const struct wry_setting_change *changes;
    size_t change_count;
    const char *load;    /* a settings file whose settings are taken over; or NULL */
    bool exactly;        /* with load: keys that are not in it are removed */
    bool without_backup; /* even if settings would be lost that no known backup of the board has */
    bool dry_run;        /* only find out what would change */
    const char *save;    /* write a settings file, when the block was read; or NULL */
    bool with_secrets;   /* with save: the values of secret settings, too */
    bool replace;        /* save and output may replace a file */
    /* For files: */
    const char *output;               /* the changed file; needed for changes */
    const char *layout_file;          /* NULL: the file's own, or that its content is a block */
    const char *settings_description; /* NULL: that of layout_file, or none */
};

/* One key, for display; secret values are "********". */
struct wry_setting_line {
    char *key;
    char *before, *after; /* NULL: the key is not there; the same text unless changed */
    const char *type;     /* "integer" */
    char *unit, *help;    /* as described; NULL = not */
    bool secret, changed;
};

struct wry_settings_of {
    struct wry_region region;
    uint32_t generation; /* of the block before; 0: there was none */
    GPtrArray *lines;    /* struct wry_setting_line, in the order of the block */
    bool changed;
};

struct wry_settings_result {
    GPtrArray *blocks; /* struct wry_settings_of; NULL: none were read */
    bool changed;      /* something differs, and was written unless it was a dry run */
    struct wry_done done;
};

/* Reads the blocks of the board, and saves a settings file if the options say so. */
enum wry_outcome wry_station_read_settings_of(struct wry_station *station,
                                              const struct wry_settings_options *options,
                                              size_t size, struct wry_settings_result *result);
static inline enum wry_outcome wry_station_read_settings(struct wry_station *station,
                                                         const struct wry_settings_options *options,
                                                         struct wry_settings_result *result)
{
    return wry_station_read_settings_of(station, options, sizeof *options, result);
}

/* Changes the block of the board: the next generation is written to its other slot and verified;
 * everything else stays. */
enum wry_outcome wry_station_change_settings_of(struct wry_station *station,
                                                const struct wry_settings_options *options,
                                                size_t size, struct wry_settings_result *result);
static inline enum wry_outcome
wry_station_change_settings(struct wry_station *station, const struct wry_settings_options *options,
                            struct wry_settings_result *result)
{
    return wry_station_change_settings_of(station, options, sizeof *options, result);
}

/*
 * The same for the blocks in a file: a backup archive, a plain binary of a whole flash or of one
 * settings region, or a settings file. With changes or load the result is written to output, which
 * is of the same kind; the file itself is never changed. FALSE with error.
 */
gboolean wry_settings_in_file_of(const char *file, const struct wry_settings_options *options,
                                 size_t size, struct wry_settings_result *result, GError **error);
static inline gboolean wry_settings_in_file(const char *file,
                                            const struct wry_settings_options *options,
                                            struct wry_settings_result *result, GError **error)
{
    return wry_settings_in_file_of(file, options, sizeof *options, result, error);
}

/* Frees the members. It may be called again. */
void wry_settings_result_clear(struct wry_settings_result *result);

#ifdef __cplusplus
}
#endif

#endif
