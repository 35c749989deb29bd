/* The list of a kit. */
#include "store/card/kit_list.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "store/file/error.h"
#include "wrytograph-host/text_file.h"

enum {
    KIT_FORMAT = 2, /* format 2 has shares of rows, which readers of format 1 would ignore */
    SHARES_MOST = 1000,
    MEMBERS_MOST = 10000,
    PATH_MOST = 1024,
};

#define SIZE_MOST (256u * 1024u * 1024u) /* most bytes of one file */
#define TOTAL_MOST (UINT64_C(1) << 30)   /* and of all files */

static void free_member(void *item)
{
    struct kit_member *member = item;

    if (!member)
        return;
    g_free(member->path);
    g_free(member->sha256);
    g_free(member->source);
    g_free(member);
}

static void free_entry(void *item)
{
    struct kit_entry *entry = item;

    g_free(entry->written);
    g_free(entry->name);
    g_ptr_array_unref(entry->members);
    g_ptr_array_unref(entry->absent);
    g_free(entry);
}

struct kit_list *kit_list_new(void)
{
    struct kit_list *list = g_new0(struct kit_list, 1);

    list->entries = g_ptr_array_new_with_free_func(free_entry);
    return list;
}

void kit_list_free(struct kit_list *list)
{
    if (!list)
        return;
    free_member(list->card);
    g_free(list->card_name);
    g_free(list->card_version);
    g_ptr_array_unref(list->entries);
    g_free(list);
}

struct kit_entry *kit_list_add(struct kit_list *list, const char *written, const char *name)
{
    struct kit_entry *entry = g_new0(struct kit_entry, 1);

    entry->written = g_strdup(written);
    entry->name = g_strdup(name);
    entry->members = g_ptr_array_new_with_free_func(free_member);
    entry->absent = g_ptr_array_new_with_free_func(g_free);
    g_ptr_array_add(list->entries, entry);
    return entry;
}

struct kit_member *kit_member_new(const char *path)
{
    struct kit_member *member = g_new0(struct kit_member, 1);

    member->path = g_strdup(path);
    return member;
}

/* Writing. */

static void add_text(JsonBuilder *b, const char *name, const char *text)
{
    json_builder_set_member_name(b, name);
    json_builder_add_string_value(b, text);
}

static void add_member(JsonBuilder *b, const struct kit_member *member)
{
    json_builder_begin_object(b);
    add_text(b, "path", member->path);
    json_builder_set_member_name(b, "bytes");
    json_builder_add_int_value(b, (gint64)member->size);
    add_text(b, "sha256", member->sha256);
    json_builder_end_object(b);
}

static void add_entry(JsonBuilder *b, const struct kit_entry *entry)
{
    json_builder_begin_object(b);
    add_text(b, "written", entry->written);
    if (entry->name)
        add_text(b, "folder", entry->name);
    json_builder_set_member_name(b, "members");
    json_builder_begin_array(b);
    for (guint i = 0; i < entry->members->len; i++)
        add_member(b, g_ptr_array_index(entry->members, i));
    json_builder_end_array(b);
    json_builder_set_member_name(b, "absent");
    json_builder_begin_array(b);
    for (guint i = 0; i < entry->absent->len; i++)
        json_builder_add_string_value(b, g_ptr_array_index(entry->absent, i));
    json_builder_end_array(b);
    json_builder_end_object(b);
}

char *kit_list_write(const struct kit_list *list)
{
    g_autoptr(JsonBuilder) b = json_builder_new();

    json_builder_begin_object(b);
    json_builder_set_member_name(b, "kit");
    json_builder_add_int_value(b, list->share_of > 1 ? KIT_FORMAT : 1);
    add_text(b, "name", list->card_name);
    add_text(b, "version", list->card_version);
    if (list->share_of > 0) {
        json_builder_set_member_name(b, "share");
        json_builder_begin_object(b);
        json_builder_set_member_name(b, "part");
        json_builder_add_int_value(b, list->share_part);
        json_builder_set_member_name(b, "of");
        json_builder_add_int_value(b, list->share_of);
        json_builder_end_object(b);
    }
    json_builder_set_member_name(b, "card");
    add_member(b, list->card);
    json_builder_set_member_name(b, "files");
    json_builder_begin_array(b);
    for (guint i = 0; i < list->entries->len; i++)
        add_entry(b, g_ptr_array_index(list->entries, i));
    json_builder_end_array(b);
    json_builder_end_object(b);
    g_autoptr(JsonNode) root = json_builder_get_root(b);
    return json_to_string(root, TRUE);
}

/* Reading: no length and no path is trusted. */

/* -1 if it is missing or not a whole number. */
static gint64 number_of(JsonObject *object, const char *name)
{
    JsonNode *node = json_object_get_member(object, name);

    return node && JSON_NODE_HOLDS_VALUE(node) && json_node_get_value_type(node) == G_TYPE_INT64
               ? json_node_get_int(node)
               : -1;
}

static const char *text_of(JsonObject *object, const char *name)
{
    JsonNode *node = json_object_get_member(object, name);

    return node && JSON_NODE_HOLDS_VALUE(node) && json_node_get_value_type(node) == G_TYPE_STRING
               ? json_node_get_string(node)
               : NULL;
}

static JsonArray *array_of(JsonObject *object, const char *name)
{
    JsonNode *node = json_object_get_member(object, name);

    return node && JSON_NODE_HOLDS_ARRAY(node) ? json_node_get_array(node) : NULL;
}

