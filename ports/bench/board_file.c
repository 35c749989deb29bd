/* board.yaml, read and written with libcyaml. */
#include "board_file.h"

#include "wrytograph-host/units.h"
#include <cyaml/cyaml.h>
#include <stdio.h>
#include <string.h>

#include "wrytograph-host/text_file.h"

struct board_yaml {
    char *chip;
    uint32_t revision;
    char *address;
    uint32_t flash_bytes;
    char *wiring; /* NULL = the usual one */
    struct sim_board_faults faults;
};

GQuark wry_bench_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-bench");
}

static const cyaml_schema_field_t faults_fields[] = {
    CYAML_FIELD_BOOL("strap_released", CYAML_FLAG_OPTIONAL, struct sim_board_faults,
                     strap_released),
    CYAML_FIELD_BOOL("unpowered", CYAML_FLAG_OPTIONAL, struct sim_board_faults, unpowered),
    CYAML_FIELD_BOOL("no_ground", CYAML_FLAG_OPTIONAL, struct sim_board_faults, no_ground),
    CYAML_FIELD_BOOL("swapped", CYAML_FLAG_OPTIONAL, struct sim_board_faults, swapped),
    CYAML_FIELD_BOOL("echo", CYAML_FLAG_OPTIONAL, struct sim_board_faults, echo),
    CYAML_FIELD_BOOL("brown_out", CYAML_FLAG_OPTIONAL, struct sim_board_faults, brown_out),
    CYAML_FIELD_UINT("loader_baud", CYAML_FLAG_OPTIONAL, struct sim_board_faults, loader_baud),
    CYAML_FIELD_UINT("console_baud", CYAML_FLAG_OPTIONAL, struct sim_board_faults, console_baud),
    CYAML_FIELD_UINT("line_end", CYAML_FLAG_OPTIONAL, struct sim_board_faults, line_end),
    CYAML_FIELD_BOOL("tx_open", CYAML_FLAG_OPTIONAL, struct sim_board_faults, tx_open),
    CYAML_FIELD_BOOL("rx_open", CYAML_FLAG_OPTIONAL, struct sim_board_faults, rx_open),
    CYAML_FIELD_BOOL("strap_stuck", CYAML_FLAG_OPTIONAL, struct sim_board_faults, strap_stuck),
    CYAML_FIELD_UINT("noise_ppb", CYAML_FLAG_OPTIONAL, struct sim_board_faults, noise_ppb),
    CYAML_FIELD_UINT("noise_above", CYAML_FLAG_OPTIONAL, struct sim_board_faults, noise_above),
    CYAML_FIELD_UINT("lost_ppb", CYAML_FLAG_OPTIONAL, struct sim_board_faults, lost_ppb),
    CYAML_FIELD_UINT("latency_ms", CYAML_FLAG_OPTIONAL, struct sim_board_faults, latency_ms),
    CYAML_FIELD_UINT("clean_baud", CYAML_FLAG_OPTIONAL, struct sim_board_faults, clean_baud),
    CYAML_FIELD_UINT("protect", CYAML_FLAG_OPTIONAL, struct sim_board_faults, protect),
    CYAML_FIELD_UINT("claims", CYAML_FLAG_OPTIONAL, struct sim_board_faults, claims),
    CYAML_FIELD_UINT("power_cut", CYAML_FLAG_OPTIONAL, struct sim_board_faults, power_cut),
    CYAML_FIELD_UINT("clean_in", CYAML_FLAG_OPTIONAL, struct sim_board_faults, clean_in),
    CYAML_FIELD_UINT("clean_out", CYAML_FLAG_OPTIONAL, struct sim_board_faults, clean_out),
    CYAML_FIELD_UINT("off_permille", CYAML_FLAG_OPTIONAL, struct sim_board_faults, off_permille),
    CYAML_FIELD_UINT("line_delay_ms", CYAML_FLAG_OPTIONAL, struct sim_board_faults, line_delay_ms),
    CYAML_FIELD_UINT("erase_least", CYAML_FLAG_OPTIONAL, struct sim_board_faults, erase_least),
    CYAML_FIELD_UINT("busy_ms", CYAML_FLAG_OPTIONAL, struct sim_board_faults, busy_ms),
    CYAML_FIELD_UINT("unplugged", CYAML_FLAG_OPTIONAL, struct sim_board_faults, unplugged),
    CYAML_FIELD_UINT("cable_cut", CYAML_FLAG_OPTIONAL, struct sim_board_faults, cable_cut),
    CYAML_FIELD_END,
};

