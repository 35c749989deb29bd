/* Chip files. */
#include "chips/chip_file.h"

#include <string.h>

#include "base/yaml_members.h"
#include "chips/chip_check.h"
#include "chips/kept_chips.h"
#include "wrytograph-host/units.h"
#include "wrytograph/flash.h"

enum {
    USUAL_SPEED = 115200,
    ANY_LINES = 4,
    ANY_CLOCK = UINT8_MAX,
};

struct reader {
    struct wry_chip chip;
    char *texts[5]; /* see enum text_of: what chip's members point to */
    GArray *usual;  /* struct wry_usual_region, with names to free */
};

enum text_of {
    NAME,
    TITLE,
    STRAP,
    LOADING,
    NOTHING,
};

#define TEXT(which) (offsetof(struct reader, texts) + (which) * sizeof(char *))
#define IN_CHIP(member) offsetof(struct reader, chip.member)

static const char *const instruction_sets[] = {
    [WRY_INSTRUCTIONS_UNKNOWN] = "unknown", [WRY_INSTRUCTIONS_RISCV] = "riscv",
    [WRY_INSTRUCTIONS_THUMB] = "thumb",     [WRY_INSTRUCTIONS_ARM] = "arm",
    [WRY_INSTRUCTIONS_ARM64] = "arm64",     NULL,
};
static const char *const header_rules[] = {"none", "required", NULL};

/* One line of text in place of what was there. */
static gboolean take_text(struct yaml_text *yaml, const struct yaml_field *field)
{
    char **text = (char **)(void *)((char *)field->target + field->member->at);

    g_clear_pointer(text, g_free);
    return yaml_take_line(yaml, field);
}

static gboolean take_code(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *text = yaml_text_of(field->value);
    bool hexadecimal = g_str_has_prefix(text, "0x");
    guint64 code = 0;

    if (!g_ascii_string_to_unsigned(hexadecimal ? text + 2 : text, hexadecimal ? 16 : 10, 1,
                                    UINT16_MAX - 1, &code, NULL))
        return yaml_field_complain(yaml, field,
                                   "'code' is a number from 0x0001 to 0xFFFE, not '%s'", text);
    ((struct reader *)field->target)->chip.code = (uint16_t)code;
    return TRUE;
}

static gboolean take_word(struct yaml_text *yaml, const struct yaml_field *field, unsigned *which)
{
    return yaml_take_choice(yaml,
                            &(struct yaml_field){field->member, field->key, field->value, which});
}

static gboolean take_instructions(struct yaml_text *yaml, const struct yaml_field *field)
{
    unsigned which = 0;

    if (!take_word(yaml, field, &which))
        return FALSE;
    ((struct reader *)field->target)->chip.instructions = (uint8_t)which;
    return TRUE;
}

static gboolean take_header(struct yaml_text *yaml, const struct yaml_field *field)
{
    unsigned which = 0;

    if (!take_word(yaml, field, &which))
        return FALSE;
    ((struct reader *)field->target)->chip.wants_header = which == 1;
    return TRUE;
}

static gboolean take_size(struct yaml_text *yaml, const struct yaml_field *field)
{
    const char *text = yaml_text_of(field->value);

    return wry_units_parse_size(text,
                                (uint32_t *)(void *)((char *)field->target + field->member->at)) ||
           yaml_field_complain(yaml, field, "'%s' is not a flash size: write it as 4MiB or 32Mbit",
                               text);
}

/* Regions */

struct region_reader {
    struct wry_usual_region region;
    char *name;
    bool starts, ends;
};

/* "0x4000", "middle", "middle + 64K", "end", "end - 64K" */
static bool parse_bound(const char *text, struct wry_usual_bound *bound)
{
    static const struct {
        const char *word;
        char sign;
        enum wry_usual_from from;
    } words[] = {{"middle", '+', WRY_USUAL_MIDDLE}, {"end", '-', WRY_USUAL_END}};

    for (size_t i = 0; i < G_N_ELEMENTS(words); i++) {
        if (!g_str_has_prefix(text, words[i].word))
            continue;
        g_autofree char *rest = g_strstrip(g_strdup(text + strlen(words[i].word)));
        *bound = (struct wry_usual_bound){.from = words[i].from};
        return rest[0] == '\0' || (rest[0] == words[i].sign &&
                                   wry_units_parse_offset(g_strchug(rest + 1), &bound->value));
    }
    *bound = (struct wry_usual_bound){.from = WRY_USUAL_START};
    return wry_units_parse_offset(text, &bound->value);
}

