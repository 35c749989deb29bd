/* Settings in files: backup archives, plain binaries, settings files. */
#include <string.h>

#include "base/sized.h"
#include "jobs/plan/settings_edit.h"
#include "jobs/settings/settings_lines.h"
#include "store/archive/archive.h"
#include "store/file/error.h"
#include "store/file/spool.h"
#include "store/image/layout_file.h"
#include "store/image/settings_file.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/chips.h"
#include "wrytograph/layout.h"
#include "wrytograph/region_table.h"

/* The file, and what it holds. One of archive and bytes is set. */
struct source {
    const char *path;
    const struct wry_settings_options *options;
    struct archive *archive;
    uint8_t *bytes;
    gsize n;
    struct wry_region_table layout;
    struct settings_description *description;
    GPtrArray *found; /* struct settings_found */
};

static void close_source(struct source *source)
{
    archive_close(source->archive);
    g_free(source->bytes);
    settings_description_free(source->description);
    if (source->found)
        g_ptr_array_unref(source->found);
}

static bool reads_table(struct source *source, uint32_t offset)
{
    uint32_t which, other;

    return offset < source->n && source->n - offset >= WRY_REGION_TABLE_SIZE_MAX &&
           wry_region_table_get(&source->layout, source->bytes + offset,
                                WRY_REGION_TABLE_SIZE_MAX) &&
           wry_layout_check(&source->layout, (uint32_t)source->n, &which, &other) ==
               WRY_LAYOUT_FINE;
}

/* A plain binary is a settings region, or a whole flash with a region table. */
static gboolean find_layout(struct source *source, GError **error)
{
    if (source->n >= WRY_SETTINGS_HEAD_SIZE && source->n <= UINT32_MAX &&
        wry_settings_present(source->bytes)) {
        source->layout = (struct wry_region_table){
            .count = 1,
            .regions = {{.name = "settings",
                         .kind = WRY_REGION_SETTINGS,
                         .length = (uint32_t)MIN(source->n, UINT32_MAX)}}};
        return TRUE;
    }
    for (size_t i = 0; wry_chips_at(i); i++) {
        if (wry_chips_at(i)->table_offset != WRY_NO_OFFSET &&
            reads_table(source, wry_chips_at(i)->table_offset))
            return TRUE;
    }
    return store_error(error, WRY_STORE_ERROR_DAMAGED,
                       "%s: neither a settings block nor a flash with a region table; "
                       "with --layout its settings are found",
                       source->path);
}

static gboolean load_layout(struct source *source, GError **error)
{
    const char *path = source->options->layout_file;
    struct layout_file file;

    if (!layout_file_load(path, (uint32_t)source->n, &file, error))
        return FALSE;
    source->layout = file.layout;
    return TRUE;
}

static gboolean open_binary(struct source *source, GError **error)
{
    g_autoptr(GError) inner = NULL;

    if (!g_file_get_contents(source->path, (char **)&source->bytes, &source->n, &inner))
        return store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    return source->options->layout_file ? load_layout(source, error) : find_layout(source, error);
}

static gboolean open_archive(struct source *source, GError **error)
{
    source->archive = archive_open(source->path, error);
    if (!source->archive)
        return FALSE;
    source->n = source->archive->flash_size;
    source->layout = source->archive->layout;
    return source->options->layout_file ? load_layout(source, error) : TRUE;
}

static gboolean load_description(struct source *source, GError **error)
{
    const struct wry_settings_options *options = source->options;
    g_autofree char *of_layout = options->settings_description || !options->layout_file
                                     ? NULL
                                     : layout_file_settings_description(options->layout_file, true);
    const char *path = options->settings_description ? options->settings_description : of_layout;

    if (path)
        source->description = settings_description_load(path, error);
    return !path || source->description;
}

static gboolean find_blocks(struct source *source, GError **error)
{
    struct flash_reader reader = {
        .archive = source->archive, .bytes = source->bytes, .n = source->n};
    const char *name = source->options->region;
    struct wry_region damaged;

    if (name && !wry_layout_find(&source->layout, name))
        return store_error(error, WRY_STORE_ERROR_NONE, "%s: there is no region '%s'", source->path,
                           name);
    source->found = settings_lines_find(&reader, &source->layout, name, &damaged);
    if (!source->found)
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: the settings are not in this file",
                           source->path);
    if (source->found->len > 0)
        return TRUE;
    if (damaged.name[0] != '\0')
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: the settings block of region '%s' is damaged", source->path,
                           damaged.name);
    return store_error(error, WRY_STORE_ERROR_NONE, "%s: there is no settings block", source->path);
}

/* The named region's block, or the only one. */
static struct settings_found *choose(const struct source *source, const char *name, GError **error)
{
    struct settings_found *only = NULL;

    for (guint i = 0; i < source->found->len; i++) {
        struct settings_found *one = g_ptr_array_index(source->found, i);
        if (name && strcmp(one->region.name, name) != 0)
            continue;
        if (only) {
            store_error(error, WRY_STORE_ERROR_NONE,
                        "%s: several regions have settings: name one of them", source->path);
            return NULL;
        }
        only = one;
    }
    if (!only)
        store_error(error, WRY_STORE_ERROR_NONE, "%s: region '%s' has no settings block",
                    source->path, name);
    return only;
}

