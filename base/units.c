/* Sizes, offsets, speeds and addresses as text. */
#include "wrytograph-host/units.h"

#include <errno.h>
#include <string.h>

struct unit {
    const char *name;
    uint64_t bytes;
};

static const struct unit units[] = {
    {"", 1},
    {"B", 1},
    {"K", 1024},
    {"KiB", 1024},
    {"M", 1024 * 1024},
    {"MiB", 1024 * 1024},
    {"Kbit", 1024 / 8},
    {"Mbit", 1024 * 1024 / 8},
};

/* Digits of a number and what follows them. */
static bool split_number(const char *text, uint64_t *number, const char **rest)
{
    bool hex = g_str_has_prefix(text, "0x") || g_str_has_prefix(text, "0X");
    char *end;

    if (hex ? !g_ascii_isxdigit(text[2]) : !g_ascii_isdigit(text[0]))
        return false;
    errno = 0;
    *number = g_ascii_strtoull(hex ? text + 2 : text, &end, hex ? 16 : 10);
    *rest = end;
    return errno == 0 && (!hex || *end == '\0');
}

bool wry_units_parse_size(const char *text, uint32_t *bytes)
{
    const char *rest;
    uint64_t number;

    if (!split_number(text, &number, &rest))
        return false;
    while (*rest == ' ')
        rest++;
    for (size_t i = 0; i < G_N_ELEMENTS(units); i++) {
        if (g_ascii_strcasecmp(rest, units[i].name) != 0)
            continue;
        if (number > UINT32_MAX / units[i].bytes)
            return false;
        *bytes = (uint32_t)(number * units[i].bytes);
        return true;
    }
    return false;
}

bool wry_units_parse_offset(const char *text, uint32_t *offset)
{
    bool plain = text[0] != '\0' && strspn(text, "0123456789") == strlen(text);

    if (plain && strcmp(text, "0") != 0)
        return false;
    return wry_units_parse_size(text, offset);
}

bool wry_units_parse_time(const char *text, uint64_t *time)
{
    static const struct {
        const char *unit;
        double seconds;
    } time_units[] = {{"", 1}, {"s", 1}, {"ms", 0.001}, {"min", 60}, {"h", 3600}};
    char *end;
    double number = g_ascii_strtod(text, &end), seconds = -1;

    for (size_t i = 0; end != text && i < sizeof time_units / sizeof time_units[0]; i++) {
        if (strcmp(end, time_units[i].unit) == 0)
            seconds = number * time_units[i].seconds;
    }
    if (!(seconds >= 0.001) || seconds > 86400)
        return false;
    *time = (uint64_t)(seconds * 1e6);
    return true;
}

bool wry_units_parse_speed(const char *text, uint32_t *baud)
{
    const char *rest;
    uint64_t number;

    if (!split_number(text, &number, &rest) || *rest != '\0' || number < 9600 || number > 12000000)
        return false;
    *baud = (uint32_t)number;
    return true;
}

char *wry_units_flash_size(uint32_t bytes)
{
    if (bytes % (1024 * 1024) == 0)
        return g_strdup_printf("%u MiB (%u Mbit)", (unsigned)(bytes >> 20),
                               (unsigned)(bytes >> 17));
    if (bytes % (1024 * 128) == 0)
        return g_strdup_printf("%u KiB (%u Mbit)", (unsigned)(bytes >> 10),
                               (unsigned)(bytes >> 17));
    return g_strdup_printf("%u KiB (%u Kbit)", (unsigned)(bytes >> 10), (unsigned)(bytes >> 7));
}

char *wry_units_bytes(uint64_t bytes)
{
    uint64_t millions = bytes / 1000000;
    unsigned thousands = (unsigned)(bytes / 1000 % 1000), ones = (unsigned)(bytes % 1000);

    if (bytes >= 1024 * 1024 && bytes % (1024 * 1024) == 0)
        return g_strdup_printf("%" G_GUINT64_FORMAT " MiB", bytes >> 20);
    if (bytes >= 1024 && bytes % 1024 == 0)
        return g_strdup_printf("%" G_GUINT64_FORMAT " KiB", bytes >> 10);
    if (millions > 0)
        return g_strdup_printf("%" G_GUINT64_FORMAT ",%03u,%03u bytes", millions, thousands, ones);
    if (thousands > 0)
        return g_strdup_printf("%u,%03u bytes", thousands, ones);
    return g_strdup_printf("%u byte%s", ones, ones == 1 ? "" : "s");
}

char *wry_units_address(const uint8_t e[6])
{
    return g_strdup_printf("%02X:%02X:%02X:%02X:%02X:%02X", e[0], e[1], e[2], e[3], e[4], e[5]);
}

char *wry_units_jedec(const uint8_t id[3])
{
    return g_strdup_printf("%02X %02X %02X", id[0], id[1], id[2]);
}

bool wry_units_parse_address(const char *text, uint8_t eui48[6])
{
    char between = '\0';

    for (size_t i = 0; i < 6; i++) {
        if (i == 1 && (*text == ':' || *text == '-'))
            between = *text;
        if (i > 0 && between != '\0' && *text++ != between)
            return false;
        if (!g_ascii_isxdigit(text[0]) || !g_ascii_isxdigit(text[1]))
            return false;
        eui48[i] = (uint8_t)(g_ascii_xdigit_value(text[0]) << 4 | g_ascii_xdigit_value(text[1]));
        text += 2;
    }
    return *text == '\0';
}

char *wry_units_digest(const uint8_t sha256[WRY_SHA256_SIZE])
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < WRY_SHA256_SIZE; i++)
        g_string_append_printf(text, "%02x", sha256[i]);
    return g_string_free(text, FALSE);
}
