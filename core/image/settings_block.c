/* Reading and making settings blocks. */
#include "wrytograph/settings_block.h"
#include "bytes/fields.h"

#include "bytes/memory.h"

#include "wrytograph/bytes.h"
#include "wrytograph/flash.h"

static const uint8_t magic[4] = {'W', 'R', 'Y', 'S'};

enum {
    VERSION = 1,
    AT_VERSION = 4,
    AT_COUNT = 6,
    AT_GENERATION = 8,
    AT_LENGTH = 12,
    CRC_SIZE = 4,
    ENTRY_HEAD = 6, /* type, flags, key length, 0, value length */
    FLAG_SECRET = 1,
    NUMBER_SIZE = 8,
    COUNT_MOST = 1024, /* bounds the search for repeated keys */
};

uint32_t wry_settings_slot(uint32_t region_length)
{
    return region_length / 2 / WRY_SECTOR_SIZE * WRY_SECTOR_SIZE;
}

static bool is_letter(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z');
}

bool wry_settings_key_is_fit(const char *key, size_t n)
{
    if (n == 0 || n > WRY_SETTINGS_KEY_MAX || !is_letter(key[0]))
        return false;
    for (size_t i = 1; i < n; i++) {
        if (!is_letter(key[i]) && !(key[i] >= '0' && key[i] <= '9') && key[i] != '-' &&
            key[i] != '_')
            return false;
    }
    return true;
}

bool wry_settings_present(const uint8_t *bytes)
{
    return memcmp(bytes, magic, sizeof magic) == 0;
}

bool wry_settings_head(struct wry_settings_head *head, const uint8_t *bytes)
{
    if (!wry_settings_present(bytes) || bytes[AT_VERSION] != VERSION)
        return false;
    head->count = bytes_get16(bytes + AT_COUNT);
    head->generation = bytes_get32(bytes + AT_GENERATION);
    uint32_t entries = bytes_get32(bytes + AT_LENGTH);
    if (entries > WRY_SETTINGS_BLOCK_MAX - WRY_SETTINGS_HEAD_SIZE - CRC_SIZE)
        return false;
    head->length = WRY_SETTINGS_HEAD_SIZE + entries + CRC_SIZE;
    return true;
}

static uint64_t get64(const uint8_t *from)
{
    return bytes_get32(from) | (uint64_t)bytes_get32(from + 4) << 32;
}

static void put64(uint8_t *to, uint64_t value)
{
    bytes_put32(to, (uint32_t)value);
    bytes_put32(to + 4, (uint32_t)(value >> 32));
}

static bool take_value(struct wry_setting *setting, const uint8_t *value, uint16_t n)
{
    uint64_t number = n == NUMBER_SIZE ? get64(value) : 0;

    setting->bytes = value;
    setting->length = n;
    switch (setting->type) {
    case WRY_SETTING_TEXT:
    case WRY_SETTING_BYTES:
        return n <= WRY_SETTINGS_VALUE_MAX;
    case WRY_SETTING_INTEGER:
        memcpy(&setting->integer, &number, sizeof number);
        return n == NUMBER_SIZE;
    case WRY_SETTING_REAL:
        memcpy(&setting->real, &number, sizeof number);
        return n == NUMBER_SIZE;
    case WRY_SETTING_BOOLEAN:
        setting->boolean = n == 1 && value[0] == 1;
        return n == 1 && value[0] <= 1;
    default:
        return false;
    }
}

/* Reads the entry at *at of a block whose entries end at end; false if it is invalid. */
static bool take_entry(const uint8_t *bytes, size_t end, size_t *at, struct wry_setting *setting)
{
    const uint8_t *entry = bytes + *at;

    if (end - *at < ENTRY_HEAD)
        return false;
    memset(setting, 0, sizeof *setting);
    setting->type = entry[0];
    setting->secret = (entry[1] & FLAG_SECRET) != 0;
    setting->key_length = entry[2];
    uint16_t length = bytes_get16(entry + 4);
    if (end - *at - ENTRY_HEAD < (size_t)setting->key_length + length)
        return false;
    setting->key = (const char *)entry + ENTRY_HEAD;
    *at += ENTRY_HEAD + (size_t)setting->key_length + length;
    return wry_settings_key_is_fit(setting->key, setting->key_length) &&
           take_value(setting, entry + ENTRY_HEAD + setting->key_length, length);
}

static bool same_key(const struct wry_setting *a, const struct wry_setting *b)
{
    return a->key_length == b->key_length && memcmp(a->key, b->key, a->key_length) == 0;
}