static JsonObject *object_at(JsonArray *array, guint i)
{
    JsonNode *node = json_array_get_element(array, i);

    return JSON_NODE_HOLDS_OBJECT(node) ? json_node_get_object(node) : NULL;
}

bool kit_list_path_fits(const char *path)
{
    if (!path || strlen(path) > PATH_MOST || strpbrk(path, "\\:\r\n"))
        return false;
    g_auto(GStrv) parts = g_strsplit(path, "/", -1);
    for (char **part = parts; *part; part++) {
        if (**part == '\0' || strcmp(*part, ".") == 0 || strcmp(*part, "..") == 0)
            return false;
    }
    return parts[0] != NULL;
}

static bool is_digest(const char *text)
{
    return text && strlen(text) == WRY_SHA256_SIZE * 2 &&
           strspn(text, "0123456789abcdef") == WRY_SHA256_SIZE * 2;
}

static struct kit_member *read_member(JsonObject *object)
{
    const char *path = object ? text_of(object, "path") : NULL;
    const char *sha256 = object ? text_of(object, "sha256") : NULL;
    gint64 size = object ? number_of(object, "bytes") : -1;

    if (!kit_list_path_fits(path) || !is_digest(sha256) || size < 0 || size > SIZE_MOST)
        return NULL;
    struct kit_member *member = kit_member_new(path);
    member->size = (uint64_t)size;
    member->sha256 = g_strdup(sha256);
    return member;
}

static bool read_absent(JsonObject *object, struct kit_entry *entry)
{
    JsonArray *absent = array_of(object, "absent");

    for (guint i = 0; absent && i < json_array_get_length(absent); i++) {
        JsonNode *node = json_array_get_element(absent, i);
        const char *name = JSON_NODE_HOLDS_VALUE(node) ? json_node_get_string(node) : NULL;
        if (!kit_list_path_fits(name))
            return false;
        g_ptr_array_add(entry->absent, g_strdup(name));
    }
    return true;
}

/* Totals so far: absurd lists are rejected before unpacking. */
struct tally {
    guint count;
    uint64_t size; /* bytes */
};

static bool read_entry(JsonObject *object, struct kit_list *list, struct tally *tally)
{
    const char *written = object ? text_of(object, "written") : NULL;
    const char *folder = object ? text_of(object, "folder") : NULL;
    JsonArray *members = object ? array_of(object, "members") : NULL;

    if (!written || !members || (folder && (!kit_list_path_fits(folder) || strchr(folder, '/'))) ||
        (!folder && json_array_get_length(members) == 0))
        return false;
    struct kit_entry *entry = kit_list_add(list, written, folder);
    for (guint i = 0; i < json_array_get_length(members); i++) {
        struct kit_member *member = read_member(object_at(members, i));
        if (!member)
            return false;
        g_ptr_array_add(entry->members, member);
        tally->size += member->size;
        if (++tally->count > MEMBERS_MOST || tally->size > TOTAL_MOST)
            return false;
    }
    return read_absent(object, entry);
}

static bool read_share(JsonObject *root, struct kit_list *list)
{
    JsonNode *node = json_object_get_member(root, "share");
    JsonObject *share = node && JSON_NODE_HOLDS_OBJECT(node) ? json_node_get_object(node) : NULL;
    gint64 part = share ? number_of(share, "part") : 0, of = share ? number_of(share, "of") : 0;

    if (!node)
        return true;
    if (part < 1 || of < part || of > SHARES_MOST)
        return false;
    list->share_part = (unsigned)part;
    list->share_of = (unsigned)of;
    return true;
}

static bool read_list(JsonObject *root, struct kit_list *list)
{
    JsonNode *card = json_object_get_member(root, "card");
    JsonArray *files = array_of(root, "files");
    struct tally tally = {0};

    list->card =
        card && JSON_NODE_HOLDS_OBJECT(card) ? read_member(json_node_get_object(card)) : NULL;
    list->card_name = g_strdup(text_of(root, "name"));
    list->card_version = g_strdup(text_of(root, "version"));
    if (!list->card || strchr(list->card->path, '/') || !list->card_name || !list->card_version ||
        !files || !read_share(root, list))
        return false;
    for (guint i = 0; i < json_array_get_length(files); i++) {
        if (!read_entry(object_at(files, i), list, &tally))
            return false;
    }
    return true;
}

struct kit_list *kit_list_read(const char *text, gsize n, const char *path, GError **error)
{
    g_autoptr(JsonParser) parser = json_parser_new();
    bool sound = wry_text_file_is_shallow(text, n, WRY_TEXT_FILE_JSON) &&
                 json_parser_load_from_data(parser, text, (gssize)n, NULL);
    JsonNode *root = sound ? json_parser_get_root(parser) : NULL;
    JsonObject *object = root && JSON_NODE_HOLDS_OBJECT(root) ? json_node_get_object(root) : NULL;
    gint64 format = object ? number_of(object, "kit") : -1;
    struct kit_list *list = kit_list_new();

    if (format > KIT_FORMAT)
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "%s: this kit was made by a newer version of this program", path);
    else if (format >= 1 && read_list(object, list))
        return list;
    else
        store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: damaged: its list is invalid", path);
    kit_list_free(list);
    return NULL;
}