static gboolean take_bound(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct region_reader *reader = field->target;
    bool from = strcmp(field->member->name, "from") == 0;
    const char *text = yaml_text_of(field->value);
    struct wry_usual_bound bound;

    if (!parse_bound(text, &bound) || bound.value > WRY_FLASH_MAX)
        return yaml_field_complain(yaml, field,
                                   "'%s' is not a place: write it as 0x40000, middle, middle + "
                                   "64K, end or end - 64K",
                                   text);
    *(from ? &reader->region.start : &reader->region.end) = bound;
    *(from ? &reader->starts : &reader->ends) = true;
    return TRUE;
}

static gboolean take_kind(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct region_reader *reader = field->target;

    reader->region.kind = wry_region_kind_by_name(yaml_text_of(field->value));
    return reader->region.kind != 0 ||
           yaml_field_complain(yaml, field,
                               "'%s' is not a kind: start, table, app, settings or files",
                               yaml_text_of(field->value));
}

static const struct yaml_member region_rows[] = {
    {"name", yaml_take_line, offsetof(struct region_reader, name), NULL},
    {"kind", take_kind, 0, NULL},
    {"from", take_bound, 0, NULL},
    {"to", take_bound, 0, NULL},
};
static const struct yaml_members region_members = {"a region", region_rows,
                                                   G_N_ELEMENTS(region_rows), NULL};

static gboolean take_region(struct yaml_text *yaml, const yaml_node_t *node, void *context)
{
    struct region_reader reader = {.region = {.kind = WRY_REGION_FILES}};
    GArray *usual = context;

    if (node->type != YAML_MAPPING_NODE)
        return yaml_text_complain(yaml, yaml_text_place(node),
                                  "a region is written {name: …, kind: …, from: …, to: …}");
    gboolean taken = yaml_members_read(yaml, node, &region_members, &reader);
    if (taken && (!reader.name || !reader.starts || !reader.ends))
        taken = yaml_text_complain(yaml, yaml_text_place(node), "a region needs name, from and to");
    reader.region.name = reader.name;
    if (taken)
        g_array_append_val(usual, reader.region);
    else
        g_free(reader.name);
    return taken;
}

static gboolean take_regions(struct yaml_text *yaml, const struct yaml_field *field)
{
    return field->value->type == YAML_SEQUENCE_NODE
               ? yaml_text_items(yaml, field->value, take_region,
                                 ((struct reader *)field->target)->usual)
               : yaml_field_complain(yaml, field, "'regions' is a list");
}

/* The file */

static const struct yaml_range counts = {1, UINT8_MAX, sizeof(uint8_t)};
static const struct yaml_range line_counts = {1, 4, sizeof(uint8_t)};

static const struct yaml_member flash_rows[] = {
    {"least", take_size, IN_CHIP(flash_min), NULL},
    {"most", take_size, IN_CHIP(flash_max), NULL},
};
static const struct yaml_member says_rows[] = {
    {"loading", take_text, TEXT(LOADING), NULL},
    {"nothing", take_text, TEXT(NOTHING), NULL},
};
static const struct yaml_member speed_rows[] = {
    {"boot", yaml_take_speed, IN_CHIP(boot_speed), NULL},
    {"run", yaml_take_speed, IN_CHIP(run_speed), NULL},
    {"top", yaml_take_speed, IN_CHIP(top_speed), NULL},
};
static const struct yaml_member read_rows[] = {
    {"lines", yaml_take_number, IN_CHIP(read_lines_most), &line_counts},
    {"clock", yaml_take_number, IN_CHIP(read_clock_most), &counts},
};
#define MEMBERS(what, rows)                                                                        \
    {                                                                                              \
        what, rows, G_N_ELEMENTS(rows), NULL                                                       \
    }
