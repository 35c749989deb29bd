/* Templates. Those of cli/templates are part of the program: a mark without an end is a mistake in
 * them, and ends the program. */
#include "mustache.h"

#include <gio/gio.h>
#include <json-glib/json-glib.h>
#include <stdbool.h>
#include <string.h>

/* An object and the enclosing one. */
struct scope {
    JsonObject *object;
    const struct scope *outer;
};

static void fill(GString *to, const char *text, size_t n, const struct scope *scope);

/* NULL if no object has such a member. */
static JsonNode *find(const struct scope *scope, const char *name)
{
    for (; scope; scope = scope->outer) {
        if (scope->object && json_object_has_member(scope->object, name))
            return json_object_get_member(scope->object, name);
    }
    return NULL;
}

static bool is_set(JsonNode *node)
{
    if (!node || JSON_NODE_HOLDS_NULL(node))
        return false;
    if (JSON_NODE_HOLDS_ARRAY(node))
        return json_array_get_length(json_node_get_array(node)) > 0;
    if (JSON_NODE_HOLDS_OBJECT(node))
        return true;
    const char *text = json_node_get_string(node);
    return text ? text[0] != '\0' : json_node_get_boolean(node);
}

/* Control characters are not allowed in HTML or SVG, not even as references. */
static void append_escaped(GString *to, const char *text)
{
    g_autofree char *valid = g_utf8_make_valid(text ? text : "", -1);
    g_autofree char *escaped = g_markup_escape_text(valid, -1);

    for (const char *at = escaped; *at; at++) {
        if (g_str_has_prefix(at, "&#x")) {
            g_string_append(to, "\xEF\xBF\xBD");
            at = strchr(at, ';');
        } else {
            g_string_append_c(to, (guchar)*at < 0x20 && *at != '\n' ? ' ' : *at);
        }
    }
}

static void fill_section(GString *to, const char *text, size_t n, JsonNode *node,
                         const struct scope *scope)
{
    if (!JSON_NODE_HOLDS_ARRAY(node)) {
        bool object = JSON_NODE_HOLDS_OBJECT(node);
        struct scope inner = {.object = object ? json_node_get_object(node) : NULL, .outer = scope};
        fill(to, text, n, &inner);
        return;
    }
    JsonArray *array = json_node_get_array(node);
    for (guint i = 0; i < json_array_get_length(array); i++) {
        struct scope inner = {.object = json_array_get_object_element(array, i), .outer = scope};
        fill(to, text, n, &inner);
    }
}

static void fill_file(GString *to, const char *name, const struct scope *scope)
{
    g_autofree char *path = g_strconcat("/wrytograph/", name, NULL);
    g_autoptr(GBytes) bytes = g_resources_lookup_data(path, G_RESOURCE_LOOKUP_FLAGS_NONE, NULL);
    gsize n;

    if (!bytes)
        g_error("there is no template %s", name);
    const char *text = g_bytes_get_data(bytes, &n);
    fill(to, text, n, scope);
}

/* Fills in the section that begins at text; returns the position after its end. */
static const char *take_section(GString *to, const char *text, const char *end, const char *mark,
                                const struct scope *scope)
{
    g_autofree char *close = g_strdup_printf("{{/%s}}", mark + 1);
    const char *inner_end = g_strstr_len(text, end - text, close);
    JsonNode *node = find(scope, mark + 1);

    if (!inner_end)
        g_error("a template lacks %s", close);
    if (mark[0] == '#' && is_set(node))
        fill_section(to, text, (size_t)(inner_end - text), node, scope);
    else if (mark[0] == '^' && !is_set(node))
        fill(to, text, (size_t)(inner_end - text), scope);
    return inner_end + strlen(close);
}

static void fill(GString *to, const char *text, size_t n, const struct scope *scope)
{
    const char *end = text + n;

    for (const char *open; (open = g_strstr_len(text, end - text, "{{"));) {
        const char *close = g_strstr_len(open, end - open, "}}");
        if (!close)
            g_error("a template lacks }}");
        g_autofree char *mark = g_strndup(open + 2, (gsize)(close - open - 2));
        g_string_append_len(to, text, open - text);
        text = close + 2;
        if (mark[0] == '#' || mark[0] == '^')
            text = take_section(to, text, end, mark, scope);
        else if (mark[0] == '>')
            fill_file(to, mark + 1, scope);
        else if (find(scope, mark))
            append_escaped(to, json_node_get_string(find(scope, mark)));
    }
    g_string_append_len(to, text, end - text);
}

void mustache_fill(GString *to, const char *name, JsonBuilder *data)
{
    g_autoptr(JsonNode) root = json_builder_get_root(data);
    struct scope scope = {.object = json_node_get_object(root)};

    fill_file(to, name, &scope);
}

/* Templates of users. */

static bool fail(GError **error, const char *what, const char *mark)
{
    g_set_error(error, G_MARKUP_ERROR, G_MARKUP_ERROR_PARSE, "%s {{%s}}", what, mark);
    return false;
}

/* Checks what fill and take_section rely on: each section ends, within the one around it. */
static bool check(const char *text, const char *end, GError **error)
{
    for (const char *open; (open = g_strstr_len(text, end - text, "{{"));) {
        const char *close = g_strstr_len(open, end - open, "}}");
        g_autofree char *mark = g_strndup(open + 2, close ? (gsize)(close - open - 2)
                                                          : MIN((gsize)(end - open - 2), 20));
        if (!close)
            return fail(error, "a mark has no end:", mark);
        if (mark[0] == '>')
            return fail(error, "a template cannot include another one:", mark);
        if (mark[0] == '/')
            return fail(error, "nothing begins before", mark);
        text = close + 2;
        if (mark[0] != '#' && mark[0] != '^')
            continue;
        g_autofree char *last = g_strdup_printf("{{/%s}}", mark + 1);
        const char *inner_end = g_strstr_len(text, end - text, last);
        if (!inner_end)
            return fail(error, "there is no end for", mark);
        if (!check(text, inner_end, error))
            return false;
        text = inner_end + strlen(last);
    }
    return true;
}

bool mustache_fill_text(GString *to, const char *text, JsonBuilder *data, GError **error)
{
    size_t n = strlen(text);

    if (!check(text, text + n, error))
        return false;
    g_autoptr(JsonNode) root = json_builder_get_root(data);
    struct scope scope = {.object = json_node_get_object(root)};
    fill(to, text, n, &scope);
    return true;
}
