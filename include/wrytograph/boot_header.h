/*
 * The boot header: the 64 bytes in front of a program that name its chip, kind, version and flash
 * settings.
 *
 * An image consists of the header, the body, and the SHA-256 of the body; docs/boot-header.md gives
 * the layout. The SHA-256 does not cover the header, which has its own CRC-32: the flash settings
 * can be changed for the board at hand without a new digest.
 *
 *     struct wry_boot_header header;
 *     if (wry_boot_header_get(&header, bytes) && header.chip_code != board->chip_code)
 *         refuse();
 */
#ifndef WRYTOGRAPH_BOOT_HEADER_H
#define WRYTOGRAPH_BOOT_HEADER_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_BOOT_HEADER_SIZE 64u
#define WRY_BOOT_HEADER_VERSION 1u
#define WRY_BOOT_TEXT_SIZE 32u

/* What a program is, where its header says so. The values are those of enum wry_region_kind. */
enum wry_program_kind {
    WRY_PROGRAM_UNSAID = 0,
    WRY_PROGRAM_START = 1, /* what the boot ROM starts */
    WRY_PROGRAM_APP = 3,   /* an application */
};

struct wry_boot_header {
    uint16_t chip_code;
    uint8_t kind;                         /* enum wry_program_kind */
    bool only_upgrade;                    /* an upgrade: of no use on a board without a program */
    uint8_t flash_size_log2;              /* bytes of flash as a power of two; 0 = any */
    uint8_t read_lines;                   /* data lines of the read mode: 1, 2 or 4; 0 = not said */
    uint8_t read_clock;                   /* MHz; 0 = not said */
    uint32_t body_length;                 /* bytes */
    char version[WRY_BOOT_TEXT_SIZE + 1]; /* printable ASCII, ends with NUL */
};

/* True if the bytes begin with the magic number, even if the rest is damaged. */
bool wry_boot_header_present(const uint8_t *bytes);

/* False if the magic number, the version, the CRC-32 or a field is wrong. bytes:
 * WRY_BOOT_HEADER_SIZE of them. */
bool wry_boot_header_get(struct wry_boot_header *header, const uint8_t *bytes);

void wry_boot_header_put(uint8_t *bytes, const struct wry_boot_header *header);

#ifdef __cplusplus
}
#endif

#endif
