/* Packing kits. */
#include <string.h>

#include "base/folder_names.h"
#include "base/yaml_text.h"
#include "store/card/kit.h"
#include "store/card/kit_list.h"
#include "store/card/kit_zip.h"
#include "store/card/signing.h"
#include "store/file/error.h"
#include "store/image/layout_file.h"
#include "store/image/settings_description.h"
#include "store/image/settings_file.h"
#include "store/text/csv_table.h"
#include "wrytograph-host/atomic_file.h"

static gboolean measure(struct kit_member *member, GError **error)
{
    g_autoptr(GError) inner = NULL;
    g_autoptr(GMappedFile) map = g_mapped_file_new(member->source, FALSE, &inner);

    if (!map)
        return store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    member->size = g_mapped_file_get_length(map);
    member->sha256 = g_compute_checksum_for_data(
        G_CHECKSUM_SHA256, (const guchar *)g_mapped_file_get_contents(map), member->size);
    return TRUE;
}

static gboolean add_member(struct kit_entry *entry, const char *path, const char *source,
                           GError **error)
{
    if (!kit_list_path_fits(path))
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: a kit has only files beside the one that names them, and '%s' is "
                           "elsewhere",
                           source, path);
    struct kit_member *member = kit_member_new(path);

    member->source = g_strdup(source);
    g_ptr_array_add(entry->members, member);
    return measure(member, error);
}

/* Adds the files of a folder, sorted by name; below: path within it, "" at the top. */
static gboolean add_folder(struct kit_entry *entry, const char *folder, const char *below,
                           GError **error)
{
    g_autofree char *here = g_build_filename(folder, below, NULL);
    g_autoptr(GError) inner = NULL;
    g_auto(GStrv) names = folder_names(here, &inner);
    gboolean good = TRUE;

    if (!names)
        return store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
    for (char **name = names; good && *name; name++) {
        g_autofree char *path = below[0] ? g_build_filename(below, *name, NULL) : g_strdup(*name);
        g_autofree char *source = g_build_filename(folder, path, NULL);
        good = g_file_test(source, G_FILE_TEST_IS_DIR) ? add_folder(entry, folder, path, error)
                                                       : add_member(entry, path, source, error);
    }
    return good;
}

/* Adds the files that a settings file refers to, except secret ones. */
static gboolean add_references(struct kit_entry *entry, const char *path, GError **error)
{
    g_autoptr(GPtrArray) references = settings_references(path, error);
    g_autofree char *folder = g_path_get_dirname(path);
    gboolean good = references != NULL;

    for (guint i = 0; good && i < references->len; i++) {
        const struct settings_reference *reference = g_ptr_array_index(references, i);
        if (!reference->file || g_path_is_absolute(reference->file))
            continue;
        g_autofree char *source = g_build_filename(folder, reference->file, NULL);
        if (reference->secret)
            g_ptr_array_add(entry->absent, g_strdup(reference->file));
        else
            good = add_member(entry, reference->file, source, error);
    }
    return good;
}

/* Adds the settings description that a layout names. */
static gboolean add_description(struct kit_entry *entry, const char *path, GError **error)
{
    g_autofree char *named = layout_file_settings_description(path, false);
    g_autofree char *source = named ? layout_file_settings_description(path, true) : NULL;

    return !named || g_path_is_absolute(named) || add_member(entry, named, source, error);
}

static gboolean is_secret_in(const char *path, const char *key)
{
    g_autoptr(GPtrArray) references =
        settings_is_file(path) ? settings_references(path, NULL) : NULL;

    for (guint i = 0; references && i < references->len; i++) {
        const struct settings_reference *reference = g_ptr_array_index(references, i);
        if (reference->secret && strcmp(reference->key, key) == 0)
            return TRUE;
    }
    return FALSE;
}

/* True if a settings file of the card marks this key as secret; values are not read. One that
 * cannot be read stops packing later. */
static gboolean is_secret(const struct card *card, const struct settings_description *described,
                          const char *key)
{
    const struct settings_rule *rule = settings_description_find(described, key);

    if (rule && rule->secret)
        return TRUE;
    for (guint i = 0; i < card->files->len; i++) {
        const struct card_file *file = g_ptr_array_index(card->files, i);
        if (is_secret_in(file->path, key))
            return TRUE;
    }
    return FALSE;
}

