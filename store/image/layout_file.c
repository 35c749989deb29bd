/* Layout files, parsed with libyaml so that every complaint has a line. */
#include "store/image/layout_file.h"

#include <string.h>

#include "store/text/yaml_text.h"
#include "wrytograph-host/units.h"
#include "wrytograph/message.h"

#define LARGEST_FLASH WRY_FLASH_MAX

struct reader {
    struct yaml_text *yaml;
    uint32_t flash_size; /* 0 = not known */
    struct layout_file *file;
    struct yaml_place places[WRY_REGION_MAX]; /* where each region stands */
};

/* A region that is being read. */
struct region_reader {
    struct reader *r;
    struct wry_region region;
    bool has_offset, has_length;
};

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
                           struct yaml_place at)
{
    if (strcmp(text, "rest") == 0) {
        r->file->open_ended = true;
        return TRUE;
    }
    return (wry_units_parse_size(text, &region->length) && region->length > 0) ||
           yaml_text_complain(r->yaml, at, "'%s' is no length: write it as 0x1000, 4K or rest",
                              text);
}

static gboolean set_member(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                           void *context)
{
    struct region_reader *reader = context;
    struct wry_region *region = &reader->region;
    const char *name = yaml_text_of(key), *text = yaml_text_of(value);
    struct yaml_place at = yaml_text_place(value);

    if (strcmp(name, "name") == 0)
        return set_name(region, text) ||
               yaml_text_complain(
                   yaml, at,
                   "'%s' is no name: a letter, then up to 15 letters, digits, '-' and '_'; not "
                   "all or rest",
                   text);
    if (strcmp(name, "kind") == 0)
        return set_kind(region, text) ||
               yaml_text_complain(yaml, at, "'%s' is no kind: start, table, app, settings or files",
                                  text);
    if (strcmp(name, "offset") == 0) {
        reader->has_offset = true;
        return wry_units_parse_offset(text, &region->offset) ||
               yaml_text_complain(yaml, at, "'%s' is no offset: write it as 0x40000 or 256K", text);
    }
    if (strcmp(name, "length") == 0) {
        reader->has_length = true;
        return set_length(reader->r, region, text, at);
    }
    return yaml_text_complain(yaml, yaml_text_place(key),
                              "a region has name, kind, offset and length, not '%s'", name);
}

static gboolean settle_rest(struct reader *r, struct wry_region *region, struct yaml_place at)
{
    uint32_t size = r->flash_size > 0 ? r->flash_size : LARGEST_FLASH;

    if (region->length > 0)
        return TRUE;
    if (region->offset >= size)
        return yaml_text_complain(r->yaml, at, "region '%s' begins beyond the end of the flash",
                                  region->name);
    region->length = size - region->offset;
    return TRUE;
}

static gboolean read_region(struct yaml_text *yaml, const yaml_node_t *node, void *context)
{
    struct region_reader reader = {.r = context, .region = {.kind = WRY_REGION_FILES}};
    struct reader *r = context;
    struct wry_region_table *layout = &r->file->layout;
    struct yaml_place at = yaml_text_place(node);

    if (node->type != YAML_MAPPING_NODE)
        return yaml_text_complain(yaml, at, "a region is written {name: …, offset: …, length: …}");
    if (layout->count == WRY_REGION_MAX)
        return yaml_text_complain(yaml, at, "more than %u regions", (unsigned)WRY_REGION_MAX);
    if (!yaml_text_each(yaml, node, set_member, &reader))
        return FALSE;
    if (reader.region.name[0] == '\0' || !reader.has_offset || !reader.has_length)
        return yaml_text_complain(yaml, at, "a region needs name, offset and length");
    if (!settle_rest(r, &reader.region, at))
        return FALSE;
    r->places[layout->count] = at;
    layout->regions[layout->count++] = reader.region;
    return TRUE;
}

static gboolean read_member(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, void *context)
{
    struct reader *r = context;
    const char *name = yaml_text_of(key), *text = yaml_text_of(value);
    struct yaml_place at = yaml_text_place(value);

    if (strcmp(name, "regions") == 0)
        return value->type == YAML_SEQUENCE_NODE
                   ? yaml_text_items(yaml, value, read_region, r)
                   : yaml_text_complain(yaml, at, "'regions' is a list");
    if (strcmp(name, "chip") == 0) {
        r->file->chip = wry_chip_by_name(text);
        return r->file->chip || yaml_text_complain(yaml, at, "there is no chip '%s'", text);
    }
    if (strcmp(name, "flash") == 0)
        return wry_units_parse_size(text, &r->file->layout.flash_size) ||
               yaml_text_complain(yaml, at, "'%s' is no flash size", text);
    return yaml_text_complain(yaml, yaml_text_place(key),
                              "a layout has chip, flash and regions, not '%s'", name);
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
        return yaml_text_complain(r->yaml, YAML_TEXT_START, "there are no regions");
    case WRY_LAYOUT_UNALIGNED:
        return yaml_text_complain(
            r->yaml, r->places[which],
            "region '%s' does not begin and end on a sector (multiples of 0x1000)", a->name);
    case WRY_LAYOUT_BEYOND:
        return yaml_text_complain(r->yaml, r->places[which],
                                  "region '%s' ends beyond the end of the flash", a->name);
    case WRY_LAYOUT_OVERLAP:
        return yaml_text_complain(r->yaml, r->places[which], "region '%s' overlaps '%s' of line %u",
                                  a->name, b->name, r->places[other].line);
    case WRY_LAYOUT_BAD_NAME:
        return yaml_text_complain(r->yaml, r->places[which], "'%s' is no name for a region",
                                  a->name);
    case WRY_LAYOUT_REPEATED:
        return yaml_text_complain(r->yaml, r->places[which],
                                  "the name '%s' stands in line %u already", a->name,
                                  r->places[other].line);
    }
    return FALSE;
}

static gboolean read_document(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct reader *r = context;

    r->yaml = yaml;
    return yaml_text_each(yaml, root, read_member, r) && check(r);
}

gboolean layout_file_load(const char *path, uint32_t flash_size, struct layout_file *file,
                          GError **error)
{
    struct reader r = {.flash_size = flash_size, .file = file};

    memset(file, 0, sizeof *file);
    return yaml_text_load(path, "a layout", read_document, &r, error);
}
