/* Phrases for facts. */
#include "words.h"

#include "wrytograph-host/units.h"
#include "wrytograph/layout.h"

enum {
    OFFSETS_MAX = 6, /* most offsets listed in one sentence */
};

bool words_would_not_start(const struct wry_planned *planned, const struct wry_planned_image *image)
{
    const struct wry_region *region =
        image->region ? image->region : wry_layout_at(&planned->layout.table, image->start);

    return region && image->start == region->offset &&
           (region->kind == WRY_REGION_START || region->kind == WRY_REGION_APP) &&
           (!image->has_header || image->damaged) && planned->chip && planned->chip->wants_header;
}

const char *words_layout(const struct wry_layout *layout)
{
    switch (layout->source) {
    case WRY_LAYOUT_SOURCE_FILE:
        return layout->file;
    case WRY_LAYOUT_SOURCE_BOARD:
        return "the region table in its flash";
    case WRY_LAYOUT_SOURCE_JOB:
        return "the region table that is written";
    case WRY_LAYOUT_SOURCE_USUAL:
        return "the usual one of this chip";
    case WRY_LAYOUT_SOURCE_UNKNOWN:
        break;
    }
    return "unknown";
}

char *words_protected(const struct wry_identity *identity)
{
    uint32_t offset = identity->protected_offset, length = identity->protected_length;

    if ((identity->board.features & WRY_FEATURE_BLIND) != 0)
        return g_strdup("unknown for this flash until something is written");
    return length == 0
               ? g_strdup("nothing")
               : g_strdup_printf("0x%06X to 0x%06X (block-protect bits 0x%02X)", (unsigned)offset,
                                 (unsigned)(offset + length - 1), identity->board.protect);
}

char *words_board(const struct wry_station *station)
{
    const struct wry_hello_reply *board = wry_station_board(station);
    const struct wry_chip *chip = wry_station_chip(station);
    g_autofree char *address = wry_units_address(board->eui48);
    g_autofree char *size = wry_units_flash_size(board->capacity);

    return g_strdup_printf("%s (%s, %s flash) on %s at %u baud", address,
                           chip ? chip->title : "unknown chip", size, wry_station_link(station),
                           (unsigned)wry_station_speed(station));
}

char *words_duration(const struct wry_station *station, double seconds)
{
    /* A tenth of a second would be none. */
    return g_strdup_printf("in %.*f s%s", seconds < 1 ? 2 : 1, seconds,
                           wry_station_is_simulated(station) ? " of simulated time" : "");
}

char *words_offsets(const struct wry_planned *planned)
{
    GString *text = g_string_new(NULL);
    size_t n = 0;

    for (size_t i = 0; i < planned->plan.count; i++) {
        const struct wry_placement *item = &planned->plan.placements[i];
        const struct wry_planned_image *image = item->label;
        if (image->rest_length > 0 && image->rest_offset == item->offset)
            continue;
        if (n++ < OFFSETS_MAX)
            g_string_append_printf(text, "%s0x%06X", n > 1 ? ", " : "", (unsigned)item->offset);
    }
    if (n > OFFSETS_MAX)
        g_string_append_printf(text, " and %u more places", (unsigned)(n - OFFSETS_MAX));
    return g_string_free(text, FALSE);
}

char *words_read_mode(const struct wry_boot_header *header)
{
    g_autofree char *lines = app_count(header->read_lines, "data line");

    return g_strdup_printf("%s at %u MHz", lines, header->read_clock);
}

char *words_header_flash(const struct wry_boot_header *header)
{
    return header->flash_size_log2 > 0
               ? wry_units_flash_size(UINT32_C(1) << header->flash_size_log2)
               : g_strdup("any");
}

const char *words_header_state(enum wry_header_state state)
{
    switch (state) {
    case WRY_HEADER_NONE:
        return "none";
    case WRY_HEADER_DAMAGED:
        return "DAMAGED: its CRC-32 or a field is wrong";
    case WRY_HEADER_FITS:
        break;
    }
    return "valid CRC-32";
}

const char *words_body_digest(bool fits)
{
    return fits ? "matches the body" : "DIFFERS: the body is damaged or cut short";
}

const char *words_region_table(void)
{
    return "a region table, valid by its CRC-32";
}

const char *words_or(const char *text, const char *other)
{
    return text && text[0] ? text : other;
}

char *words_card(const char *card, const char *version)
{
    bool has_version = version && version[0] != '\0';

    return card ? g_strconcat(card, has_version ? " " : "", has_version ? version : "", NULL)
                : NULL;
}
