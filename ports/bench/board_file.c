/* board.yaml. */
#include "board_file.h"

#include <string.h>

#include "base/yaml_members.h"
#include "chips/chip_file.h"
#include "wrytograph-host/units.h"

static const struct yaml_range octet = {0, UINT8_MAX, sizeof(uint8_t)};
static const struct yaml_range word = {0, UINT32_MAX, sizeof(uint32_t)};
static const struct yaml_range large = {0, UINT64_MAX, sizeof(uint64_t)};

static const struct yaml_member fault_rows[] = {
    {"strap_released", yaml_take_bool, offsetof(struct sim_board_faults, strap_released), NULL},
    {"unpowered", yaml_take_bool, offsetof(struct sim_board_faults, unpowered), NULL},
    {"no_ground", yaml_take_bool, offsetof(struct sim_board_faults, no_ground), NULL},
    {"swapped", yaml_take_bool, offsetof(struct sim_board_faults, swapped), NULL},
    {"echo", yaml_take_bool, offsetof(struct sim_board_faults, echo), NULL},
    {"brown_out", yaml_take_bool, offsetof(struct sim_board_faults, brown_out), NULL},
    {"loader_baud", yaml_take_number, offsetof(struct sim_board_faults, loader_baud), &word},
    {"console_baud", yaml_take_number, offsetof(struct sim_board_faults, console_baud), &word},
    {"line_end", yaml_take_number, offsetof(struct sim_board_faults, line_end), &octet},
    {"tx_open", yaml_take_bool, offsetof(struct sim_board_faults, tx_open), NULL},
    {"rx_open", yaml_take_bool, offsetof(struct sim_board_faults, rx_open), NULL},
    {"strap_stuck", yaml_take_bool, offsetof(struct sim_board_faults, strap_stuck), NULL},
    {"console_echo", yaml_take_bool, offsetof(struct sim_board_faults, console_echo), NULL},
    {"noise_ppb", yaml_take_number, offsetof(struct sim_board_faults, noise_ppb), &word},
    {"noise_above", yaml_take_number, offsetof(struct sim_board_faults, noise_above), &word},
    {"lost_ppb", yaml_take_number, offsetof(struct sim_board_faults, lost_ppb), &word},
    {"latency_ms", yaml_take_number, offsetof(struct sim_board_faults, latency_ms), &word},
    {"clean_baud", yaml_take_number, offsetof(struct sim_board_faults, clean_baud), &word},
    {"protect", yaml_take_number, offsetof(struct sim_board_faults, protect), &octet},
    {"claims", yaml_take_number, offsetof(struct sim_board_faults, claims), &word},
    {"power_cut", yaml_take_number, offsetof(struct sim_board_faults, power_cut), &large},
    {"clean_in", yaml_take_number, offsetof(struct sim_board_faults, clean_in), &word},
    {"clean_out", yaml_take_number, offsetof(struct sim_board_faults, clean_out), &word},
    {"off_permille", yaml_take_number, offsetof(struct sim_board_faults, off_permille), &word},
    {"line_delay_ms", yaml_take_number, offsetof(struct sim_board_faults, line_delay_ms), &word},
    {"erase_least", yaml_take_number, offsetof(struct sim_board_faults, erase_least), &word},
    {"busy_ms", yaml_take_number, offsetof(struct sim_board_faults, busy_ms), &word},
    {"unplugged", yaml_take_number, offsetof(struct sim_board_faults, unplugged), &large},
    {"sounder_missing", yaml_take_bool, offsetof(struct sim_board_faults, sounder.missing), NULL},
    {"sounder_refuses", yaml_take_bool, offsetof(struct sim_board_faults, sounder.refuses), NULL},
    {"sounder_sum_only", yaml_take_bool, offsetof(struct sim_board_faults, sounder.sum_only), NULL},
    {"sounder_dies", yaml_take_number, offsetof(struct sim_board_faults, sounder.dies), &large},
    {"cable_cut", yaml_take_number, offsetof(struct sim_board_faults, cable_cut), &large},
};
static const struct yaml_members fault_members = {"'faults'", fault_rows, G_N_ELEMENTS(fault_rows),
                                                  NULL};

static gboolean take_chip(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct bench_description *description = field->target;

    /* A board of a chip that is not built in has the chip's file beside it. */
    if (description->chip && strcmp(description->chip->name, yaml_text_of(field->value)) == 0)
        return TRUE;
    description->chip = wry_chip_by_name(yaml_text_of(field->value));
    return description->chip ||
           yaml_field_complain(yaml, field, "there is no chip '%s'", yaml_text_of(field->value));
}