static const struct yaml_members flash_members = MEMBERS("'flash'", flash_rows);
static const struct yaml_members says_members = MEMBERS("'says'", says_rows);
static const struct yaml_members speed_members = MEMBERS("'speeds'", speed_rows);
static const struct yaml_members read_members = MEMBERS("'read'", read_rows);
static const struct yaml_shape flash_shape = {"{least: 1MiB, most: 8MiB}", &flash_members};
static const struct yaml_shape says_shape = {"{loading: TEXT, nothing: TEXT}", &says_members};
static const struct yaml_shape speed_shape = {"{boot: 115200, run: 115200, top: 921600}",
                                              &speed_members};
static const struct yaml_shape read_shape = {"{lines: 4, clock: 80}", &read_members};

static const struct yaml_member rows[] = {
    {"chip", take_text, TEXT(NAME), NULL},
    {"title", take_text, TEXT(TITLE), NULL},
    {"code", take_code, 0, NULL},
    {"cores", yaml_take_number, IN_CHIP(cores), &counts},
    {"instructions", take_instructions, 0, instruction_sets},
    {"flash", yaml_take_mapping, 0, &flash_shape},
    {"start", yaml_take_offset, IN_CHIP(start_offset), NULL},
    {"table", yaml_take_offset, IN_CHIP(table_offset), NULL},
    {"apps", yaml_take_offset, IN_CHIP(app_offset), NULL},
    {"header", take_header, 0, header_rules},
    {"strap", take_text, TEXT(STRAP), NULL},
    {"says", yaml_take_mapping, 0, &says_shape},
    {"speeds", yaml_take_mapping, 0, &speed_shape},
    {"read", yaml_take_mapping, 0, &read_shape},
    {"regions", take_regions, 0, NULL},
};
static const struct yaml_members members = MEMBERS("a chip", rows);

static gboolean has_all(struct yaml_text *yaml, const yaml_node_t *root)
{
    static const char *const needed[] = {"chip",  "title",  "code", "flash",
                                         "start", "header", "strap"};

    for (size_t i = 0; i < G_N_ELEMENTS(needed); i++) {
        if (!yaml_text_find(yaml, root, needed[i]))
            return yaml_text_complain(yaml, YAML_TEXT_START, "a chip needs '%s'", needed[i]);
    }
    return TRUE;
}

/* The member that chip_check finds wrong, at its place in the file. */
static gboolean check(struct yaml_text *yaml, const yaml_node_t *root, const struct wry_chip *chip)
{
    static const char *const names[] = {[CHIP_CODE] = "code",
                                        [CHIP_NAME] = "chip",
                                        [CHIP_TITLE] = "title",
                                        [CHIP_STRAP] = "strap",
                                        [CHIP_SAYS] = "says",
                                        [CHIP_CORES] = "cores",
                                        [CHIP_INSTRUCTIONS] = "instructions",
                                        [CHIP_SPEEDS] = "speeds",
                                        [CHIP_FLASH] = "flash",
                                        [CHIP_START] = "start",
                                        [CHIP_TABLE] = "table",
                                        [CHIP_APPS] = "apps",
                                        [CHIP_READ] = "read",
                                        [CHIP_REGIONS] = "regions"};
    g_autofree char *wrong = NULL;
    enum chip_fault fault = chip_check(chip, &wrong);

    if (fault == CHIP_FINE)
        return TRUE;
    const yaml_node_t *at = yaml_text_find(yaml, root, names[fault]);
    return yaml_text_complain(yaml, at ? yaml_text_place(at) : YAML_TEXT_START, "%s", wrong);
}

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct reader *reader = context;
    struct wry_chip *chip = &reader->chip;

    if (!yaml_members_read(yaml, root, &members, reader) || !has_all(yaml, root))
        return FALSE;
    if (!yaml_text_find(yaml, root, "apps"))
        chip->app_offset = chip->start_offset;
    chip->name = reader->texts[NAME];
    chip->title = reader->texts[TITLE];
    chip->strap = reader->texts[STRAP];
    chip->says_loading = reader->texts[LOADING];
    chip->says_nothing = reader->texts[NOTHING];
    chip->usual = (const struct wry_usual_region *)(const void *)reader->usual->data;
    chip->usual_count = reader->usual->len;
    return check(yaml, root, chip);
}