/* A table goes to every bench, so it must not contain secrets. */
static gboolean check_table(const struct card *card, GError **error)
{
    struct csv_table *table = card->table ? csv_table_load(card->table, error) : NULL;
    gboolean good = TRUE;

    if (!table)
        return card->table == NULL;
    g_autofree char *path = card->settings_description ? g_strdup(card->settings_description)
                            : card->layout ? layout_file_settings_description(card->layout, true)
                                           : NULL;
    struct settings_description *described = path ? settings_description_load(path, error) : NULL;
    if (path && !described) {
        csv_table_free(table);
        return FALSE;
    }
    const GArray *names = g_ptr_array_index(table->rows, 0);
    for (guint i = 0; i < names->len && good; i++) {
        const char *name = g_array_index(names, struct csv_field, i).text;
        const char *slash = strchr(name, '/');
        good = !is_secret(card, described, slash ? slash + 1 : name);
        if (!good)
            store_error(error, WRY_STORE_ERROR_DAMAGED,
                        "%s: '%s' is a secret setting, and kits contain no secrets: keep it at the "
                        "bench, in a file or in the environment",
                        card->table, name);
    }
    settings_description_free(described);
    csv_table_free(table);
    return good;
}

static gboolean add_entry(struct kit_list *list, const struct card_file *file, GError **error)
{
    g_autofree char *name = g_path_get_basename(file->path);

    for (guint i = 0; i < list->entries->len; i++) {
        const struct kit_entry *entry = g_ptr_array_index(list->entries, i);
        if (strcmp(entry->written, file->written) == 0)
            return TRUE;
    }
    if (g_file_test(file->path, G_FILE_TEST_IS_DIR))
        return add_folder(kit_list_add(list, file->written, name), file->path, "", error);
    struct kit_entry *entry = kit_list_add(list, file->written, NULL);
    return add_member(entry, name, file->path, error) &&
           (!settings_is_file(file->path) || add_references(entry, file->path, error)) &&
           (!yaml_text_has_key(file->path, "regions") || add_description(entry, file->path, error));
}

static struct kit_list *make_list(const struct card *card, GError **error)
{
    struct kit_list *list = kit_list_new();

    list->card = kit_member_new("card.yaml");
    list->card->source = g_strdup(card->path);
    list->card_name = g_strdup(card->name);
    list->card_version = g_strdup(card->version);
    list->share_part = card->share.part;
    list->share_of = card->share.of;
    gboolean good = measure(list->card, error);
    for (guint i = 0; i < card->files->len && good; i++)
        good = add_entry(list, g_ptr_array_index(card->files, i), error);
    if (good)
        return list;
    kit_list_free(list);
    return NULL;
}

static gboolean add_content(zip_t *zip, GHashTable *added, const struct kit_member *member)
{
    g_autofree char *name = g_strconcat("content/", member->sha256, NULL);

    return !g_hash_table_add(added, g_strdup(name)) || kit_zip_add_file(zip, name, member->source);
}

static gboolean add_all(zip_t *zip, const struct kit_list *list, const char *text,
                        const char *signature)
{
    g_autoptr(GHashTable) added = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    gboolean good = kit_zip_add_text(zip, KIT_LIST, text) &&
                    (!signature || kit_zip_add_text(zip, KIT_SIGNATURE, signature)) &&
                    add_content(zip, added, list->card);

    for (guint i = 0; i < list->entries->len && good; i++) {
        const struct kit_entry *entry = g_ptr_array_index(list->entries, i);
        for (guint k = 0; k < entry->members->len && good; k++)
            good = add_content(zip, added, g_ptr_array_index(entry->members, k));
    }
    return good;
}

static gboolean write_zip(const char *path, const struct kit_list *list, const char *text,
                          const char *signature, GError **error)
{
    int code = 0;

    if (!zip_library_load(error))
        return FALSE;
    zip_t *zip = zip_open(path, ZIP_CREATE | ZIP_TRUNCATE, &code);

    if (zip && add_all(zip, list, text, signature) && zip_close(zip) == 0)
        return TRUE;
    store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", path,
                zip ? zip_strerror(zip) : "cannot be made");
    if (zip)
        zip_discard(zip);
    return FALSE;
}

static char *sign(const char *text, const char *secret_key, GError **error)
{
    struct signature signature;

    if (!signing_sign(secret_key, text, strlen(text), &signature, error))
        return NULL;
    g_autofree char *key = signing_hex(signature.key, sizeof signature.key);
    g_autofree char *bytes = signing_hex(signature.bytes, sizeof signature.bytes);
    return g_strdup_printf("{\"key\": \"%s\", \"signature\": \"%s\"}\n", key, bytes);
}

gboolean kit_pack(const struct card *card, const char *path, const char *secret_key, GError **error)
{
    struct kit_list *list = check_table(card, error) ? make_list(card, error) : NULL;
    g_autofree char *text = list ? kit_list_write(list) : NULL;
    g_autofree char *signature = list && secret_key ? sign(text, secret_key, error) : NULL;
    struct wry_atomic_file *file =
        list && (signature || !secret_key) ? wry_atomic_file_begin_shared(path, TRUE, error) : NULL;
    gboolean packed = FALSE;

    if (file && write_zip(wry_atomic_file_path(file), list, text, signature, error))
        packed = wry_atomic_file_commit(file, error);
    else
        wry_atomic_file_abandon(file);
    kit_list_free(list);
    return packed;
}
