/* Card files. */
#include "store/card/card_reader.h"

#include <string.h>

#include "store/image/steps_file.h"
#include "store/text/diagnostics.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph-host/units.h"

enum {
    TIMES_MOST = 1000,
};

/* chip, flash */

static gboolean add_flash(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    struct card *card = ((struct card_reader *)context)->card;
    uint32_t bytes = 0;

    if (!card_reader_flash_size(yaml, item, &bytes))
        return FALSE;
    if (card_is_for_flash(card, bytes))
        return yaml_text_complain(yaml, yaml_text_place(item), "'%s' stands there already",
                                  yaml_text_of(item));
    if (card->chip && (bytes < card->chip->flash_min || bytes > card->chip->flash_max)) {
        g_autofree char *least = wry_units_flash_size(card->chip->flash_min);
        g_autofree char *most = wry_units_flash_size(card->chip->flash_max);
        return yaml_text_complain(yaml, yaml_text_place(item), "a %s has %s to %s of flash",
                                  card->chip->title, least, most);
    }
    g_array_append_val(card->flash_sizes, bytes);
    return TRUE;
}

static gboolean take_chip(struct yaml_text *yaml, const yaml_node_t *value, struct card *card)
{
    g_autoptr(GString) known = g_string_new(NULL);

    card->chip = wry_chip_by_name(yaml_text_of(value));
    if (card->chip)
        return TRUE;
    for (size_t i = 0; wry_chip_at(i); i++)
        g_string_append_printf(known, "%s%s", i > 0 ? ", " : "", wry_chip_at(i)->name);
    return yaml_text_complain(yaml, yaml_text_place(value), "there is no chip '%s'; chips are %s",
                              yaml_text_of(value), known->str);
}

/* expect */

static void add_value(GPtrArray *values, const char *region, const char *key, const char *text,
                      struct yaml_place at)
{
    struct card_value *value = g_new0(struct card_value, 1);

    value->region = g_strdup(region);
    value->key = g_strdup(key);
    value->value = g_strdup(text);
    value->at = at;
    g_ptr_array_add(values, value);
}

static gboolean take_hold(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          void *context)
{
    struct card_reader *reader = context;
    g_autofree char *text = NULL;

    if (!card_reader_line(yaml, key, value, &text))
        return FALSE;
    add_value(reader->card->holds, yaml_text_of(key), NULL, text, yaml_text_place(key));
    return TRUE;
}

static gboolean take_number(struct yaml_text *yaml, const yaml_node_t *value, const char *what,
                            unsigned least, unsigned most, unsigned *number)
{
    guint64 found = 0;

    if (!g_ascii_string_to_unsigned(yaml_text_of(value), 10, least, most, &found, NULL))
        return yaml_text_complain(yaml, yaml_text_place(value), "'%s' is a number from %u to %u",
                                  what, least, most);
    *number = (unsigned)found;
    return TRUE;
}

static gboolean take_expectation(struct yaml_text *yaml, const yaml_node_t *key,
                                 const yaml_node_t *value, void *context)
{
    struct card_reader *reader = context;
    const char *name = yaml_text_of(key);
    unsigned number = 0;

    if (strcmp(name, "holds") == 0)
        return card_reader_is_mapping(yaml, value, "{REGION: NAME OF A PROGRAM}") &&
               yaml_text_each(yaml, value, take_hold, reader);
    if (strcmp(name, "revision") == 0) {
        if (!take_number(yaml, value, name, 0, UINT8_MAX, &number))
            return FALSE;
        reader->card->revision = (uint8_t)number;
        return TRUE;
    }
    return yaml_text_complain(yaml, yaml_text_place(key),
                              "'expect' has revision and holds, not '%s'", name);
}

/* backup, erase */

static gboolean take_backup(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, void *context)
{
    static const char *const policies[] = {"first", "always", "never"};
    const struct card_reader *reader = context;
    struct card *card = reader->card;
    const char *name = yaml_text_of(key), *text = yaml_text_of(value);

    if (strcmp(name, "folder") == 0) {
        if (text[0] == '\0')
            return yaml_text_complain(yaml, yaml_text_place(value), "a folder is named here");
        const char *beside = reader->files ? reader->files->beside : card->folder;
        g_free(card->backup_folder);
        card->backup_folder =
            g_path_is_absolute(text) ? g_strdup(text) : g_build_filename(beside, text, NULL);
        return TRUE;
    }
    if (strcmp(name, "when") != 0)
        return yaml_text_complain(yaml, yaml_text_place(key),
                                  "'backup' has when and folder, not '%s'", name);
    for (size_t i = 0; i < G_N_ELEMENTS(policies); i++) {
        if (strcmp(text, policies[i]) == 0) {
            card->backup = (enum card_backup)i;
            return TRUE;
        }
    }
    return yaml_text_complain(yaml, yaml_text_place(value), "'when' is first, always or never");
}

