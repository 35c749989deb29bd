/* JSON in the ledger's columns. The type of each member is checked before use, since JSON-GLib
 * prints warnings about wrong ones. */
#include "ledger_json.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "wrytograph-host/text_file.h"

JsonNode *ledger_json_parse(const char *text)
{
    if (!text || !wry_text_file_is_shallow(text, strlen(text), WRY_TEXT_FILE_JSON))
        return NULL;
    return json_from_string(text, NULL);
}

guint ledger_json_count(JsonNode *array)
{
    return array && JSON_NODE_HOLDS_ARRAY(array) ? json_array_get_length(json_node_get_array(array))
                                                 : 0;
}

JsonObject *ledger_json_item(JsonNode *array, guint i)
{
    JsonNode *node = json_array_get_element(json_node_get_array(array), i);

    return JSON_NODE_HOLDS_OBJECT(node) ? json_node_get_object(node) : NULL;
}

/* A member with a text or number; NULL if there is none. */
static JsonNode *value_of(JsonObject *object, const char *name)
{
    JsonNode *node = object ? json_object_get_member(object, name) : NULL;

    return node && JSON_NODE_HOLDS_VALUE(node) ? node : NULL;
}

const char *ledger_json_text(JsonObject *object, const char *name, const char *otherwise)
{
    JsonNode *node = value_of(object, name);
    const char *text = node ? json_node_get_string(node) : NULL;

    return text ? text : otherwise;
}

gint64 ledger_json_bytes(JsonObject *object, const char *name, gint64 otherwise)
{
    JsonNode *node = value_of(object, name);

    if (!node || json_node_get_value_type(node) != G_TYPE_INT64)
        return otherwise;
    gint64 n = json_node_get_int(node);
    return n >= 0 && n <= G_MAXUINT32 ? n : otherwise;
}

double ledger_json_seconds(JsonObject *object, const char *name)
{
    JsonNode *node = value_of(object, name);
    GType type = node ? json_node_get_value_type(node) : G_TYPE_INVALID;

    return type == G_TYPE_INT64 || type == G_TYPE_DOUBLE ? json_node_get_double(node) : 0;
}
