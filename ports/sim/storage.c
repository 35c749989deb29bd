/* Settings and files of the tide-gauge firmware. */
#include "storage.h"

#include <inttypes.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "wrytograph/layout.h"
#include "wrytograph/region_table.h"
#include "wrytograph/settings_block.h"

enum {
    TAR_BLOCK = 512,
    BLOCK_MOST = 4096, /* most bytes of a settings block that this firmware changes */
};

struct output {
    char *text;
    size_t room, used;
};

static void put(struct output *o, const char *format, ...) __attribute__((format(printf, 2, 3)));

static void put(struct output *o, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    int n = vsnprintf(o->text + o->used, o->room - o->used, format, arguments);
    va_end(arguments);
    if (n > 0)
        o->used += (size_t)n < o->room - o->used ? (size_t)n : o->room - o->used - 1;
}

/* The first region of a kind: by the region table if the chip has one, else by the usual layout. */
static bool find_region(const struct sim_firmware *board, uint8_t kind, struct wry_region *region)
{
    const struct wry_chip *chip = board->chip;
    struct wry_region_table table = {0};

    if (chip->table_offset == WRY_NO_OFFSET)
        wry_layout_built_in(&table, chip, board->die->size);
    else if (!wry_region_table_get(&table, board->die->cells + chip->table_offset,
                                   WRY_REGION_TABLE_SIZE_MAX))
        return false;
    for (uint32_t i = 0; i < table.count; i++) {
        *region = table.regions[i];
        if (region->kind == kind && region->offset < board->die->size &&
            region->length <= board->die->size - region->offset)
            return true;
    }
    return false;
}

struct block {
    uint8_t *bytes, *other; /* the current slot and the other one; NULL if there is no block */
    uint32_t room;
    struct wry_settings_head head;
};

static bool find_block(const struct sim_firmware *board, struct block *block)
{
    struct wry_settings_head head;
    struct wry_region region;

    memset(block, 0, sizeof *block);
    if (!find_region(board, WRY_REGION_SETTINGS, &region))
        return false;
    block->room = wry_settings_slot(region.length);
    for (unsigned slot = 0; block->room > 0 && slot < 2; slot++) {
        uint8_t *bytes = board->die->cells + region.offset + slot * block->room;
        if (!wry_settings_get(&head, bytes, block->room) ||
            (block->bytes && head.generation <= block->head.generation))
            continue;
        block->bytes = bytes;
        block->other = board->die->cells + region.offset + (1 - slot) * block->room;
        block->head = head;
    }
    return block->bytes != NULL;
}

static void put_value(struct output *o, const struct wry_setting *s)
{
    if (s->secret) {
        put(o, "(secret)");
        return;
    }
    switch (s->type) {
    case WRY_SETTING_INTEGER:
        put(o, "%" PRId64, s->integer);
        break;
    case WRY_SETTING_REAL:
        put(o, "%.10g", s->real);
        break;
    case WRY_SETTING_BOOLEAN:
        put(o, "%s", s->boolean ? "true" : "false");
        break;
    case WRY_SETTING_BYTES:
        put(o, "%u bytes", s->length);
        break;
    default:
        put(o, "%.*s", (int)s->length, (const char *)s->bytes);
        break;
    }
}

void sim_storage_settings(const struct sim_firmware *board, char *text, size_t room)
{
    struct output o = {.text = text, .room = room};
    struct wry_setting setting;
    struct block block;
    size_t at = WRY_SETTINGS_HEAD_SIZE;

    if (!find_block(board, &block)) {
        put(&o, "no settings\r\n");
        return;
    }
    while (wry_settings_next(block.bytes, &block.head, &at, &setting)) {
        put(&o, "%.*s = ", (int)setting.key_length, setting.key);
        put_value(&o, &setting);
        put(&o, "\r\n");
    }
}

/* False if the value does not fit the setting's type. */
static bool take_value(struct wry_setting *setting, const char *value)
{
    char *end = NULL;

    switch (setting->type) {
    case WRY_SETTING_INTEGER:
        setting->integer = strtoll(value, &end, 10);
        return end != value && *end == '\0';
    case WRY_SETTING_TEXT:
        setting->bytes = (const uint8_t *)value;
        setting->length = (uint16_t)strlen(value);
        return true;
    default:
        return false;
    }
}

void sim_storage_set(const struct sim_firmware *board, const char *words, char *text, size_t room)
{
    struct output o = {.text = text, .room = room};
    const char *space = strchr(words, ' ');
    size_t key = space ? (size_t)(space - words) : 0, at = WRY_SETTINGS_HEAD_SIZE;
    uint8_t bytes[BLOCK_MOST];
    struct wry_settings_writer writer;
    struct wry_setting setting;
    struct block block;
    bool found = false, fits = true;

    if (!find_block(board, &block)) {
        put(&o, "no settings\r\n");
        return;
    }
    wry_settings_begin(&writer, bytes, sizeof bytes);
    while (space && wry_settings_next(block.bytes, &block.head, &at, &setting)) {
        bool this_one = setting.key_length == key && memcmp(setting.key, words, key) == 0;
        found = found || this_one;
        fits = fits && (!this_one || take_value(&setting, space + 1));
        wry_settings_add(&writer, &setting);
    }
    size_t n = wry_settings_end(&writer, block.head.generation + 1);
    if (!block.other || !found || !fits || n == 0 || n > block.room) {
        put(&o, "not set\r\n");
        return;
    }
    memset(block.other, 0xFF, block.room);
    memcpy(block.other, bytes, n);
    put(&o, "set\r\n");
}

void sim_storage_files(const struct sim_firmware *board, char *text, size_t room)
{
    struct output o = {.text = text, .room = room};
    struct wry_region region = {0};
    uint64_t at = 0;

    text[0] = '\0';
    if (!find_region(board, WRY_REGION_FILES, &region))
        region = (struct wry_region){0};
    const uint8_t *bytes = board->die->cells + region.offset;
    while (at + TAR_BLOCK <= region.length && memcmp(bytes + at + 257, "ustar", 5) == 0) {
        char size[13] = {0};
        memcpy(size, bytes + at + 124, 12);
        uint64_t length = strtoull(size, NULL, 8);
        put(&o, "%.100s\r\n", (const char *)bytes + at);
        at += TAR_BLOCK + (length + TAR_BLOCK - 1) / TAR_BLOCK * TAR_BLOCK;
    }
    if (o.used == 0)
        put(&o, "no files\r\n");
}
