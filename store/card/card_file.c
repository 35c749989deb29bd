/* Card files. */
#include "store/card/card_reader.h"

#include <string.h>

#include "base/digest.h"
#include "chips/chips.h"
#include "store/image/settings_description.h"
#include "store/image/steps_file.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph-host/units.h"

enum {
    TIMES_MOST = 1000,
    COUNT_MOST = 1000000,
};

/* chip, flash */

static gboolean add_flash(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    struct card *card = context;
    uint32_t bytes = 0;

    if (!card_reader_flash_size(yaml, item, &bytes))
        return FALSE;
    if (card_is_for_flash(card, bytes))
        return yaml_text_complain(yaml, yaml_text_place(item), "'%s' is given already",
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

static gboolean take_chip_file(struct yaml_text *yaml, const yaml_node_t *value, struct card *card)
{
    g_autoptr(GError) inner = NULL;

    if (!card_reader_file(yaml, card->reader, value, &card->chip_file))
        return FALSE;
    return chips_load(card->chip_file, CHIP_OF_CARD, &inner) ||
           yaml_text_complain(yaml, yaml_text_place(value), "%s", inner->message);
}

static gboolean take_chip(struct yaml_text *yaml, const yaml_node_t *value, struct card *card)
{
    card->chip = wry_chips_by_name(yaml_text_of(value));
    if (card->chip)
        return TRUE;
    g_autofree char *known = wry_chips_names();
    return yaml_text_complain(yaml, yaml_text_place(value),
                              "there is no chip '%s'; chips are %s, and those of a 'chip-file'",
                              yaml_text_of(value), known);
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
    struct card *card = context;
    g_autofree char *text = NULL;

    if (!card_reader_line(yaml, key, value, &text))
        return FALSE;
    add_value(card->holds, yaml_text_of(key), NULL, text, yaml_text_place(key));
    return TRUE;
}

static gboolean take_holds(struct yaml_text *yaml, const struct yaml_field *field)
{
    return card_reader_is_mapping(yaml, field->value, "{REGION: NAME OF A PROGRAM}") &&
           yaml_text_each(yaml, field->value, take_hold, field->target);
}

static const struct yaml_range revisions = {0, UINT8_MAX, sizeof(uint8_t)};
static const struct yaml_member expect_rows[] = {
    {"revision", yaml_take_number, offsetof(struct card, revision), &revisions},
    {"holds", take_holds, 0, NULL},
};
static const struct yaml_members expect_members = {"'expect'", expect_rows,
                                                   G_N_ELEMENTS(expect_rows), NULL};

/* backup, erase */

static gboolean take_backup_folder(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;
    const struct card_files *files = card->reader->files;
    const char *text = yaml_text_of(field->value);

    if (text[0] == '\0')
        return yaml_field_complain(yaml, field, "a folder is named here");
    g_free(card->backup_folder);
    card->backup_folder = g_path_is_absolute(text)
                              ? g_strdup(text)
                              : g_build_filename(files ? files->beside : card->folder, text, NULL);
    return TRUE;
}

static const char *const backup_choices[] = {"first", "always", "never", NULL};
static const struct yaml_member backup_rows[] = {
    {"when", yaml_take_choice, offsetof(struct card, backup), backup_choices},
    {"folder", take_backup_folder, 0, NULL},
};
static const struct yaml_members backup_members = {"'backup'", backup_rows,
                                                   G_N_ELEMENTS(backup_rows), NULL};

static gboolean take_part(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    GPtrArray *parts = context;

    if (yaml_text_of(item)[0] == '\0')
        return yaml_text_complain(yaml, yaml_text_place(item),
                                  "a region, OFFSET+LENGTH or all is named here");
    g_ptr_array_add(parts, g_strdup(yaml_text_of(item)));
    return TRUE;
}

static gboolean take_erase(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;
    const yaml_node_t *value = field->value;
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
                           struct card *card, bool is_new)
{
    const char *name = yaml_text_of(key), *slash = strchr(name, '/');
    g_autofree char *region = slash ? g_strndup(name, (gsize)(slash - name)) : NULL;

    if (value->type != YAML_SCALAR_NODE)
        return yaml_text_complain(yaml, yaml_text_place(value), "'%s': a setting is one value",
                                  name);
    add_value(card->values, region, slash ? slash + 1 : name, yaml_text_of(value),
              yaml_text_place(key));
    struct card_value *added = g_ptr_array_index(card->values, card->values->len - 1);
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

static gboolean take_values(struct yaml_text *yaml, const struct yaml_field *field)
{
    bool is_new = strcmp(field->member->name, "set-new") == 0;

    return card_reader_is_mapping(yaml, field->value, "{KEY: VALUE}") &&
           yaml_text_each(yaml, field->value, is_new ? take_new_setting : take_setting,
                          field->target);
}

static gboolean take_column(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    if (item->type != YAML_SCALAR_NODE || yaml_text_of(item)[0] == '\0')
        return yaml_text_complain(yaml, yaml_text_place(item), "a column is named here");
    g_ptr_array_add(context, g_strdup(yaml_text_of(item)));
    return TRUE;
}

/* One column, or a list of them. */
static gboolean take_columns(struct yaml_text *yaml, const struct yaml_field *field)
{
    char ***columns = (char ***)(void *)((char *)field->target + field->member->at);
    GPtrArray *names = g_ptr_array_new();
    gboolean taken = field->value->type == YAML_SEQUENCE_NODE
                         ? yaml_text_items(yaml, field->value, take_column, names)
                         : take_column(yaml, field->value, names);

    g_ptr_array_add(names, NULL);
    g_strfreev(*columns);
    *columns = (char **)g_ptr_array_free(names, FALSE);
    return taken;
}

static gboolean take_table_file(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;

    card->table_at = yaml_text_place(field->value);
    return card_reader_file(yaml, card->reader, field->value, &card->table);
}

static gboolean take_row(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;

    /* For neither, a missing address column is not another mistake. */
    card->rows = CARD_ROWS_NEXT;
    if (!yaml_take_choice(yaml, field))
        return FALSE;
    card->server_only = card->rows == CARD_ROWS_BY_SERVER;
    if (card->server_only)
        card->rows = CARD_ROWS_NEXT;
    return TRUE;
}

static const char *const row_choices[] = {"by-address", "next", "by-server", NULL};
static const struct yaml_member boards_rows[] = {
    {"file", take_table_file, 0, NULL},
    {"row", take_row, offsetof(struct card, rows), row_choices},
    {"new", take_columns, offsetof(struct card, new_columns), NULL},
    {"name", take_columns, offsetof(struct card, name_columns), NULL},
};
static const struct yaml_members boards_members = {"'boards'", boards_rows,
                                                   G_N_ELEMENTS(boards_rows), NULL};

static gboolean take_lines(struct yaml_text *yaml, const struct yaml_field *field)
{
    const struct card *card = field->target;

    return yaml_take_number(yaml, field) &&
           (card->read_lines != 3 || yaml_field_complain(yaml, field, "'lines' is 1, 2 or 4"));
}

static const struct yaml_range line_counts = {1, 4, sizeof(uint8_t)};
static const struct yaml_range clocks = {1, UINT8_MAX, sizeof(uint8_t)};
static const struct yaml_member read_rows[] = {
    {"lines", take_lines, offsetof(struct card, read_lines), &line_counts},
    {"clock", yaml_take_number, offsetof(struct card, read_clock), &clocks},
};
static const struct yaml_members read_members = {"'read'", read_rows, G_N_ELEMENTS(read_rows),
                                                 NULL};

/* start */

static gboolean find_file(struct yaml_text *yaml, const yaml_node_t *value, char **path,
                          const void *context)
{
    return card_reader_file(yaml, context, value, path);
}

static gboolean take_steps(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;
    struct steps_files files = {.find = find_file, .context = card->reader, .for_many = true};
    g_autoptr(GError) inner = NULL;
    g_autofree char *path = NULL;

    card->is_heard = true;
    if (field->value->type != YAML_SCALAR_NODE)
        return steps_file_take(yaml, field->value, &files, card->steps);
    if (!card_reader_file(yaml, card->reader, field->value, &path))
        return FALSE;
    GPtrArray *loaded = wry_console_steps_load(path, &inner);
    if (!loaded)
        return yaml_field_complain(yaml, field, "%s", inner->message);
    g_ptr_array_unref(card->steps);
    card->steps = loaded;
    return !steps_file_transfers(loaded) ||
           yaml_field_complain(yaml, field,
                               "%s transfers a file: write its steps into the card, so that a kit "
                               "takes the file along",
                               yaml_text_of(field->value));
}

static gboolean take_line_end(struct yaml_text *yaml, const struct yaml_field *field)
{
    static const char *const bytes[] = {"\r\n", "\n", "\r"};
    struct card *card = field->target;
    unsigned which = 0;

    if (!yaml_take_choice(yaml,
                          &(struct yaml_field){field->member, field->key, field->value, &which}))
        return FALSE;
    card->line_end = g_strdup(bytes[which]);
    return TRUE;
}

static const char *const line_ends[] = {"crlf", "lf", "cr", NULL};
static const struct yaml_member start_rows[] = {
    {"steps", take_steps, 0, NULL},
    {"within", yaml_take_time, offsetof(struct card, within), NULL},
    {"speed", yaml_take_speed, offsetof(struct card, run_speed), NULL},
    {"line-end", take_line_end, 0, line_ends},
};
static const struct yaml_members start_members = {"'start'", start_rows, G_N_ELEMENTS(start_rows),
                                                  NULL};

/* The whole card. */

static gboolean take_writes(struct yaml_text *yaml, const struct yaml_field *field)
{
    return field->value->type == YAML_SEQUENCE_NODE
               ? yaml_text_items(yaml, field->value, card_reader_placement, field->target)
               : yaml_field_complain(yaml, field, "'write' is a list of {region: …, file: …}");
}

static gboolean take_flash(struct yaml_text *yaml, const yaml_node_t *value, struct card *card)
{
    return value->type == YAML_SEQUENCE_NODE ? yaml_text_items(yaml, value, add_flash, card)
                                             : add_flash(yaml, value, card);
}

static gboolean take_name(struct yaml_text *yaml, const struct yaml_field *field)
{
    return card_reader_line(yaml, field->key, field->value,
                            (char **)(void *)((char *)field->target + field->member->at));
}

static gboolean take_layout(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;

    return card_reader_file(yaml, card->reader, field->value, &card->layout);
}

/* It is read at once, so that its mistakes are the card's. */
static gboolean take_description(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;
    g_autoptr(GError) inner = NULL;

    if (!card_reader_file(yaml, card->reader, field->value, &card->settings_description))
        return FALSE;
    struct settings_description *description =
        settings_description_load(card->settings_description, &inner);
    settings_description_free(description);
    return description || yaml_field_complain(yaml, field, "%s", inner->message);
}

static gboolean take_times(struct yaml_text *yaml, const struct yaml_field *field)
{
    return strcmp(yaml_text_of(field->value), "any") == 0 || yaml_take_number(yaml, field);
}

static gboolean take_count(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct card *card = field->target;

    card->count_at = yaml_text_place(field->key);
    return yaml_take_number(yaml, field);
}

static const struct yaml_range counts = {1, COUNT_MOST, sizeof(uint32_t)};
static const struct yaml_range times = {1, TIMES_MOST, sizeof(uint32_t)};
static const struct yaml_shape expect_shape = {"{revision: …, holds: …}", &expect_members};
static const struct yaml_shape backup_shape = {"{when: first}", &backup_members};
static const struct yaml_shape boards_shape = {"{file: …, row: …}", &boards_members};
static const struct yaml_shape read_shape = {"{lines: …, clock: …}", &read_members};
static const struct yaml_shape start_shape = {"{steps: …}", &start_members};

/* chip-file, chip and flash are read first, whatever their position: the rest is checked against
 * them. */
static const struct yaml_member rows[] = {
    {"card", take_name, offsetof(struct card, name), NULL},
    {"version", take_name, offsetof(struct card, version), NULL},
    {"chip-file", yaml_take_elsewhere, 0, NULL},
    {"chip", yaml_take_elsewhere, 0, NULL},
    {"flash", yaml_take_elsewhere, 0, NULL},
    {"layout", take_layout, 0, NULL},
    {"settings-description", take_description, 0, NULL},
    {"expect", yaml_take_mapping, 0, &expect_shape},
    {"backup", yaml_take_mapping, 0, &backup_shape},
    {"erase", take_erase, 0, NULL},
    {"write", take_writes, 0, NULL},
    {"set", take_values, 0, NULL},
    {"set-new", take_values, 0, NULL},
    {"boards", yaml_take_mapping, 0, &boards_shape},
    {"count", take_count, offsetof(struct card, count), &counts},
    {"read", yaml_take_mapping, 0, &read_shape},
    {"start", yaml_take_mapping, 0, &start_shape},
    {"times", take_times, offsetof(struct card, times), &times},
};
static const struct yaml_members members = {"a card", rows, G_N_ELEMENTS(rows), NULL};

static gboolean require(struct yaml_text *yaml, bool there, const char *what)
{
    return there || yaml_text_complain(yaml, YAML_TEXT_START, "%s", what);
}

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct card *card = context;

    const yaml_node_t *chip_file = yaml_text_find(yaml, root, "chip-file");
    const yaml_node_t *chip = yaml_text_find(yaml, root, "chip");
    const yaml_node_t *flash = yaml_text_find(yaml, root, "flash");

    if (chip && (!chip_file || take_chip_file(yaml, chip_file, card)))
        take_chip(yaml, chip, card);
    if (flash)
        take_flash(yaml, flash, card);
    yaml_members_read(yaml, root, &members, card);
    require(yaml, yaml_text_find(yaml, root, "card") != NULL,
            "the card has no name: add 'card: NAME'");
    require(yaml, chip != NULL, "the card has no chip: add 'chip: NAME'");
    require(yaml, flash != NULL, "the card has no flash size: add 'flash: SIZE'");
    require(yaml, card->rows != CARD_ROWS_NEXT || card->table_at.line > 0,
            "'boards' names no file");
    if (card->count > 0 && card->table_at.line > 0)
        yaml_text_complain(yaml, card->count_at,
                           "'count', and 'boards': the table has a row for each board");
    return yaml->mistakes->len == 0;
}

bool card_is_one(const char *path)
{
    return yaml_text_has_key(path, "card");
}

static bool take_digest(struct card *card, GError **error)
{
    size_t n = 0;
    g_autofree char *text = wry_text_file_read(card->path, WRY_TEXT_FILE_YAML, &n, error);

    if (!text)
        return false;
    digest_of(text, n, card->sha256);
    return true;
}

struct card *card_load(const char *path, const struct card_files *files, GPtrArray *mistakes,
                       GError **error)
{
    struct card *card = g_new0(struct card, 1);
    struct card_reader reader = {.card = card, .files = files};
    bool loaded;

    card->path = g_strdup(path);
    card->folder = g_path_get_dirname(path);
    card->version = g_strdup("");
    card->flash_sizes = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    card->holds = card_values_new();
    card->values = card_values_new();
    card->placements = card_reader_placements();
    card->steps = steps_file_new();
    card->files = card_reader_files();
    card->reader = &reader;
    loaded =
        take_digest(card, error) &&
        (yaml_text_check(path, "a card", read_root, card, mistakes, error) || mistakes->len > 0);
    card->reader = NULL;
    if (loaded)
        return card;
    card_free(card);
    return NULL;
}