/* True if the same key occurs before the entry at end. */
static bool stands_before(const uint8_t *bytes, size_t end, const struct wry_setting *setting)
{
    struct wry_setting earlier;
    size_t at = WRY_SETTINGS_HEAD_SIZE;

    while (at < end && take_entry(bytes, end, &at, &earlier)) {
        if (same_key(&earlier, setting))
            return true;
    }
    return false;
}

bool wry_settings_get(struct wry_settings_head *head, const uint8_t *bytes, size_t n)
{
    struct wry_setting setting;
    size_t at = WRY_SETTINGS_HEAD_SIZE;
    uint32_t count = 0;

    if (n < WRY_SETTINGS_HEAD_SIZE + CRC_SIZE || !wry_settings_head(head, bytes) ||
        head->length > n)
        return false;
    size_t end = head->length - CRC_SIZE;
    if (bytes_get32(bytes + end) != wry_crc32(0, bytes, end))
        return false;
    while (at < end && count <= COUNT_MOST) {
        size_t begun = at;
        if (!take_entry(bytes, end, &at, &setting) || stands_before(bytes, begun, &setting))
            return false;
        count++;
    }
    return count == head->count;
}

bool wry_settings_next(const uint8_t *bytes, const struct wry_settings_head *head, size_t *at,
                       struct wry_setting *setting)
{
    size_t end = head->length - CRC_SIZE;

    return *at < end && take_entry(bytes, end, at, setting);
}

void wry_settings_begin(struct wry_settings_writer *writer, uint8_t *bytes, size_t room)
{
    *writer = (struct wry_settings_writer){
        .bytes = bytes,
        .room = room < WRY_SETTINGS_BLOCK_MAX ? room : WRY_SETTINGS_BLOCK_MAX,
        .used = WRY_SETTINGS_HEAD_SIZE,
        .failed = room < WRY_SETTINGS_HEAD_SIZE + CRC_SIZE};
}

static uint16_t value_length(const struct wry_setting *setting)
{
    switch (setting->type) {
    case WRY_SETTING_INTEGER:
    case WRY_SETTING_REAL:
        return NUMBER_SIZE;
    case WRY_SETTING_BOOLEAN:
        return 1;
    default:
        return setting->length;
    }
}

static void put_value(uint8_t *to, const struct wry_setting *setting, size_t length)
{
    uint64_t number = 0;

    switch (setting->type) {
    case WRY_SETTING_INTEGER:
        put64(to, (uint64_t)setting->integer);
        break;
    case WRY_SETTING_REAL:
        memcpy(&number, &setting->real, sizeof number);
        put64(to, number);
        break;
    case WRY_SETTING_BOOLEAN:
        to[0] = setting->boolean;
        break;
    default:
        if (length > 0)
            memcpy(to, setting->bytes, length);
        break;
    }
}

void wry_settings_add(struct wry_settings_writer *writer, const struct wry_setting *setting)
{
    uint16_t length = value_length(setting);
    size_t needed = (size_t)ENTRY_HEAD + setting->key_length + length;

    writer->failed = writer->failed || length > WRY_SETTINGS_VALUE_MAX ||
                     !wry_settings_key_is_fit(setting->key, setting->key_length) ||
                     needed > writer->room - CRC_SIZE - writer->used || writer->count == COUNT_MOST;
    if (writer->failed)
        return;
    uint8_t *to = writer->bytes + writer->used;
    memset(to, 0, ENTRY_HEAD);
    to[0] = setting->type;
    to[1] = setting->secret ? FLAG_SECRET : 0;
    to[2] = setting->key_length;
    bytes_put16(to + 4, length);
    memcpy(to + ENTRY_HEAD, setting->key, setting->key_length);
    put_value(to + ENTRY_HEAD + setting->key_length, setting, length);
    writer->used += needed;
    writer->count++;
}

size_t wry_settings_end(struct wry_settings_writer *writer, uint32_t generation)
{
    struct wry_settings_head head;
    uint8_t *bytes = writer->bytes;

    if (writer->failed)
        return 0;
    memset(bytes, 0, WRY_SETTINGS_HEAD_SIZE);
    memcpy(bytes, magic, sizeof magic);
    bytes[AT_VERSION] = VERSION;
    bytes_put16(bytes + AT_COUNT, writer->count);
    bytes_put32(bytes + AT_GENERATION, generation);
    bytes_put32(bytes + AT_LENGTH, (uint32_t)(writer->used - WRY_SETTINGS_HEAD_SIZE));
    bytes_put32(bytes + writer->used, wry_crc32(0, bytes, writer->used));
    writer->used += CRC_SIZE;
    return wry_settings_get(&head, bytes, writer->used) ? writer->used : 0;
}
