/* Opening and unpacking kits. */
#include "store/card/kit.h"

#include <glib/gstdio.h>
#include <json-glib/json-glib.h>
#include <string.h>
#include <unistd.h>

#include "store/card/kit_list.h"
#include "store/card/kit_zip.h"
#include "store/card/signing.h"
#include "store/file/error.h"
#include "store/file/folder.h"
#include "store/file/leftovers.h"
#include "wrytograph-host/text_file.h"

struct kit {
    char *path, *folder, *card;
    struct kit_list *list;
    char *digest, *signer;
    GPtrArray *files; /* struct kit_file */
};

static void free_file(void *item)
{
    struct kit_file *file = item;

    g_free(file->written);
    g_free(file->sha256);
    g_free(file);
}

void kit_close(struct kit *kit)
{
    if (!kit)
        return;
    if (kit->folder)
        folder_remove(kit->folder);
    kit_list_free(kit->list);
    g_ptr_array_unref(kit->files);
    g_free(kit->path);
    g_free(kit->folder);
    g_free(kit->card);
    g_free(kit->digest);
    g_free(kit->signer);
    g_free(kit);
}

static gboolean fail(GError **error, const struct kit *kit, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

static gboolean fail(GError **error, const struct kit *kit, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: %s", kit->path, text);
}

/* NULL if it is missing or not a text. */
static const char *text_member(JsonObject *object, const char *name)
{
    JsonNode *node = object ? json_object_get_member(object, name) : NULL;

    return node && JSON_NODE_HOLDS_VALUE(node) && json_node_get_value_type(node) == G_TYPE_STRING
               ? json_node_get_string(node)
               : NULL;
}

/* Reads and verifies the signature, if there is one. */
static gboolean read_signature(struct kit *kit, zip_t *zip, const char *text, gsize n,
                               GError **error)
{
    gsize length = 0;
    struct signature signature;

    if (zip_name_locate(zip, KIT_SIGNATURE, 0) < 0)
        return TRUE;
    g_autofree char *found = kit_zip_read(zip, KIT_SIGNATURE, WRY_TEXT_FILE_MAX, &length);
    g_autoptr(JsonParser) parser = json_parser_new();
    bool sound = found && wry_text_file_is_shallow(found, length, WRY_TEXT_FILE_JSON) &&
                 json_parser_load_from_data(parser, found, (gssize)length, NULL) &&
                 JSON_NODE_HOLDS_OBJECT(json_parser_get_root(parser));
    JsonObject *object = sound ? json_node_get_object(json_parser_get_root(parser)) : NULL;
    const char *key = text_member(object, "key");
    const char *bytes = text_member(object, "signature");
    if (!key || !bytes || !signing_parse_hex(key, signature.key, sizeof signature.key) ||
        !signing_parse_hex(bytes, signature.bytes, sizeof signature.bytes) ||
        !signing_fits(&signature, text, n))
        return fail(error, kit, "altered since it was signed: the signature is invalid");
    kit->signer = g_strdup(key);
    return TRUE;
}

static gboolean check_trust(const struct kit *kit, const char *trust, GError **error)
{
    uint8_t key[SIGNING_KEY_SIZE];
    bool trusted = false;

    if (!trust)
        return TRUE;
    if (!kit->signer)
        return fail(error, kit, "not signed, but only kits signed by a key of %s are accepted",
                    trust);
    signing_parse_hex(kit->signer, key, sizeof key);
    if (!signing_is_trusted(trust, key, &trusted, error))
        return FALSE;
    return trusted || fail(error, kit, "signed by key %.16s…, which is not among those of %s",
                           kit->signer, trust);
}

static gboolean unpack_member(struct kit *kit, zip_t *zip, const struct kit_member *member,
                              const char *to, GError **error)
{
    g_autofree char *folder = g_path_get_dirname(to);
    g_autofree char *name = g_strconcat("content/", member->sha256, NULL);

    if (g_mkdir_with_parents(folder, 0700) != 0)
        return store_file_error(error, folder);
    switch (kit_zip_unpack(zip, name, member->size, member->sha256, to)) {
    case KIT_ZIP_UNPACKED:
        return TRUE;
    case KIT_ZIP_FAILED:
        return store_file_error(error, to);
    default:
        return fail(error, kit, "damaged: '%s' is missing or does not match the kit's list",
                    member->path);
    }
}

/* Links secret files, which are in the kit's folder, not in the kit. */
static void link_absent(const struct kit *kit, const struct kit_entry *entry, const char *folder)
{
    g_autofree char *beside = g_path_get_dirname(kit->path);
    g_autofree char *place = g_canonicalize_filename(beside, NULL);

    for (guint i = 0; i < entry->absent->len; i++) {
        const char *name = g_ptr_array_index(entry->absent, i);
        g_autofree char *target = g_build_filename(place, name, NULL);
        g_autofree char *link = g_build_filename(folder, name, NULL);
        g_autofree char *parent = g_path_get_dirname(link);
        /* A missing one is reported by its reader. */
        if (g_mkdir_with_parents(parent, 0700) == 0)
            (void)!symlink(target, link);
    }
}

static char *entry_folder(const struct kit *kit, guint i)
{
    return g_strdup_printf("%s/%u", kit->folder, i);
}

static char *member_path(const struct kit *kit, guint i, const struct kit_entry *entry,
                         const struct kit_member *member)
{
    g_autofree char *folder = entry_folder(kit, i);

    return entry->name ? g_build_filename(folder, entry->name, member->path, NULL)
                       : g_build_filename(folder, member->path, NULL);
}

static gboolean unpack_entry(struct kit *kit, zip_t *zip, guint i, GError **error)
{
    const struct kit_entry *entry = g_ptr_array_index(kit->list->entries, i);
    g_autofree char *folder = entry_folder(kit, i);
    struct kit_file *file = g_new0(struct kit_file, 1);

    file->written = g_strdup(entry->written);
    g_ptr_array_add(kit->files, file);
    if (entry->name) {
        g_autofree char *whole = g_build_filename(folder, entry->name, NULL);
        if (g_mkdir_with_parents(whole, 0700) != 0)
            return store_file_error(error, whole);
    }
    for (guint k = 0; k < entry->members->len; k++) {
        const struct kit_member *member = g_ptr_array_index(entry->members, k);
        g_autofree char *to = member_path(kit, i, entry, member);
        file->size += member->size;
        if (!unpack_member(kit, zip, member, to, error))
            return FALSE;
        if (k == 0 && !entry->name)
            file->sha256 = g_strdup(member->sha256);
    }
    link_absent(kit, entry, folder);
    return TRUE;
}

static gboolean unpack(struct kit *kit, zip_t *zip, GError **error)
{
    kit->folder = leftovers_new_folder("kit");
    if (!kit->folder)
        return store_file_error(error, g_get_tmp_dir());
    kit->card = g_build_filename(kit->folder, kit->list->card->path, NULL);
    gboolean good = unpack_member(kit, zip, kit->list->card, kit->card, error);
    for (guint i = 0; i < kit->list->entries->len && good; i++)
        good = unpack_entry(kit, zip, i, error);
    return good;
}

static gboolean open_zip(struct kit *kit, zip_t *zip, const char *trust, GError **error)
{
    gsize n = 0;
    g_autofree char *text = kit_zip_read(zip, KIT_LIST, KIT_LIST_MAX, &n);

    if (!text)
        return fail(error, kit, "not a kit: there is no %s in it", KIT_LIST);
    kit->digest = g_compute_checksum_for_data(G_CHECKSUM_SHA256, (const guchar *)text, n);
    if (!read_signature(kit, zip, text, n, error) || !check_trust(kit, trust, error))
        return FALSE;
    kit->list = kit_list_read(text, n, kit->path, error);
    return kit->list && unpack(kit, zip, error);
}

struct kit *kit_open(const char *path, const char *trust, GError **error)
{
    zip_t *zip = kit_zip_open(path, error);
    struct kit *kit;

    if (!zip)
        return NULL;
    kit = g_new0(struct kit, 1);
    kit->path = g_strdup(path);
    kit->files = g_ptr_array_new_with_free_func(free_file);
    gboolean opened = open_zip(kit, zip, trust, error);
    zip_discard(zip);
    if (opened)
        return kit;
    kit_close(kit);
    return NULL;
}

bool kit_is_one(const char *path)
{
    zip_t *zip = kit_zip_open(path, NULL);
    bool found = zip && zip_name_locate(zip, KIT_LIST, 0) >= 0;

    if (zip)
        zip_discard(zip);
    return found;
}

const char *kit_card(const struct kit *kit)
{
    return kit->card;
}

char *kit_find(void *context, const char *written)
{
    const struct kit *kit = context;

    for (guint i = 0; i < kit->list->entries->len; i++) {
        const struct kit_entry *entry = g_ptr_array_index(kit->list->entries, i);
        g_autofree char *folder = entry_folder(kit, i);
        if (strcmp(entry->written, written) != 0)
            continue;
        return entry->name ? g_build_filename(folder, entry->name, NULL)
                           : member_path(kit, i, entry, g_ptr_array_index(entry->members, 0));
    }
    return NULL;
}

const char *kit_digest(const struct kit *kit)
{
    return kit->digest;
}

const char *kit_signer(const struct kit *kit)
{
    return kit->signer;
}

struct card_share kit_share(const struct kit *kit)
{
    return (struct card_share){kit->list->share_part, kit->list->share_of};
}

const GPtrArray *kit_files(const struct kit *kit)
{
    return kit->files;
}