static const cyaml_schema_field_t board_fields[] = {
    CYAML_FIELD_STRING_PTR("chip", CYAML_FLAG_POINTER, struct board_yaml, chip, 1, 64),
    CYAML_FIELD_UINT("revision", CYAML_FLAG_DEFAULT, struct board_yaml, revision),
    CYAML_FIELD_STRING_PTR("address", CYAML_FLAG_POINTER, struct board_yaml, address, 17, 17),
    CYAML_FIELD_UINT("flash_bytes", CYAML_FLAG_DEFAULT, struct board_yaml, flash_bytes),
    CYAML_FIELD_STRING_PTR("wiring", CYAML_FLAG_POINTER | CYAML_FLAG_OPTIONAL, struct board_yaml,
                           wiring, 1, 64),
    CYAML_FIELD_MAPPING("faults", CYAML_FLAG_OPTIONAL, struct board_yaml, faults, faults_fields),
    CYAML_FIELD_END,
};

static const cyaml_schema_value_t board_schema = {
    CYAML_VALUE_MAPPING(CYAML_FLAG_POINTER, struct board_yaml, board_fields),
};

/* Gathers what the parser says, for the one message that the user gets. */
static void collect(cyaml_log_t level, void *context, const char *format, va_list arguments)
{
    GString *text = context;

    (void)level;
    if (text->len == 0)
        g_string_append_vprintf(text, format, arguments);
}

static cyaml_config_t parser(GString *messages)
{
    return (cyaml_config_t){.log_fn = collect,
                            .log_ctx = messages,
                            .mem_fn = cyaml_mem,
                            .log_level = CYAML_LOG_ERROR,
                            .flags = CYAML_CFG_DEFAULT};
}

static gboolean take_over(const struct board_yaml *yaml, struct bench_description *description)
{
    description->chip = wry_chip_by_name(yaml->chip);
    description->revision = (uint8_t)yaml->revision;
    description->flash_size = yaml->flash_bytes;
    description->faults = yaml->faults;
    description->wiring = yaml->wiring ? wry_wiring_by_name(yaml->wiring) : wry_wiring_at(0);
    return description->chip && description->wiring && yaml->revision < 256 &&
           yaml->faults.line_end <= SIM_LINE_END_CR &&
           wry_units_parse_address(yaml->address, description->eui48);
}

static gboolean damaged(const char *path, const char *what, GError **error)
{
    g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_DAMAGED, "%s: %s", path, what);
    return FALSE;
}

gboolean board_file_load(const char *path, struct bench_description *description, GError **error)
{
    g_autoptr(GString) messages = g_string_new(NULL);
    g_autoptr(GError) inner = NULL;
    cyaml_config_t config = parser(messages);
    struct board_yaml *yaml = NULL;
    size_t length = 0;
    g_autofree char *text = wry_text_file_read(path, WRY_TEXT_FILE_YAML, &length, &inner);

    if (!text) {
        g_set_error_literal(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_DAMAGED, inner->message);
        return FALSE;
    }
    cyaml_err_t status = cyaml_load_data((const uint8_t *)text, length, &config, &board_schema,
                                         (cyaml_data_t **)&yaml, NULL);
    if (status != CYAML_OK)
        return damaged(path, messages->len > 0 ? g_strchomp(messages->str) : cyaml_strerror(status),
                       error);
    if (!yaml)
        return damaged(path, "it describes no board: it is empty", error);
    gboolean fits = take_over(yaml, description);
    cyaml_free(&config, &board_schema, yaml, 0);
    return fits || damaged(path, "unknown chip, revision, wiring or address", error);
}

gboolean board_file_save(const char *path, const struct bench_description *description,
                         GError **error)
{
    g_autoptr(GString) messages = g_string_new(NULL);
    cyaml_config_t config = parser(messages);
    const uint8_t *e = description->eui48;
    g_autofree char *chip = g_strdup(description->chip->name);
    bool usual = !description->wiring || description->wiring == wry_wiring_at(0);
    g_autofree char *wiring = usual ? NULL : g_strdup(description->wiring->name);
    g_autofree char *address =
        g_strdup_printf("%02X:%02X:%02X:%02X:%02X:%02X", e[0], e[1], e[2], e[3], e[4], e[5]);
    struct board_yaml yaml = {.chip = chip,
                              .revision = description->revision,
                              .address = address,
                              .flash_bytes = description->flash_size,
                              .wiring = wiring,
                              .faults = description->faults};
    char *text = NULL;
    size_t length = 0;
    cyaml_err_t status = cyaml_save_data(&text, &length, &config, &board_schema, &yaml, 0);

    if (status != CYAML_OK) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_FILE, "%s: %s", path,
                    cyaml_strerror(status));
        return FALSE;
    }
    gboolean saved = g_file_set_contents(path, text, (gssize)length, error);
    config.mem_fn(config.mem_ctx, text, 0);
    return saved;
}