static void clear_reader(struct reader *reader)
{
    for (guint i = 0; i < reader->usual->len; i++)
        g_free((char *)g_array_index(reader->usual, struct wry_usual_region, i).name);
    g_array_free(reader->usual, TRUE);
    for (size_t i = 0; i < G_N_ELEMENTS(reader->texts); i++)
        g_free(reader->texts[i]);
}

const struct wry_chip *chip_file_load(const char *path, GError **error)
{
    struct reader reader = {.chip = {.cores = 1,
                                     .table_offset = WRY_NO_OFFSET,
                                     .read_lines_most = ANY_LINES,
                                     .read_clock_most = ANY_CLOCK,
                                     .boot_speed = USUAL_SPEED,
                                     .run_speed = USUAL_SPEED,
                                     .top_speed = USUAL_SPEED},
                            .usual = g_array_new(FALSE, FALSE, sizeof(struct wry_usual_region))};
    const struct wry_chip *chip = NULL;

    if (yaml_text_load(path, "a chip", read_root, &reader, error))
        chip = kept_chip(&reader.chip);
    clear_reader(&reader);
    return chip;
}

bool chip_file_is_one(const char *path)
{
    return yaml_text_has_key(path, "code");
}

/* Writing */

static void add_quoted(GString *text, const char *name, const char *value)
{
    g_autoptr(GString) inside = g_string_new(value);

    g_string_replace(inside, "'", "''", 0);
    if (value)
        g_string_append_printf(text, "%s: '%s'", name, inside->str);
}

static void add_bound(GString *text, const char *name, const struct wry_usual_bound *bound)
{
    bool counted = bound->from != WRY_USUAL_START, middle = bound->from == WRY_USUAL_MIDDLE;

    g_string_append_printf(text, ", %s: ", name);
    if (counted)
        g_string_append(text, middle ? "middle" : "end");
    if (counted && bound->value > 0)
        g_string_append(text, middle ? " + " : " - ");
    if (!counted || bound->value > 0)
        g_string_append_printf(text, "0x%X", (unsigned)bound->value);
}

static void add_says(GString *text, const struct wry_chip *chip)
{
    if (!chip->says_loading && !chip->says_nothing)
        return;
    g_string_append(text, "says: {");
    add_quoted(text, "loading", chip->says_loading);
    if (chip->says_loading && chip->says_nothing)
        g_string_append(text, ", ");
    add_quoted(text, "nothing", chip->says_nothing);
    g_string_append(text, "}\n");
}

static void add_regions(GString *text, const struct wry_chip *chip)
{
    if (chip->usual_count > 0)
        g_string_append(text, "regions:\n");
    for (size_t i = 0; i < chip->usual_count; i++) {
        const struct wry_usual_region *region = &chip->usual[i];
        g_string_append_printf(text, "  - {name: %s, kind: %s", region->name,
                               wry_region_kind_name(region->kind));
        add_bound(text, "from", &region->start);
        add_bound(text, "to", &region->end);
        g_string_append(text, "}\n");
    }
}

char *chip_file_text(const struct wry_chip *chip)
{
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "chip: %s\n", chip->name);
    add_quoted(text, "title", chip->title);
    g_string_append_printf(text, "\ncode: 0x%04X\ncores: %u\ninstructions: %s\n", chip->code,
                           chip->cores, instruction_sets[chip->instructions]);
    g_string_append_printf(text, "flash: {least: 0x%X, most: 0x%X}\nstart: 0x%X\n",
                           (unsigned)chip->flash_min, (unsigned)chip->flash_max,
                           (unsigned)chip->start_offset);
    if (chip->table_offset != WRY_NO_OFFSET)
        g_string_append_printf(text, "table: 0x%X\n", (unsigned)chip->table_offset);
    g_string_append_printf(text, "apps: 0x%X\nheader: %s\n", (unsigned)chip->app_offset,
                           header_rules[chip->wants_header]);
    add_quoted(text, "strap", chip->strap);
    g_string_append_c(text, '\n');
    add_says(text, chip);
    g_string_append_printf(text,
                           "speeds: {boot: %u, run: %u, top: %u}\nread: {lines: %u, clock: %u}\n",
                           (unsigned)chip->boot_speed, (unsigned)chip->run_speed,
                           (unsigned)chip->top_speed, chip->read_lines_most, chip->read_clock_most);
    add_regions(text, chip);
    return g_string_free(text, FALSE);
}
