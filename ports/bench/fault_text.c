/* Faults of a simulated board as text. */
#include "fault_text.h"

#include <glib.h>
#include <stddef.h>
#include <string.h>

#include "wrytograph-host/units.h"

enum {
    LATENCY_MOST = 10000, /* ms */
    BUSY_MOST = 600000,
};

/* Faults without a value. */
static const struct {
    const char *name;
    size_t at; /* offset of the bool in struct sim_board_faults */
} switches[] = {
    {"strap-released", offsetof(struct sim_board_faults, strap_released)},
    {"unpowered", offsetof(struct sim_board_faults, unpowered)},
    {"no-ground", offsetof(struct sim_board_faults, no_ground)},
    {"swapped", offsetof(struct sim_board_faults, swapped)},
    {"echo", offsetof(struct sim_board_faults, echo)},
    {"tx-open", offsetof(struct sim_board_faults, tx_open)},
    {"rx-open", offsetof(struct sim_board_faults, rx_open)},
    {"strap-stuck", offsetof(struct sim_board_faults, strap_stuck)},
    {"console-echo", offsetof(struct sim_board_faults, console_echo)},
    {"brown-out", offsetof(struct sim_board_faults, brown_out)},
    {"no-sounder", offsetof(struct sim_board_faults, sounder.missing)},
    {"sounder-refuses", offsetof(struct sim_board_faults, sounder.refuses)},
    {"old-sounder", offsetof(struct sim_board_faults, sounder.sum_only)},
};

static const char *const line_ends[] = {
    [SIM_LINE_END_CRLF] = "crlf",
    [SIM_LINE_END_LF] = "lf",
    [SIM_LINE_END_CR] = "cr",
};

static bool parse_line_end(const char *text, uint8_t *line_end)
{
    for (size_t i = 0; i < G_N_ELEMENTS(line_ends); i++) {
        if (strcmp(text, line_ends[i]) == 0) {
            *line_end = (uint8_t)i;
            return true;
        }
    }
    return false;
}

char *fault_text_describe(const struct sim_board_faults *faults)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(switches); i++) {
        if (*(const bool *)((const char *)faults + switches[i].at))
            g_string_append_printf(text, "%s, ", switches[i].name);
    }
    if (faults->loader_baud > 0)
        g_string_append_printf(text, "loader at %u baud, ", (unsigned)faults->loader_baud);
    if (faults->console_baud > 0)
        g_string_append_printf(text, "console at %u baud, ", (unsigned)faults->console_baud);
    if (faults->line_end != SIM_LINE_END_CRLF)
        g_string_append_printf(text, "lines end in %s, ", line_ends[faults->line_end]);
    if (faults->noise_ppb > 0)
        g_string_append_printf(text, "noise %g, ", faults->noise_ppb / 1e9);
    if (faults->noise_above > 0)
        g_string_append_printf(text, "noise only above %u baud, ", (unsigned)faults->noise_above);
    if (faults->lost_ppb > 0)
        g_string_append_printf(text, "lost bytes %g, ", faults->lost_ppb / 1e9);
    if (faults->latency_ms > 0)
        g_string_append_printf(text, "latency %u ms, ", (unsigned)faults->latency_ms);
    if (faults->clean_baud > 0)
        g_string_append_printf(text, "cable works up to %u baud, ", (unsigned)faults->clean_baud);
    if (faults->clean_in > 0)
        g_string_append_printf(text, "to the board works up to %u baud, ",
                               (unsigned)faults->clean_in);
    if (faults->clean_out > 0)
        g_string_append_printf(text, "from the board works up to %u baud, ",
                               (unsigned)faults->clean_out);
    if (faults->off_permille > 0)
        g_string_append_printf(text, "speeds off by %g %%, ", faults->off_permille / 10.0);
    if (faults->line_delay_ms > 0)
        g_string_append_printf(text, "RTS %u ms late, ", (unsigned)faults->line_delay_ms);
    if (faults->erase_least > 0)
        g_string_append_printf(text, "smallest erase %u KiB, ",
                               (unsigned)(faults->erase_least / 1024));
    if (faults->busy_ms > 0)
        g_string_append_printf(text, "flash busy for %g s, ", faults->busy_ms / 1e3);
    if (faults->protect > 0)
        g_string_append_printf(text, "block-protect bits 0x%02X, ", faults->protect);
    if (faults->claims > 0)
        g_string_append_printf(text, "flash claims %u KiB, ", (unsigned)(faults->claims / 1024));
    if (faults->power_cut > 0)
        g_string_append_printf(text, "power cut at flash operation %" G_GUINT64_FORMAT ", ",
                               faults->power_cut);
    if (faults->cable_cut > 0)
        g_string_append_printf(text, "cable pulled at byte %" G_GUINT64_FORMAT ", ",
                               faults->cable_cut);
    if (faults->unplugged > 0)
        g_string_append_printf(text, "adapter unplugged at byte %" G_GUINT64_FORMAT ", ",
                               faults->unplugged);
    if (faults->sounder.dies > 0)
        g_string_append_printf(text, "echo sounder dies at byte %" G_GUINT64_FORMAT ", ",
                               faults->sounder.dies);
    g_string_truncate(text, text->len > 2 ? text->len - 2 : 0);
    return g_string_free(text, FALSE);
}