static gboolean take_address(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct bench_description *description = field->target;
    const char *text = yaml_text_of(field->value);

    return wry_units_parse_address(text, description->eui48) ||
           yaml_field_complain(yaml, field, "'%s' is not an address of a board", text);
}

static gboolean take_wiring(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct bench_description *description = field->target;

    description->wiring = wry_wiring_by_name(yaml_text_of(field->value));
    return description->wiring ||
           yaml_field_complain(yaml, field, "there is no wiring '%s'", yaml_text_of(field->value));
}

static gboolean take_faults(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct sim_board_faults *faults = &((struct bench_description *)field->target)->faults;

    if (field->value->type != YAML_MAPPING_NODE)
        return yaml_field_complain(yaml, field, "'faults' holds lines of NAME: VALUE");
    return yaml_members_read(yaml, field->value, &fault_members, faults) &&
           (faults->line_end <= SIM_LINE_END_CR ||
            yaml_field_complain(yaml, field, "'line_end' is a number from 0 to %d",
                                SIM_LINE_END_CR));
}

static const struct yaml_member rows[] = {
    {"chip", take_chip, 0, NULL},
    {"revision", yaml_take_number, offsetof(struct bench_description, revision), &octet},
    {"address", take_address, 0, NULL},
    {"flash_bytes", yaml_take_number, offsetof(struct bench_description, flash_size), &word},
    {"wiring", take_wiring, 0, NULL},
    {"faults", take_faults, 0, NULL},
};
static const struct yaml_members members = {"a board", rows, G_N_ELEMENTS(rows), NULL};

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    static const char *const needed[] = {"chip", "revision", "address", "flash_bytes"};

    if (!yaml_members_read(yaml, root, &members, context))
        return FALSE;
    for (size_t i = 0; i < G_N_ELEMENTS(needed); i++) {
        if (!yaml_text_find(yaml, root, needed[i]))
            return yaml_text_complain(yaml, YAML_TEXT_START, "a board needs '%s'", needed[i]);
    }
    return TRUE;
}

/* The path of the chip's file; free with g_free. */
static char *chip_path(const char *path)
{
    g_autofree char *home = g_path_get_dirname(path);

    return g_build_filename(home, "chip.yaml", NULL);
}

gboolean board_file_load(const char *path, struct bench_description *description, GError **error)
{
    g_autoptr(GError) inner = NULL;
    g_autofree char *chip = chip_path(path);
    bool has_chip = g_file_test(chip, G_FILE_TEST_EXISTS);

    *description = (struct bench_description){.wiring = wry_wiring_at(0)};
    if (has_chip)
        description->chip = chip_file_load(chip, &inner);
    if ((!has_chip || description->chip) &&
        yaml_text_load(path, "a board", read_root, description, &inner))
        return TRUE;
    g_set_error_literal(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_DAMAGED, inner->message);
    return FALSE;
}

static void add_fault(GString *text, const struct yaml_member *row,
                      const struct sim_board_faults *faults)
{
    const void *at = (const char *)faults + row->at;
    const struct yaml_range *range = row->rule;
    uint64_t number = 0;

    if (!range) {
        g_string_append_printf(text, "  %s: %s\n", row->name, *(const bool *)at ? "true" : "false");
        return;
    }
    if (range->size == sizeof(uint8_t))
        number = *(const uint8_t *)at;
    else
        number = range->size == sizeof(uint32_t) ? *(const uint32_t *)at : *(const uint64_t *)at;
    g_string_append_printf(text, "  %s: %" G_GUINT64_FORMAT "\n", row->name, number);
}

static gboolean save_chip(const char *path, const struct wry_chip *chip, GError **error)
{
    g_autofree char *text = chip_file_text(chip);
    g_autofree char *to = chip_path(path);

    return wry_chip_by_code(chip->code) || g_file_set_contents(to, text, -1, error);
}

gboolean board_file_save(const char *path, const struct bench_description *description,
                         GError **error)
{
    g_autoptr(GString) text = g_string_new(NULL);
    g_autofree char *address = wry_units_address(description->eui48);

    g_string_printf(text, "chip: %s\nrevision: %u\naddress: %s\nflash_bytes: %u\n",
                    description->chip->name, description->revision, address,
                    (unsigned)description->flash_size);
    if (description->wiring && description->wiring != wry_wiring_at(0))
        g_string_append_printf(text, "wiring: %s\n", description->wiring->name);
    g_string_append(text, "faults:\n");
    for (size_t i = 0; i < G_N_ELEMENTS(fault_rows); i++)
        add_fault(text, &fault_rows[i], &description->faults);
    return save_chip(path, description->chip, error) &&
           g_file_set_contents(path, text->str, (gssize)text->len, error);
}
