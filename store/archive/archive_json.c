/* Writing and reading board.json, by json-glib. */
#include "store/archive/archive_json.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "store/file/error.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph-host/units.h"
#include "wrytograph/layout.h"

#define FORMAT "wrytograph backup"

enum {
    VERSION = 1,
    RANGES_MAX = 256,
};

char *archive_range_name(const struct archive_range *range)
{
    return g_strdup_printf("flash-0x%08X.bin", (unsigned)range->offset);
}

static void add_text(JsonBuilder *b, const char *name, const char *value)
{
    json_builder_set_member_name(b, name);
    json_builder_add_string_value(b, value);
}

static void add_number(JsonBuilder *b, const char *name, int64_t value)
{
    json_builder_set_member_name(b, name);
    json_builder_add_int_value(b, value);
}

static void begin_list(JsonBuilder *b, const char *name)
{
    json_builder_set_member_name(b, name);
    json_builder_begin_array(b);
}

static void add_regions(JsonBuilder *b, const struct wry_region_table *layout)
{
    begin_list(b, "layout");
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        json_builder_begin_object(b);
        add_text(b, "name", region->name);
        add_text(b, "kind", wry_region_kind_name(region->kind));
        add_number(b, "kind_code", region->kind);
        add_number(b, "offset", region->offset);
        add_number(b, "length", region->length);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}

