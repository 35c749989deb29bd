/* Helpers for the readers of a card's parts. */
#include "store/card/card_reader.h"

#include <string.h>

#include "wrytograph-host/units.h"

enum {
    TEXT_MOST = 120, /* most characters of a name or version */
};

gboolean card_reader_line(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          char **text)
{
    const char *given = yaml_text_of(value);

    if (given[0] == '\0' || strlen(given) > TEXT_MOST || strpbrk(given, "\r\n\t"))
        return yaml_text_complain(yaml, yaml_text_place(value),
                                  "'%s' takes one line of text, up to %d characters",
                                  yaml_text_of(key), TEXT_MOST);
    g_free(*text);
    *text = g_strdup(given);
    return TRUE;
}

static void free_file(void *item)
{
    struct card_file *file = item;

    g_free(file->written);
    g_free(file->path);
    g_free(file);
}

void card_reader_note_file(struct card *card, const char *written, const char *path)
{
    struct card_file *file = g_new0(struct card_file, 1);

    file->written = g_strdup(written);
    file->path = g_strdup(path);
    g_ptr_array_add(card->files, file);
}

/* A file in the card's folder, or in the kit. */
gboolean card_reader_file(struct yaml_text *yaml, const struct card_reader *reader,
                          const yaml_node_t *value, char **path)
{
    const char *written = yaml_text_of(value);

    if (written[0] == '\0')
        return yaml_text_complain(yaml, yaml_text_place(value), "a file is named here");
    g_free(*path);
    if (reader->files)
        *path = reader->files->find(reader->files->context, written);
    else
        *path = g_path_is_absolute(written) || strcmp(reader->card->folder, ".") == 0
                    ? g_strdup(written)
                    : g_build_filename(reader->card->folder, written, NULL);
    if (*path && g_file_test(*path, G_FILE_TEST_EXISTS)) {
        card_reader_note_file(reader->card, written, *path);
        return TRUE;
    }
    return yaml_text_complain(yaml, yaml_text_place(value),
                              reader->files ? "'%s' is not in the kit" : "there is no file '%s'",
                              written);
}

gboolean card_reader_flash_size(struct yaml_text *yaml, const yaml_node_t *item, uint32_t *bytes)
{
    return wry_units_parse_size(yaml_text_of(item), bytes) ||
           yaml_text_complain(yaml, yaml_text_place(item),
                              "'%s' is not a flash size: write it as 4MiB or 32Mbit",
                              yaml_text_of(item));
}

gboolean card_reader_is_mapping(struct yaml_text *yaml, const yaml_node_t *value, const char *shape)
{
    return value->type == YAML_MAPPING_NODE ||
           yaml_text_complain(yaml, yaml_text_place(value), "this is written %s", shape);
}

GPtrArray *card_reader_files(void)
{
    return g_ptr_array_new_with_free_func(free_file);
}