static gboolean take_part(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    GPtrArray *parts = context;

    if (yaml_text_of(item)[0] == '\0')
        return yaml_text_complain(yaml, yaml_text_place(item),
                                  "a region, OFFSET+LENGTH or all is named here");
    g_ptr_array_add(parts, g_strdup(yaml_text_of(item)));
    return TRUE;
}

static gboolean take_erase(struct yaml_text *yaml, const yaml_node_t *value, struct card *card)
{
    GPtrArray *parts = g_ptr_array_new();
    gboolean taken = value->type == YAML_SEQUENCE_NODE
                         ? yaml_text_items(yaml, value, take_part, parts)
                         : take_part(yaml, value, parts);

    if (parts->len == 0 && taken)
        taken = yaml_text_complain(yaml, yaml_text_place(value), "'erase' names nothing");
    g_ptr_array_add(parts, NULL);
    card->erase = (char **)g_ptr_array_free(parts, FALSE);
    card->erase_at = yaml_text_place(value);
    return taken;
}

/* set, boards */

static gboolean take_value(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                           struct card_reader *reader, bool is_new)
{
    const char *name = yaml_text_of(key), *slash = strchr(name, '/');
    g_autofree char *region = slash ? g_strndup(name, (gsize)(slash - name)) : NULL;

    if (value->type != YAML_SCALAR_NODE)
        return yaml_text_complain(yaml, yaml_text_place(value), "'%s': a setting is one value",
                                  name);
    add_value(reader->card->values, region, slash ? slash + 1 : name, yaml_text_of(value),
              yaml_text_place(key));
    struct card_value *added =
        g_ptr_array_index(reader->card->values, reader->card->values->len - 1);
    added->is_new = is_new;
    return TRUE;
}

static gboolean take_setting(struct yaml_text *yaml, const yaml_node_t *key,
                             const yaml_node_t *value, void *context)
{
    return take_value(yaml, key, value, context, false);
}

static gboolean take_new_setting(struct yaml_text *yaml, const yaml_node_t *key,
                                 const yaml_node_t *value, void *context)
{
    return take_value(yaml, key, value, context, true);
}

static gboolean take_column(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    if (item->type != YAML_SCALAR_NODE || yaml_text_of(item)[0] == '\0')
        return yaml_text_complain(yaml, yaml_text_place(item), "a column is named here");
    g_ptr_array_add(context, g_strdup(yaml_text_of(item)));
    return TRUE;
}

static gboolean take_new_columns(struct yaml_text *yaml, const yaml_node_t *value,
                                 struct card *card)
{
    GPtrArray *names = g_ptr_array_new();
    gboolean taken = value->type == YAML_SEQUENCE_NODE
                         ? yaml_text_items(yaml, value, take_column, names)
                         : take_column(yaml, value, names);

    g_ptr_array_add(names, NULL);
    card->new_columns = (char **)g_ptr_array_free(names, FALSE);
    return taken;
}

static gboolean take_table(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                           void *context)
{
    struct card_reader *reader = context;
    const char *name = yaml_text_of(key), *text = yaml_text_of(value);

    if (strcmp(name, "file") == 0) {
        reader->card->table_at = yaml_text_place(value);
        return card_reader_file(yaml, reader, value, &reader->card->table);
    }
    if (strcmp(name, "row") == 0) {
        /* Where it is neither, a table without addresses is no further mistake. */
        reader->card->rows =
            strcmp(text, "by-address") == 0 ? CARD_ROWS_BY_ADDRESS : CARD_ROWS_NEXT;
        return strcmp(text, "next") == 0 || strcmp(text, "by-address") == 0 ||
               yaml_text_complain(yaml, yaml_text_place(value), "'row' is by-address or next");
    }
    if (strcmp(name, "new") == 0)
        return take_new_columns(yaml, value, reader->card);
    return yaml_text_complain(yaml, yaml_text_place(key),
                              "'boards' has file, row and new, not '%s'", name);
}

