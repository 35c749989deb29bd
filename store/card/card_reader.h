/* Helpers for the readers of a card's parts. */
#pragma once

#include "base/yaml_members.h"
#include "card_data.h"

struct card_reader {
    struct card *card;
    const struct card_files *files;
    struct card_placement *placement; /* being read */
};

/* Reads one line of text; the previous *text is freed. */
gboolean card_reader_line(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          char **text);

/* Reads the name of a file in the card's folder or in the kit, and adds it to the card's files; the
 * previous *path is freed. */
gboolean card_reader_file(struct yaml_text *yaml, const struct card_reader *reader,
                          const yaml_node_t *value, char **path);
void card_reader_note_file(struct card *card, const char *written, const char *path);
/* An array of struct card_file; free with g_ptr_array_unref. */
GPtrArray *card_reader_files(void);

gboolean card_reader_flash_size(struct yaml_text *yaml, const yaml_node_t *item, uint32_t *bytes);

/* Checks that a node is a mapping; shape: how it is written. */
gboolean card_reader_is_mapping(struct yaml_text *yaml, const yaml_node_t *value,
                                const char *shape);

/* card_placements.c: reads an item of 'write'; context is the card. */
gboolean card_reader_placement(struct yaml_text *yaml, const yaml_node_t *item, void *context);
/* An array of struct card_placement; free with g_ptr_array_unref. */
GPtrArray *card_reader_placements(void);