static void add_ranges(JsonBuilder *b, const GArray *ranges)
{
    begin_list(b, "ranges");
    for (guint i = 0; i < ranges->len; i++) {
        const struct archive_range *range = &g_array_index(ranges, struct archive_range, i);
        g_autofree char *file = archive_range_name(range);
        g_autofree char *sha256 = wry_units_digest(range->sha256);
        json_builder_begin_object(b);
        add_number(b, "offset", range->offset);
        add_number(b, "length", range->length);
        add_text(b, "file", file);
        add_text(b, "sha256", sha256);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}

char *archive_json_write(const struct archive *archive)
{
    g_autoptr(JsonBuilder) b = json_builder_new();
    g_autoptr(JsonGenerator) generator = json_generator_new();
    const struct wry_chip *chip = wry_chips_by_code(archive->chip_code);
    g_autofree char *address = wry_units_address(archive->eui48);
    g_autofree char *jedec = wry_units_jedec(archive->jedec);

    json_builder_begin_object(b);
    add_text(b, "format", FORMAT);
    add_number(b, "version", VERSION);
    add_text(b, "address", address);
    add_text(b, "chip", chip ? chip->name : "unknown");
    add_number(b, "chip_code", archive->chip_code);
    add_number(b, "chip_revision", archive->chip_revision);
    add_text(b, "jedec_id", jedec);
    add_number(b, "flash_bytes", archive->flash_size);
    add_text(b, "created", archive->created);
    add_text(b, "tool", archive->tool);
    add_regions(b, &archive->layout);
    add_ranges(b, archive->ranges);
    json_builder_end_object(b);
    g_autoptr(JsonNode) root = json_builder_get_root(b);
    json_generator_set_root(generator, root);
    json_generator_set_pretty(generator, TRUE);
    return json_generator_to_data(generator, NULL);
}

/* Reading: no member is trusted. */

static bool get_number(JsonObject *object, const char *name, uint32_t most, uint32_t *value)
{
    JsonNode *node = json_object_get_member(object, name);

    if (!node || json_node_get_value_type(node) != G_TYPE_INT64)
        return false;
    int64_t number = json_node_get_int(node);
    *value = (uint32_t)number;
    return number >= 0 && number <= most;
}

static const char *get_text(JsonObject *object, const char *name)
{
    JsonNode *node = json_object_get_member(object, name);

    return node && json_node_get_value_type(node) == G_TYPE_STRING ? json_node_get_string(node)
                                                                   : "";
}

static bool get_hex(const char *text, uint8_t *to, size_t n, const char *separator)
{
    for (size_t i = 0; i < n; i++) {
        if (!g_ascii_isxdigit(text[0]) || !g_ascii_isxdigit(text[1]))
            return false;
        to[i] = (uint8_t)(g_ascii_xdigit_value(text[0]) << 4 | g_ascii_xdigit_value(text[1]));
        text += 2;
        if (i + 1 < n && separator[0] != '\0' && *text++ != separator[0])
            return false;
    }
    return *text == '\0';
}

static JsonArray *get_list(JsonObject *object, const char *name)
{
    JsonNode *node = json_object_get_member(object, name);

    return node && JSON_NODE_HOLDS_ARRAY(node) ? json_node_get_array(node) : NULL;
}

static JsonObject *get_item(JsonArray *list, guint i)
{
    JsonNode *node = json_array_get_element(list, i);

    return JSON_NODE_HOLDS_OBJECT(node) ? json_node_get_object(node) : NULL;
}

static bool read_board(struct archive *archive, JsonObject *object)
{
    uint32_t code, revision;

    if (!get_number(object, "chip_code", UINT16_MAX, &code) ||
        !get_number(object, "chip_revision", UINT8_MAX, &revision) ||
        !get_number(object, "flash_bytes", WRY_FLASH_MAX, &archive->flash_size) ||
        !get_hex(get_text(object, "address"), archive->eui48, WRY_EUI48_SIZE, ":") ||
        !get_hex(get_text(object, "jedec_id"), archive->jedec, WRY_JEDEC_SIZE, " "))
        return false;
    archive->chip_code = (uint16_t)code;
    archive->chip_revision = (uint8_t)revision;
    archive->created = g_strdup(get_text(object, "created"));
    archive->tool = g_strdup(get_text(object, "tool"));
    return true;
}

static bool read_region(struct wry_region *region, JsonObject *object)
{
    uint32_t kind;

    if (!object || !get_number(object, "kind_code", UINT8_MAX, &kind) ||
        !get_number(object, "offset", UINT32_MAX, &region->offset) ||
        !get_number(object, "length", UINT32_MAX, &region->length))
        return false;
    region->kind = (uint8_t)kind;
    return g_strlcpy(region->name, get_text(object, "name"), sizeof region->name) <
           sizeof region->name;
}

static bool read_layout(struct archive *archive, JsonArray *list)
{
    guint count = list ? json_array_get_length(list) : 0;

    if (count > WRY_REGION_MAX)
        return false;
    archive->layout.flash_size = archive->flash_size;
    archive->layout.count = count;
    for (guint i = 0; i < count; i++) {
        if (!read_region(&archive->layout.regions[i], get_item(list, i)))
            return false;
    }
    uint32_t which, other;
    return count == 0 || wry_layout_check(&archive->layout, archive->flash_size, &which, &other) ==
                             WRY_LAYOUT_FINE;
}

static bool read_range(struct archive *archive, JsonObject *object, uint32_t from)
{
    struct archive_range range = {.archive = archive};

    if (!object || !get_number(object, "offset", UINT32_MAX, &range.offset) ||
        !get_number(object, "length", UINT32_MAX, &range.length) ||
        !get_hex(get_text(object, "sha256"), range.sha256, WRY_SHA256_SIZE, ""))
        return false;
    g_autofree char *name = archive_range_name(&range);
    if (strcmp(name, get_text(object, "file")) != 0 || range.length == 0 || range.offset < from ||
        range.offset > archive->flash_size || range.length > archive->flash_size - range.offset)
        return false;
    g_array_append_val(archive->ranges, range);
    return true;
}

static bool read_ranges(struct archive *archive, JsonArray *list)
{
    guint count = list ? json_array_get_length(list) : 0;
    uint32_t from = 0;

    if (count == 0 || count > RANGES_MAX)
        return false;
    for (guint i = 0; i < count; i++) {
        if (!read_range(archive, get_item(list, i), from))
            return false;
        const struct archive_range *last = &g_array_index(archive->ranges, struct archive_range, i);
        from = last->offset + last->length;
    }
    return true;
}

gboolean archive_json_read(struct archive *archive, const char *text, gssize length,
                           const char *path, GError **error)
{
    g_autoptr(JsonParser) parser = json_parser_new();
    uint32_t version = 0;
    bool parsed = wry_text_file_is_shallow(text, (size_t)length, WRY_TEXT_FILE_JSON) &&
                  json_parser_load_from_data(parser, text, length, NULL);
    JsonNode *root = parsed ? json_parser_get_root(parser) : NULL; /* NULL also for an empty text */

    if (!root || !JSON_NODE_HOLDS_OBJECT(root))
        return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s: board.json is damaged", path);
    JsonObject *object = json_node_get_object(root);
    if (strcmp(get_text(object, "format"), FORMAT) != 0 ||
        !get_number(object, "version", UINT16_MAX, &version) || version != VERSION)
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: not a backup that this version reads", path);
    if (!read_board(archive, object) || !read_layout(archive, get_list(object, "layout")) ||
        !read_ranges(archive, get_list(object, "ranges")))
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "%s: board.json has a member that is missing or out of bounds", path);
    return TRUE;
}
