/* YAML trees with lines. */
#include "yaml_text.h"

#include <string.h>

#include "wrytograph-host/error.h"
#include "wrytograph-host/text_file.h"

gboolean yaml_text_complain(struct yaml_text *yaml, struct yaml_place at, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    if (yaml->mistakes) {
        diagnostics_add(yaml->mistakes, yaml->path, at.line, at.column, text);
        return FALSE;
    }
    g_set_error(yaml->error, WRY_STORE_ERROR, WRY_STORE_ERROR_DAMAGED, "%s:%u: %s", yaml->path,
                at.line, text);
    g_free(text);
    return FALSE;
}

static struct yaml_place place_of(yaml_mark_t mark)
{
    return (struct yaml_place){(unsigned)mark.line + 1, (unsigned)mark.column + 1};
}

struct yaml_place yaml_text_place(const yaml_node_t *node)
{
    return place_of(node->start_mark);
}

const char *yaml_text_of(const yaml_node_t *node)
{
    return node && node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : "";
}

bool yaml_text_is_quoted(const yaml_node_t *node)
{
    return node->type == YAML_SCALAR_NODE && node->data.scalar.style != YAML_PLAIN_SCALAR_STYLE;
}

gboolean yaml_text_each(struct yaml_text *yaml, const yaml_node_t *mapping,
                        gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *key,
                                         const yaml_node_t *value, void *context),
                        void *context)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);
    gboolean taken = TRUE;

    for (const yaml_node_pair_t *p = mapping->data.mapping.pairs.start;
         p < mapping->data.mapping.pairs.top && (taken || yaml->mistakes); p++) {
        yaml_node_t *key = yaml_document_get_node(&yaml->document, p->key);
        const yaml_node_t *other = g_hash_table_lookup(seen, (gpointer)yaml_text_of(key));
        if (other) {
            taken = yaml_text_complain(yaml, yaml_text_place(key), "'%s' is in line %u already",
                                       yaml_text_of(key), yaml_text_place(other).line);
            continue;
        }
        g_hash_table_insert(seen, (gpointer)yaml_text_of(key), key);
        taken =
            take(yaml, key, yaml_document_get_node(&yaml->document, p->value), context) && taken;
    }
    return taken;
}

const yaml_node_t *yaml_text_find(struct yaml_text *yaml, const yaml_node_t *mapping,
                                  const char *key)
{
    for (const yaml_node_pair_t *p = mapping->data.mapping.pairs.start;
         p < mapping->data.mapping.pairs.top; p++) {
        if (strcmp(yaml_text_of(yaml_document_get_node(&yaml->document, p->key)), key) == 0)
            return yaml_document_get_node(&yaml->document, p->value);
    }
    return NULL;
}

gboolean yaml_text_items(struct yaml_text *yaml, const yaml_node_t *sequence,
                         gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *item,
                                          void *context),
                         void *context)
{
    gboolean taken = TRUE;

    for (const yaml_node_item_t *item = sequence->data.sequence.items.start;
         item < sequence->data.sequence.items.top && (taken || yaml->mistakes); item++)
        taken = take(yaml, yaml_document_get_node(&yaml->document, *item), context) && taken;
    return taken;
}

static gboolean unreadable(struct yaml_text *yaml, const yaml_parser_t *parser)
{
    return yaml_text_complain(yaml, place_of(parser->problem_mark), "%s",
                              parser->problem ? parser->problem : "not readable as YAML");
}

/* Checks that nothing follows the document. */
static gboolean check_end(struct yaml_text *yaml, yaml_parser_t *parser, const char *what)
{
    yaml_document_t next;
    gboolean ended = TRUE;

    if (!yaml_parser_load(parser, &next))
        return unreadable(yaml, parser);
    const yaml_node_t *root = yaml_document_get_root_node(&next);
    if (root)
        ended = yaml_text_complain(yaml, yaml_text_place(root),
                                   "a second document: %s has only one", what);
    yaml_document_delete(&next);
    return ended;
}

static gboolean load(const char *path, const char *what,
                     gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                      void *context),
                     void *context, GPtrArray *mistakes, GError **error)
{
    struct yaml_text yaml = {.path = path, .mistakes = mistakes, .error = error};
    g_autoptr(GError) inner = NULL;
    size_t length = 0;
    g_autofree char *text = wry_text_file_read(path, WRY_TEXT_FILE_YAML, &length, &inner);
    yaml_parser_t parser;
    gboolean loaded;

    if (!text) {
        g_set_error_literal(error, WRY_STORE_ERROR, WRY_STORE_ERROR_FILE, inner->message);
        return FALSE;
    }
    if (!yaml_parser_initialize(&parser))
        return yaml_text_complain(&yaml, YAML_TEXT_START, "out of memory");
    yaml_parser_set_input_string(&parser, (const unsigned char *)text, length);
    loaded = yaml_parser_load(&parser, &yaml.document);
    if (loaded) {
        const yaml_node_t *root = yaml_document_get_root_node(&yaml.document);
        bool is_mapping = root && root->type == YAML_MAPPING_NODE;
        if (!is_mapping)
            yaml_text_complain(&yaml, YAML_TEXT_START,
                               "this is not %s: it does not begin with 'KEY:'", what);
        loaded = is_mapping && read(&yaml, root, context) && check_end(&yaml, &parser, what);
        yaml_document_delete(&yaml.document);
    } else {
        unreadable(&yaml, &parser);
    }
    yaml_parser_delete(&parser);
    return loaded;
}

gboolean yaml_text_load(const char *path, const char *what,
                        gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                         void *context),
                        void *context, GError **error)
{
    return load(path, what, read, context, NULL, error);
}

gboolean yaml_text_check(const char *path, const char *what,
                         gboolean (*read)(struct yaml_text *yaml, const yaml_node_t *root,
                                          void *context),
                         void *context, GPtrArray *mistakes, GError **error)
{
    return load(path, what, read, context, mistakes, error);
}

struct key_search {
    const char *key;
    bool found;
};

static gboolean compare_key(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, void *context)
{
    struct key_search *search = context;

    (void)yaml;
    (void)value;
    search->found = search->found || strcmp(yaml_text_of(key), search->key) == 0;
    return TRUE;
}

static gboolean look_for_key(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    yaml_text_each(yaml, root, compare_key, context);
    return TRUE;
}

bool yaml_text_has_key(const char *path, const char *key)
{
    struct key_search search = {.key = key};
    bool named = g_str_has_suffix(path, ".yaml") || g_str_has_suffix(path, ".yml");

    if (named)
        yaml_text_load(path, "", look_for_key, &search, NULL);
    return search.found;
}