static gboolean take_read(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          void *context)
{
    struct card *card = ((struct card_reader *)context)->card;
    const char *name = yaml_text_of(key);
    bool lines = strcmp(name, "lines") == 0;
    unsigned number = 0;

    if (!lines && strcmp(name, "clock") != 0)
        return yaml_text_complain(yaml, yaml_text_place(key),
                                  "'read' has lines and clock, not '%s'", name);
    if (!take_number(yaml, value, name, 1, lines ? 4 : UINT8_MAX, &number))
        return FALSE;
    if (lines && number == 3)
        return yaml_text_complain(yaml, yaml_text_place(value), "'lines' is 1, 2 or 4");
    *(lines ? &card->read_lines : &card->read_clock) = (uint8_t)number;
    return TRUE;
}

/* start */

static gboolean take_steps(struct yaml_text *yaml, const struct card_reader *reader,
                           const yaml_node_t *value)
{
    struct card *card = reader->card;
    g_autoptr(GError) inner = NULL;
    g_autofree char *path = NULL;

    card->is_heard = true;
    if (value->type != YAML_SCALAR_NODE)
        return steps_file_take(yaml, value, card->steps);
    if (!card_reader_file(yaml, reader, value, &path))
        return FALSE;
    GPtrArray *loaded = wry_console_steps_load(path, &inner);
    if (!loaded)
        return yaml_text_complain(yaml, yaml_text_place(value), "%s", inner->message);
    g_ptr_array_unref(card->steps);
    card->steps = loaded;
    return TRUE;
}

static gboolean take_line_end(struct yaml_text *yaml, const yaml_node_t *value, struct card *card)
{
    static const char *const ends[][2] = {{"crlf", "\r\n"}, {"lf", "\n"}, {"cr", "\r"}};

    for (size_t i = 0; i < G_N_ELEMENTS(ends); i++) {
        if (strcmp(yaml_text_of(value), ends[i][0]) == 0) {
            card->line_end = g_strdup(ends[i][1]);
            return TRUE;
        }
    }
    return yaml_text_complain(yaml, yaml_text_place(value), "'line-end' is crlf, lf or cr");
}

static gboolean take_start(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                           void *context)
{
    struct card_reader *reader = context;
    const char *name = yaml_text_of(key), *text = yaml_text_of(value);

    if (strcmp(name, "steps") == 0)
        return take_steps(yaml, reader, value);
    if (strcmp(name, "line-end") == 0)
        return take_line_end(yaml, value, reader->card);
    if (strcmp(name, "speed") == 0)
        return wry_units_parse_speed(text, &reader->card->run_speed) ||
               yaml_text_complain(yaml, yaml_text_place(value), "'%s' is no speed in baud", text);
    if (strcmp(name, "within") == 0)
        return wry_units_parse_time(text, &reader->card->within) ||
               yaml_text_complain(yaml, yaml_text_place(value),
                                  "'%s' is no time: write it in seconds, such as 5s", text);
    return yaml_text_complain(yaml, yaml_text_place(key),
                              "'start' has steps, within, speed and line-end, not '%s'", name);
}

/* The whole. */

static gboolean each_of(struct yaml_text *yaml, const yaml_node_t *value, const char *shape,
                        gboolean (*take)(struct yaml_text *yaml, const yaml_node_t *key,
                                         const yaml_node_t *value, void *context),
                        struct card_reader *reader)
{
    return card_reader_is_mapping(yaml, value, shape) && yaml_text_each(yaml, value, take, reader);
}

static gboolean take_writes(struct yaml_text *yaml, const yaml_node_t *value,
                            struct card_reader *reader)
{
    return value->type == YAML_SEQUENCE_NODE
               ? yaml_text_items(yaml, value, card_reader_placement, reader)
               : yaml_text_complain(yaml, yaml_text_place(value),
                                    "'write' is a list of {region: …, file: …}");
}

static gboolean take_flash(struct yaml_text *yaml, const yaml_node_t *value,
                           struct card_reader *reader)
{
    return value->type == YAML_SEQUENCE_NODE ? yaml_text_items(yaml, value, add_flash, reader)
                                             : add_flash(yaml, value, reader);
}

