/* Layout files. */
#include "store/image/layout_file.h"

#include <string.h>

#include "base/yaml_members.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"
#include "wrytograph/message.h"

#define LARGEST_FLASH WRY_FLASH_MAX

struct reader {
    struct yaml_text *yaml;
    uint32_t flash_size; /* 0 = unknown */
    struct layout_file *file;
    struct yaml_place places[WRY_REGION_MAX]; /* position of each region in the file */
};

/* A region being read. */
struct region_reader {
    struct reader *r;
    struct wry_region region;
    bool has_offset, has_length;
};

static gboolean take_kind(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct wry_region *region = &((struct region_reader *)field->target)->region;

    region->kind = wry_region_kind_by_name(yaml_text_of(field->value));
    return region->kind != 0 ||
           yaml_field_complain(yaml, field,
                               "'%s' is not a kind: start, table, app, settings or files",
                               yaml_text_of(field->value));
}

static gboolean take_name(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct wry_region *region = &((struct region_reader *)field->target)->region;
    const char *text = yaml_text_of(field->value);

    return (wry_region_name_is_fit(text) &&
            g_strlcpy(region->name, text, sizeof region->name) < sizeof region->name) ||
           yaml_field_complain(yaml, field,
                               "'%s' is not a name: a letter, then up to 15 letters, digits, '-' "
                               "and '_'; not all or rest",
                               text);
}

static gboolean take_offset(struct yaml_text *yaml, const struct yaml_field *field)
{
    ((struct region_reader *)field->target)->has_offset = true;
    return yaml_take_offset(yaml, field);
}

/* Length 0 stands for "rest" until the offset is known, so a length of 0 is refused. */
static gboolean take_length(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct region_reader *reader = field->target;
    const char *text = yaml_text_of(field->value);

    reader->has_length = true;
    if (strcmp(text, "rest") == 0) {
        reader->r->file->open_ended = true;
        return TRUE;
    }
    return (wry_units_parse_size(text, &reader->region.length) && reader->region.length > 0) ||
           yaml_field_complain(yaml, field, "'%s' is not a length: write it as 0x1000, 4K or rest",
                               text);
}

static const struct yaml_member region_rows[] = {
    {"name", take_name, 0, NULL},
    {"kind", take_kind, 0, NULL},
    {"offset", take_offset, offsetof(struct region_reader, region.offset), NULL},
    {"length", take_length, 0, NULL},
};
static const struct yaml_members region_members = {"a region", region_rows,
                                                   G_N_ELEMENTS(region_rows), NULL};

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
    if (!yaml_members_read(yaml, node, &region_members, &reader))
        return FALSE;
    if (reader.region.name[0] == '\0' || !reader.has_offset || !reader.has_length)
        return yaml_text_complain(yaml, at, "a region needs name, offset and length");
    if (!settle_rest(r, &reader.region, at))
        return FALSE;
    r->places[layout->count] = at;
    layout->regions[layout->count++] = reader.region;
    return TRUE;
}

static gboolean take_regions(struct yaml_text *yaml, const struct yaml_field *field)
{
    return field->value->type == YAML_SEQUENCE_NODE
               ? yaml_text_items(yaml, field->value, read_region, field->target)
               : yaml_field_complain(yaml, field, "'regions' is a list");
}

static gboolean take_chip(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct layout_file *file = ((struct reader *)field->target)->file;

    file->chip = wry_chips_by_name(yaml_text_of(field->value));
    return file->chip ||
           yaml_field_complain(yaml, field, "there is no chip '%s'", yaml_text_of(field->value));
}

static gboolean take_flash(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct layout_file *file = ((struct reader *)field->target)->file;

    return wry_units_parse_size(yaml_text_of(field->value), &file->layout.flash_size) ||
           yaml_field_complain(yaml, field, "'%s' is not a flash size", yaml_text_of(field->value));
}

static const struct yaml_member rows[] = {
    {"chip", take_chip, 0, NULL},
    {"flash", take_flash, 0, NULL},
    {"regions", take_regions, 0, NULL},
    {"settings-description", yaml_take_elsewhere, 0, NULL},
};
static const struct yaml_members members = {"a layout", rows, G_N_ELEMENTS(rows), NULL};

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
        return yaml_text_complain(r->yaml, r->places[which], "'%s' is not a name for a region",
                                  a->name);
    case WRY_LAYOUT_REPEATED:
        return yaml_text_complain(r->yaml, r->places[which], "the name '%s' is in line %u already",
                                  a->name, r->places[other].line);
    }
    return FALSE;
}

static gboolean read_document(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct reader *r = context;

    r->yaml = yaml;
    return yaml_members_read(yaml, root, &members, r) && check(r);
}

gboolean layout_file_load(const char *path, uint32_t flash_size, struct layout_file *file,
                          GError **error)
{
    struct reader r = {.flash_size = flash_size, .file = file};

    memset(file, 0, sizeof *file);
    return yaml_text_load(path, "a layout", read_document, &r, error);
}

static gboolean find_description(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    const yaml_node_t *named = yaml_text_find(yaml, root, "settings-description");

    if (named)
        *(char **)context = g_strdup(yaml_text_of(named));
    return TRUE;
}

char *layout_file_settings_description(const char *path, bool resolved)
{
    g_autofree char *named = NULL, *folder = g_path_get_dirname(path);

    if (!yaml_text_load(path, "a layout", find_description, &named, NULL) || !named)
        return NULL;
    return !resolved || g_path_is_absolute(named) ? g_steal_pointer(&named)
                                                  : g_build_filename(folder, named, NULL);
}