/* NAME=COUNT with a count of at least 1. */
static bool parse_count(const char *text, const char *name, uint64_t *count)
{
    return g_str_has_prefix(text, name) &&
           g_ascii_string_to_unsigned(text + strlen(name), 10, 1, UINT64_MAX, count, NULL);
}

/* NAME=RATE, from 0 to 0.1, stored in units of 10^-9. */
static bool parse_rate(const char *text, const char *name, uint32_t *ppb)
{
    char *end;
    double rate;

    if (!g_str_has_prefix(text, name))
        return false;
    rate = g_ascii_strtod(text + strlen(name), &end);
    if (*end != '\0' || end[-1] == '=' || !(rate >= 0) || rate > 0.1)
        return false;
    *ppb = (uint32_t)(rate * 1e9 + 0.5);
    return true;
}

static bool parse_ms(const char *text, uint64_t most_ms, uint32_t *ms)
{
    uint64_t time;

    if (!wry_units_parse_time(text, &time) || time > most_ms * 1000)
        return false;
    *ms = (uint32_t)(time / 1000);
    return true;
}

static bool parse_permille(const char *text, uint32_t *permille)
{
    char *end;
    double percent = g_ascii_strtod(text, &end);

    if (end == text || *end != '\0' || !(percent >= 0) || percent > 10)
        return false;
    *permille = (uint32_t)(percent * 10 + 0.5);
    return true;
}

/* A power of two within the bounds. */
static bool parse_power(const char *text, uint32_t least, uint32_t most, uint32_t *bytes)
{
    return wry_units_parse_size(text, bytes) && *bytes >= least && *bytes <= most &&
           (*bytes & (*bytes - 1)) == 0;
}

bool fault_text_parse(const char *text, struct sim_board_faults *faults)
{
    uint32_t value;

    if (strcmp(text, "none") == 0) {
        *faults = (struct sim_board_faults){0};
        return true;
    }
    for (size_t i = 0; i < G_N_ELEMENTS(switches); i++) {
        if (strcmp(text, switches[i].name) == 0) {
            *(bool *)((char *)faults + switches[i].at) = true;
            return true;
        }
    }
    if (g_str_has_prefix(text, "loader="))
        return wry_units_parse_speed(text + strlen("loader="), &faults->loader_baud);
    if (g_str_has_prefix(text, "console="))
        return wry_units_parse_speed(text + strlen("console="), &faults->console_baud);
    if (g_str_has_prefix(text, "line-end="))
        return parse_line_end(text + strlen("line-end="), &faults->line_end);
    if (g_str_has_prefix(text, "noise-above="))
        return wry_units_parse_speed(text + strlen("noise-above="), &faults->noise_above);
    if (g_str_has_prefix(text, "latency="))
        return parse_ms(text + strlen("latency="), LATENCY_MOST, &faults->latency_ms);
    if (g_str_has_prefix(text, "late-rts="))
        return parse_ms(text + strlen("late-rts="), LATENCY_MOST, &faults->line_delay_ms);
    if (g_str_has_prefix(text, "busy="))
        return parse_ms(text + strlen("busy="), BUSY_MOST, &faults->busy_ms);
    if (g_str_has_prefix(text, "off-speed="))
        return parse_permille(text + strlen("off-speed="), &faults->off_permille);
    if (g_str_has_prefix(text, "to-board="))
        return wry_units_parse_speed(text + strlen("to-board="), &faults->clean_in);
    if (g_str_has_prefix(text, "from-board="))
        return wry_units_parse_speed(text + strlen("from-board="), &faults->clean_out);
    if (g_str_has_prefix(text, "erases="))
        return parse_power(text + strlen("erases="), 0x1000, 0x100000, &faults->erase_least);
    if (g_str_has_prefix(text, "cable="))
        return wry_units_parse_speed(text + strlen("cable="), &faults->clean_baud);
    if (g_str_has_prefix(text, "claims="))
        return parse_power(text + strlen("claims="), 0x10000, UINT32_MAX, &faults->claims);
    if (g_str_has_prefix(text, "protect=")) {
        if (!wry_units_parse_size(text + strlen("protect="), &value) || (value & ~0x7Cu) != 0)
            return false;
        faults->protect = (uint8_t)value;
        return true;
    }
    return parse_rate(text, "noise=", &faults->noise_ppb) ||
           parse_rate(text, "lost=", &faults->lost_ppb) ||
           parse_count(text, "sounder-dies=", &faults->sounder.dies) ||
           parse_count(text, "power-cut=", &faults->power_cut) ||
           parse_count(text, "cable-cut=", &faults->cable_cut) ||
           parse_count(text, "unplugged=", &faults->unplugged);
}
