/* The placements of a card. */
#include <string.h>

#include "store/card/card_reader.h"
#include "wrytograph-host/units.h"

#define SHELF "shelf:"

static void free_variant(void *item)
{
    struct card_variant *variant = item;

    g_free(variant->file);
    g_free(variant->written);
    g_free(variant);
}

static void free_placement(void *item)
{
    struct card_placement *placement = item;

    g_free(placement->place);
    g_ptr_array_unref(placement->variants);
    g_free(placement);
}

GPtrArray *card_reader_placements(void)
{
    return g_ptr_array_new_with_free_func(free_placement);
}

static gboolean add_variant(struct yaml_text *yaml, struct card_reader *reader,
                            const yaml_node_t *value, uint32_t flash_size)
{
    struct card_variant *variant = g_new0(struct card_variant, 1);

    variant->flash_size = flash_size;
    variant->written = g_strdup(yaml_text_of(value));
    variant->at = yaml_text_place(value);
    g_ptr_array_add(reader->placement->variants, variant);
    return card_reader_file(yaml, reader, value, &variant->file);
}

static gboolean take_variant(struct yaml_text *yaml, const yaml_node_t *key,
                             const yaml_node_t *value, void *context)
{
    struct card_reader *reader = ((struct card *)context)->reader;
    uint32_t bytes = 0;

    if (!card_reader_flash_size(yaml, key, &bytes))
        return FALSE;
    if (!card_is_for_flash(reader->card, bytes))
        return yaml_text_complain(yaml, yaml_text_place(key),
                                  "the card is not for boards with %s of flash", yaml_text_of(key));
    return add_variant(yaml, reader, value, bytes);
}

static gboolean is_second(struct yaml_text *yaml, const struct yaml_field *field)
{
    const struct card *card = field->target;

    return card->reader->placement->variants->len > 0 &&
           !yaml_text_complain(yaml, yaml_text_place(field->key),
                               "give a file or a name on the shelf");
}

static gboolean take_shelf(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card_reader *reader = ((struct card *)field->target)->reader;
    g_autofree char *name = NULL;

    if (is_second(yaml, field))
        return FALSE;
    struct card_variant *variant = g_new0(struct card_variant, 1);
    gboolean taken = card_reader_line(yaml, field->key, field->value, &name);
    variant->written = g_strconcat(SHELF, name, NULL);
    variant->at = yaml_text_place(field->value);
    g_ptr_array_add(reader->placement->variants, variant);
    variant->file = reader->files ? reader->files->find(reader->files->context, variant->written)
                                  : g_strdup(variant->written);
    if (taken && !variant->file)
        return yaml_text_complain(yaml, variant->at, "'%s' is not in the kit", name);
    if (taken)
        card_reader_note_file(reader->card, variant->written, variant->file);
    return taken;
}

static gboolean take_file(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;

    if (is_second(yaml, field))
        return FALSE;
    return field->value->type == YAML_MAPPING_NODE
               ? yaml_text_each(yaml, field->value, take_variant, card)
               : add_variant(yaml, card->reader, field->value, 0);
}

static gboolean take_place(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card_placement *placement = ((struct card *)field->target)->reader->placement;
    const char *text = yaml_text_of(field->value);
    uint32_t offset;

    if (placement->place)
        return yaml_text_complain(yaml, yaml_text_place(field->key), "give a region or an offset");
    if (strcmp(field->member->name, "offset") == 0 && !wry_units_parse_offset(text, &offset))
        return yaml_field_complain(yaml, field,
                                   "'%s' is not an offset: write it as 0x40000 or 256K", text);
    return card_reader_line(yaml, field->key, field->value, &placement->place);
}

static const struct yaml_member rows[] = {
    {"region", take_place, 0, NULL},
    {"offset", take_place, 0, NULL},
    {"file", take_file, 0, NULL},
    {"shelf", take_shelf, 0, NULL},
};
static const struct yaml_members members = {"what is written", rows, G_N_ELEMENTS(rows),
                                            "region or offset, and file or shelf"};

static gboolean check_variants(struct yaml_text *yaml, const struct card *card,
                               const struct card_placement *placement)
{
    for (guint i = 0; i < card->flash_sizes->len; i++) {
        uint32_t size = g_array_index(card->flash_sizes, uint32_t, i);
        g_autofree char *text = wry_units_flash_size(size);
        if (!card_variant_for(placement, size))
            return yaml_text_complain(yaml, placement->at,
                                      "there is no file for boards with %s of flash", text);
    }
    return TRUE;
}

gboolean card_reader_placement(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    struct card_reader *reader = ((struct card *)context)->reader;
    struct card_placement *placement = g_new0(struct card_placement, 1);

    placement->variants = g_ptr_array_new_with_free_func(free_variant);
    placement->at = yaml_text_place(item);
    g_ptr_array_add(reader->card->placements, placement);
    reader->placement = placement;
    if (!card_reader_is_mapping(yaml, item, "{region: …, file: …}") ||
        !yaml_members_read(yaml, item, &members, context))
        return FALSE;
    if (placement->variants->len == 0)
        return yaml_text_complain(yaml, placement->at, "no file is named");
    return check_variants(yaml, reader->card, placement);
}