static gboolean take_simple(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, struct card_reader *reader, bool *taken)
{
    const char *name = yaml_text_of(key);
    struct card *card = reader->card;

    *taken = true;
    if (strcmp(name, "card") == 0)
        return card_reader_line(yaml, key, value, &card->name);
    if (strcmp(name, "version") == 0)
        return card_reader_line(yaml, key, value, &card->version);
    if (strcmp(name, "layout") == 0)
        return card_reader_file(yaml, reader, value, &card->layout);
    if (strcmp(name, "erase") == 0)
        return take_erase(yaml, value, card);
    if (strcmp(name, "times") == 0)
        return strcmp(yaml_text_of(value), "any") == 0 ||
               take_number(yaml, value, name, 1, TIMES_MOST, &card->times);
    *taken = false;
    return TRUE;
}

static gboolean take_member(struct yaml_text *yaml, const yaml_node_t *key,
                            const yaml_node_t *value, void *context)
{
    struct card_reader *reader = context;
    const char *name = yaml_text_of(key);
    bool taken = strcmp(name, "chip") == 0 || strcmp(name, "flash") == 0;

    if (taken)
        return TRUE;
    gboolean good = take_simple(yaml, key, value, reader, &taken);
    if (taken)
        return good;
    if (strcmp(name, "expect") == 0)
        return each_of(yaml, value, "{revision: …, holds: …}", take_expectation, reader);
    if (strcmp(name, "backup") == 0)
        return each_of(yaml, value, "{when: first}", take_backup, reader);
    if (strcmp(name, "write") == 0)
        return take_writes(yaml, value, reader);
    if (strcmp(name, "set") == 0)
        return each_of(yaml, value, "{KEY: VALUE}", take_setting, reader);
    if (strcmp(name, "set-new") == 0)
        return each_of(yaml, value, "{KEY: VALUE}", take_new_setting, reader);
    if (strcmp(name, "boards") == 0)
        return each_of(yaml, value, "{file: …, row: …}", take_table, reader);
    if (strcmp(name, "read") == 0)
        return each_of(yaml, value, "{lines: …, clock: …}", take_read, reader);
    if (strcmp(name, "start") == 0)
        return each_of(yaml, value, "{steps: …}", take_start, reader);
    return yaml_text_complain(
        yaml, yaml_text_place(key),
        "a card has card, version, chip, flash, layout, expect, backup, erase, "
        "write, set, set-new, boards, read, start and times, not '%s'",
        name);
}

static gboolean require(struct yaml_text *yaml, bool there, const char *what)
{
    return there || yaml_text_complain(yaml, YAML_TEXT_START, "%s", what);
}

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct card_reader *reader = context;
    struct card *card = reader->card;

    const yaml_node_t *chip = yaml_text_find(yaml, root, "chip");
    const yaml_node_t *flash = yaml_text_find(yaml, root, "flash");

    /* What the rest is judged by comes first, wherever it stands. */
    if (chip)
        take_chip(yaml, chip, card);
    if (flash)
        take_flash(yaml, flash, reader);
    yaml_text_each(yaml, root, take_member, reader);
    require(yaml, yaml_text_find(yaml, root, "card") != NULL,
            "the card has no name: 'card: NAME' says it");
    require(yaml, chip != NULL, "'chip: NAME' says for which chip it is");
    require(yaml, flash != NULL, "'flash: SIZE' says for which sizes of flash it is");
    require(yaml, card->rows != CARD_ROWS_NEXT || card->table_at.line > 0,
            "'boards' names no file");
    return yaml->mistakes->len == 0;
}

bool card_is_one(const char *path)
{
    return yaml_text_has_key(path, "card");
}

static bool take_digest(struct card *card, GError **error)
{
    struct wry_sha256 sha256;
    size_t n = 0;
    g_autofree char *text = wry_text_file_read(card->path, WRY_TEXT_FILE_YAML, &n, error);

    if (!text)
        return false;
    wry_sha256_begin(&sha256);
    wry_sha256_add(&sha256, (const uint8_t *)text, n);
    wry_sha256_end(&sha256, card->sha256);
    return true;
}

struct card *card_load(const char *path, const struct card_files *files, GPtrArray *mistakes,
                       GError **error)
{
    struct card *card = g_new0(struct card, 1);
    struct card_reader reader = {.card = card, .files = files};

    card->path = g_strdup(path);
    card->folder = g_path_get_dirname(path);
    card->version = g_strdup("");
    card->flash_sizes = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    card->holds = card_values_new();
    card->values = card_values_new();
    card->placements = card_reader_placements();
    card->steps = steps_file_new();
    card->files = card_reader_files();
    if (take_digest(card, error) &&
        (yaml_text_check(path, "a card", read_root, &reader, mistakes, error) || mistakes->len > 0))
        return card;
    card_free(card);
    return NULL;
}
