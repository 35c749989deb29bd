/* Layout files, parsed with libyaml so that every complaint has a line. */
#include "layout_file.h"

#include <stdio.h>
#include <string.h>
#include <yaml.h>

#include "base/text_file.h"
#include "base/units.h"
#include "error.h"
#include "wrytograph/message.h"

#define LARGEST_FLASH WRY_FLASH_MAX

struct reader {
    const char *path;
    yaml_document_t document;
    uint32_t flash_size; /* 0 = not known */
    struct layout_file *file;
    unsigned lines[WRY_REGION_MAX]; /* where each region stands */
    GError **error;
};

static gboolean complain(struct reader *r, unsigned line, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

static gboolean complain(struct reader *r, unsigned line, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_set_error(r->error, STORE_ERROR, STORE_ERROR_DAMAGED, "%s:%u: %s", r->path, line, text);
    return FALSE;
}

static unsigned line_of(const yaml_node_t *node)
{
    return (unsigned)node->start_mark.line + 1;
}

static const char *text_of(const yaml_node_t *node)
{
    return node->type == YAML_SCALAR_NODE ? (const char *)node->data.scalar.value : "";
}

static gboolean set_kind(struct wry_region *region, const char *text)
{
    region->kind = wry_region_kind_by_name(text);
    return region->kind != 0;
}

static gboolean set_name(struct wry_region *region, const char *text)
{
    return wry_region_name_is_fit(text) &&
           g_strlcpy(region->name, text, sizeof region->name) < sizeof region->name;
}

/* A length of 0 stands for "rest" until the offset is known, so it cannot be written. */
static gboolean set_length(struct reader *r, struct wry_region *region, const char *text,
                           unsigned line)
{
    if (strcmp(text, "rest") == 0) {
        r->file->open_ended = true;
        return TRUE;
    }
    return (units_parse_size(text, &region->length) && region->length > 0) ||
           complain(r, line, "'%s' is no length: write it as 0x1000, 4K or rest", text);
}

/* The keys of one mapping, so that none stands there twice. */
static gboolean check_keys(struct reader *r, const yaml_node_t *mapping)
{
    const yaml_node_pair_t *start = mapping->data.mapping.pairs.start;
    const yaml_node_pair_t *end = mapping->data.mapping.pairs.top;

    for (const yaml_node_pair_t *p = start; p < end; p++) {
        const yaml_node_t *key = yaml_document_get_node(&r->document, p->key);
        for (const yaml_node_pair_t *q = start; q < p; q++) {
            const yaml_node_t *other = yaml_document_get_node(&r->document, q->key);
            if (strcmp(text_of(key), text_of(other)) == 0)
                return complain(r, line_of(key), "'%s' stands in line %u already", text_of(key),
                                line_of(other));
        }
        if (p - start > 8)
            return complain(r, line_of(key), "more members than a layout has");
    }
    return TRUE;
}

static gboolean set_member(struct reader *r, struct wry_region *region, const yaml_node_t *key,
                           const yaml_node_t *value)
{
    const char *name = text_of(key), *text = text_of(value);
    unsigned line = line_of(value);

    if (strcmp(name, "name") == 0)
        return set_name(region, text) ||
               complain(
                   r, line,
                   "'%s' is no name: a letter, then up to 15 letters, digits, '-' and '_'; not "
                   "all or rest",
                   text);
    if (strcmp(name, "kind") == 0)
        return set_kind(region, text) ||
               complain(r, line, "'%s' is no kind: start, table, app, settings or files", text);
    if (strcmp(name, "offset") == 0)
        return units_parse_offset(text, &region->offset) ||
               complain(r, line, "'%s' is no offset: write it as 0x40000 or 256K", text);
    if (strcmp(name, "length") == 0)
        return set_length(r, region, text, line);
    return complain(r, line_of(key), "a region has name, kind, offset and length, not '%s'", name);
}

static gboolean settle_rest(struct reader *r, struct wry_region *region, unsigned line)
{
    uint32_t size = r->flash_size > 0 ? r->flash_size : LARGEST_FLASH;

    if (region->length > 0)
        return TRUE;
    if (region->offset >= size)
        return complain(r, line, "region '%s' begins beyond the end of the flash", region->name);
    region->length = size - region->offset;
    return TRUE;
}

static gboolean read_region(struct reader *r, const yaml_node_t *node)
{
    struct wry_region_table *layout = &r->file->layout;
    struct wry_region region = {.kind = WRY_REGION_FILES};

    if (node->type != YAML_MAPPING_NODE)
        return complain(r, line_of(node), "a region is written {name: …, offset: …, length: …}");
    if (layout->count == WRY_REGION_MAX)
        return complain(r, line_of(node), "more than %u regions", (unsigned)WRY_REGION_MAX);
    if (!check_keys(r, node))
        return FALSE;
    bool has_offset = false, has_length = false;
    for (yaml_node_pair_t *p = node->data.mapping.pairs.start; p < node->data.mapping.pairs.top;
         p++) {
        const yaml_node_t *key = yaml_document_get_node(&r->document, p->key);
        if (!set_member(r, &region, key, yaml_document_get_node(&r->document, p->value)))
            return FALSE;
        has_offset |= strcmp(text_of(key), "offset") == 0;
        has_length |= strcmp(text_of(key), "length") == 0;
    }
    if (region.name[0] == '\0' || !has_offset || !has_length)
        return complain(r, line_of(node), "a region needs name, offset and length");
    if (!settle_rest(r, &region, line_of(node)))
        return FALSE;
    r->lines[layout->count] = line_of(node);
    layout->regions[layout->count++] = region;
    return TRUE;
}

static gboolean read_regions(struct reader *r, const yaml_node_t *node)
{
    if (node->type != YAML_SEQUENCE_NODE)
        return complain(r, line_of(node), "'regions' is a list");
    for (yaml_node_item_t *item = node->data.sequence.items.start;
         item < node->data.sequence.items.top; item++) {
        if (!read_region(r, yaml_document_get_node(&r->document, *item)))
            return FALSE;
    }
    return TRUE;
}

static gboolean read_member(struct reader *r, const yaml_node_t *key, const yaml_node_t *value)
{
    const char *name = text_of(key);
    uint32_t size;

    if (strcmp(name, "regions") == 0)
        return read_regions(r, value);
    if (strcmp(name, "chip") == 0) {
        r->file->chip = wry_chip_by_name(text_of(value));
        return r->file->chip ||
               complain(r, line_of(value), "there is no chip '%s'", text_of(value));
    }
    if (strcmp(name, "flash") == 0) {
        if (!units_parse_size(text_of(value), &size))
            return complain(r, line_of(value), "'%s' is no flash size", text_of(value));
        r->file->layout.flash_size = size;
        return TRUE;
    }
    return complain(r, line_of(key), "a layout has chip, flash and regions, not '%s'", name);
}

static gboolean check(struct reader *r)
{
    const struct wry_region_table *layout = &r->file->layout;
    uint32_t size = r->flash_size > 0 ? r->flash_size : LARGEST_FLASH;
    uint32_t which, other;
    enum wry_layout_problem problem = wry_layout_check(layout, size, &which, &other);
    const struct wry_region *a = &layout->regions[which], *b = &layout->regions[other];

    switch (problem) {
    case WRY_LAYOUT_FINE:
        return TRUE;
    case WRY_LAYOUT_EMPTY:
        return complain(r, 1, "there are no regions");
    case WRY_LAYOUT_UNALIGNED:
        return complain(r, r->lines[which],
                        "region '%s' does not begin and end on a sector (multiples of 0x1000)",
                        a->name);
    case WRY_LAYOUT_BEYOND:
        return complain(r, r->lines[which], "region '%s' ends beyond the end of the flash",
                        a->name);
    case WRY_LAYOUT_OVERLAP:
        return complain(r, r->lines[which], "region '%s' overlaps '%s' of line %u", a->name,
                        b->name, r->lines[other]);
    case WRY_LAYOUT_BAD_NAME:
        return complain(r, r->lines[which], "'%s' is no name for a region", a->name);
    case WRY_LAYOUT_REPEATED:
        return complain(r, r->lines[which], "the name '%s' stands in line %u already", a->name,
                        r->lines[other]);
    }
    return FALSE;
}

static gboolean read_document(struct reader *r)
{
    yaml_node_t *root = yaml_document_get_root_node(&r->document);

    if (!root || root->type != YAML_MAPPING_NODE)
        return complain(r, 1, "this is no layout: it has 'regions:' at its beginning of a line");
    if (!check_keys(r, root))
        return FALSE;
    for (yaml_node_pair_t *p = root->data.mapping.pairs.start; p < root->data.mapping.pairs.top;
         p++) {
        if (!read_member(r, yaml_document_get_node(&r->document, p->key),
                         yaml_document_get_node(&r->document, p->value)))
            return FALSE;
    }
    return check(r);
}

/* One document, and nothing behind it. */
static gboolean load_document(struct reader *r, yaml_parser_t *parser)
{
    yaml_document_t next;

    if (!yaml_parser_load(parser, &r->document))
        return complain(r, (unsigned)parser->problem_mark.line + 1, "%s",
                        parser->problem ? parser->problem : "not readable as YAML");
    gboolean loaded = read_document(r);
    if (loaded && yaml_parser_load(parser, &next)) {
        const yaml_node_t *root = yaml_document_get_root_node(&next);
        if (root)
            loaded = complain(r, line_of(root), "a second document: a layout is one");
        yaml_document_delete(&next);
    } else if (loaded) {
        loaded = complain(r, (unsigned)parser->problem_mark.line + 1, "%s",
                          parser->problem ? parser->problem : "not readable as YAML");
    }
    yaml_document_delete(&r->document);
    return loaded;
}

gboolean layout_file_load(const char *path, uint32_t flash_size, struct layout_file *file,
                          GError **error)
{
    struct reader r = {.path = path, .flash_size = flash_size, .file = file, .error = error};
    g_autoptr(GError) inner = NULL;
    size_t length = 0;
    g_autofree char *text = text_file_read(path, TEXT_FILE_YAML, &length, &inner);
    yaml_parser_t parser;
    gboolean loaded = FALSE;

    memset(file, 0, sizeof *file);
    if (!text) {
        g_set_error_literal(error, STORE_ERROR, STORE_ERROR_FILE, inner->message);
        return FALSE;
    }
    if (yaml_parser_initialize(&parser)) {
        yaml_parser_set_input_string(&parser, (const unsigned char *)text, length);
        loaded = load_document(&r, &parser);
        yaml_parser_delete(&parser);
    }
    return loaded;
}