/* Replaces n bytes of the content at a flash offset. */
static gboolean put_bytes(struct source *source, uint32_t at, const uint8_t *bytes, uint32_t n,
                          GError **error)
{
    if (source->bytes) {
        memcpy(source->bytes + at, bytes, n);
        return TRUE;
    }
    for (guint i = 0; i < source->archive->ranges->len; i++) {
        struct archive_range *range =
            &g_array_index(source->archive->ranges, struct archive_range, i);
        if (at < range->offset || at + n > range->offset + range->length)
            continue;
        return (spool_write(source->archive->content, at, bytes, n) &&
                archive_range_digest(range, range->sha256)) ||
               store_error(error, WRY_STORE_ERROR_FILE, "%s: no room for temporary files",
                           source->path);
    }
    return store_error(error, WRY_STORE_ERROR_DAMAGED,
                       "%s: this partial backup lacks a part of the settings region", source->path);
}

/* Puts the changed block into the other slot. */
static gboolean put_block(struct source *source, const struct settings_found *found, GError **error)
{
    uint32_t room = wry_settings_slot(found->region.length);
    uint32_t at = found->region.offset + (1 - found->slot) * room;
    g_autofree uint8_t *slot = g_malloc(MAX(room, WRY_SETTINGS_BLOCK_MAX));
    size_t n = settings_make(found->settings, found->generation + 1, slot, WRY_SETTINGS_BLOCK_MAX);

    if (n == 0 || n > room)
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: more settings than fit in region '%s'", source->path,
                           found->region.name);
    memset(slot + n, 0xFF, room - n);
    return put_bytes(source, at, slot, room, error);
}

static gboolean write_output(const struct source *source, GError **error)
{
    const struct wry_settings_options *options = source->options;

    if (source->bytes)
        return wry_atomic_file_save(options->output, (const char *)source->bytes, source->n,
                                    options->replace, error);
    struct wry_atomic_file *file = wry_atomic_file_begin(options->output, options->replace, error);
    if (!file)
        return FALSE;
    if (archive_write(source->archive, wry_atomic_file_path(file), error))
        return wry_atomic_file_commit(file, error);
    wry_atomic_file_abandon(file);
    return FALSE;
}

static gboolean change_one(struct source *source, const struct wry_setting_change *change,
                           GError **error)
{
    const char *name = change->region ? change->region : source->options->region;
    struct settings_found *found = choose(source, name, error);

    return found && settings_edit_change(found->settings, change, source->description, error);
}

static gboolean apply(struct source *source, GError **error)
{
    const struct wry_settings_options *options = source->options;
    gboolean good = TRUE;

    if (options->load) {
        struct settings_found *found = choose(source, options->region, error);
        good = found && settings_edit_load(found->settings, options->load, options->exactly,
                                           source->description, error);
    }
    for (size_t i = 0; i < options->change_count && good; i++)
        good = change_one(source, &options->changes[i], error);
    return good;
}

static gboolean change_blocks(struct source *source, struct wry_settings_result *result,
                              GError **error)
{
    const struct wry_settings_options *options = source->options;
    g_autoptr(GPtrArray) before = g_ptr_array_new_with_free_func((GDestroyNotify)settings_free);

    for (guint i = 0; i < source->found->len; i++) {
        const struct settings_found *found = g_ptr_array_index(source->found, i);
        g_ptr_array_add(before, settings_copy(found->settings));
    }
    gboolean good = apply(source, error);
    for (guint i = 0; i < source->found->len && good; i++) {
        const struct settings_found *found = g_ptr_array_index(source->found, i);
        const struct settings *old = g_ptr_array_index(before, i);
        settings_lines_add(result, &found->region, found->generation, old, found->settings,
                           source->description);
        if (!settings_equal(old, found->settings))
            good = put_block(source, found, error);
    }
    return good && (options->dry_run || write_output(source, error));
}

static gboolean show_blocks(const struct source *source, struct wry_settings_result *result,
                            GError **error)
{
    const struct wry_settings_options *options = source->options;

    for (guint i = 0; i < source->found->len; i++) {
        const struct settings_found *found = g_ptr_array_index(source->found, i);
        settings_lines_add(result, &found->region, found->generation, found->settings,
                           found->settings, source->description);
    }
    if (!options->save)
        return TRUE;
    const struct settings_found *found = choose(source, options->region, error);
    return found && settings_save(found->settings, options->save, options->with_secrets,
                                  options->replace, error);
}

static gboolean open_settings(struct source *source, GError **error)
{
    struct settings_found *found = g_new0(struct settings_found, 1);

    source->found = g_ptr_array_new_with_free_func(g_free);
    g_strlcpy(found->region.name, "settings", sizeof found->region.name);
    found->settings = settings_load(source->path, error);
    g_ptr_array_add(source->found, found);
    return found->settings &&
           settings_description_check(source->description, found->settings, NULL, error);
}

static gboolean use_file(struct source *source, struct wry_settings_result *result, GError **error)
{
    const struct wry_settings_options *options = source->options;
    bool changes = options->change_count > 0 || options->load;
    bool is_text = settings_is_file(source->path);

    if (changes && is_text)
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: a settings file is text: change it in an editor", source->path);
    if (!load_description(source, error))
        return FALSE;
    if (is_text) {
        gboolean good = open_settings(source, error) && show_blocks(source, result, error);
        settings_free(((struct settings_found *)g_ptr_array_index(source->found, 0))->settings);
        return good;
    }
    return (archive_is_one(source->path) ? open_archive(source, error)
                                         : open_binary(source, error)) &&
           find_blocks(source, error) &&
           (changes ? change_blocks(source, result, error) : show_blocks(source, result, error));
}

gboolean wry_settings_in_file_of(const char *file, const struct wry_settings_options *given,
                                 size_t size, struct wry_settings_result *result, GError **error)
{
    const struct wry_settings_options *options = SIZED(struct wry_settings_options, given, size);
    struct source source = {.path = file, .options = options};
    gboolean good = use_file(&source, result, error);

    close_source(&source);
    return good;
}
