/*
 * The settings block: keys and typed values that a firmware reads from a region of its flash.
 *
 * docs/settings-block.md gives the layout: a head of 16 bytes, the entries, and a CRC-32 over both.
 * A region has two slots of the same size, each of whole sectors; the valid block with the higher
 * generation is current. To change settings, a firmware or a user of this library writes the next
 * generation into the other slot, so that an interruption leaves the old settings.
 *
 *     struct wry_setting setting;
 *     size_t at = WRY_SETTINGS_HEAD_SIZE;
 *
 *     if (wry_settings_get(&head, bytes, n))
 *         while (wry_settings_next(bytes, &head, &at, &setting))
 *             use(setting.key, setting.key_length);
 */
#ifndef WRYTOGRAPH_SETTINGS_BLOCK_H
#define WRYTOGRAPH_SETTINGS_BLOCK_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_SETTINGS_HEAD_SIZE 16u
#define WRY_SETTINGS_BLOCK_MAX 65536u /* bytes of a block, head and CRC-32 included */
#define WRY_SETTINGS_KEY_MAX 32u
#define WRY_SETTINGS_VALUE_MAX 4096u

enum wry_setting_type {
    WRY_SETTING_TEXT = 1,    /* UTF-8 */
    WRY_SETTING_INTEGER = 2, /* 64 bits, signed */
    WRY_SETTING_REAL = 3,    /* IEEE 754 binary64 */
    WRY_SETTING_BOOLEAN = 4,
    WRY_SETTING_BYTES = 5,
};

struct wry_settings_head {
    uint32_t generation;
    uint32_t length; /* bytes of the whole block */
    uint16_t count;  /* number of settings */
};

/* One setting. key and bytes point into the block. */
struct wry_setting {
    const char *key; /* a letter, then letters, digits, '-' and '_'; not ended by a NUL */
    uint8_t key_length;
    uint8_t type; /* enum wry_setting_type */
    bool secret;  /* its value must not be displayed */
    bool boolean;
    int64_t integer;
    double real;
    const uint8_t *bytes; /* texts and bytes */
    uint16_t length;
};

/* Bytes of one slot in a region of this length; 0 if it is too small for two. */
uint32_t wry_settings_slot(uint32_t region_length);

/* True if the bytes begin like a block, valid or not. bytes: at least 4. */
bool wry_settings_present(const uint8_t *bytes);

/*
 * Reads the head, which gives the length of the block. False if it is not a head, or the length
 * exceeds WRY_SETTINGS_BLOCK_MAX. bytes: WRY_SETTINGS_HEAD_SIZE of them.
 */
bool wry_settings_head(struct wry_settings_head *head, const uint8_t *bytes);

/* Checks a whole block: CRC-32, keys, types, lengths, and that no key occurs twice. */
bool wry_settings_get(struct wry_settings_head *head, const uint8_t *bytes, size_t n);

/* Returns the setting at *at and advances *at; false after the last one. The block is valid. */
bool wry_settings_next(const uint8_t *bytes, const struct wry_settings_head *head, size_t *at,
                       struct wry_setting *setting);

/* True for a valid key; see struct wry_setting. */
bool wry_settings_key_is_fit(const char *key, size_t n);

/* A block under construction, in the caller's memory. */
struct wry_settings_writer {
    uint8_t *bytes;
    size_t room, used;
    uint16_t count;
    bool failed; /* something did not fit */
};

void wry_settings_begin(struct wry_settings_writer *writer, uint8_t *bytes, size_t room);
void wry_settings_add(struct wry_settings_writer *writer, const struct wry_setting *setting);
/* Completes the block; returns its length, or 0 if it did not fit or a key or value was invalid. */
size_t wry_settings_end(struct wry_settings_writer *writer, uint32_t generation);

#ifdef __cplusplus
}
#endif

#endif
