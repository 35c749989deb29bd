/* The boot header in front of a program. */
#include "wrytograph/boot_header.h"
#include "bytes/fields.h"

#include "bytes/memory.h"

#include "wrytograph/bytes.h"

static const uint8_t magic[4] = {'W', 'R', 'Y', 'B'};

enum {
    AT_VERSION = 4,
    AT_KIND = 5,
    AT_CHIP = 6,
    AT_FLASH_SIZE = 8,
    AT_READ_LINES = 9,
    AT_READ_CLOCK = 10,
    AT_FLAGS = 11,
    AT_BODY_LENGTH = 12,
    AT_TEXT = 16,
    AT_CRC = 60,
    FLAG_ONLY_UPGRADE = 1,
};

bool wry_boot_header_present(const uint8_t *bytes)
{
    return memcmp(bytes, magic, sizeof magic) == 0;
}

bool wry_boot_header_get(struct wry_boot_header *header, const uint8_t *bytes)
{
    if (!wry_boot_header_present(bytes) || bytes[AT_VERSION] != WRY_BOOT_HEADER_VERSION ||
        bytes_get32(bytes + AT_CRC) != wry_crc32(0, bytes, AT_CRC) ||
        !bytes_are_text(bytes + AT_TEXT, WRY_BOOT_TEXT_SIZE))
        return false;
    header->chip_code = bytes_get16(bytes + AT_CHIP);
    header->kind = bytes[AT_KIND];
    header->only_upgrade = (bytes[AT_FLAGS] & FLAG_ONLY_UPGRADE) != 0;
    header->flash_size_log2 = bytes[AT_FLASH_SIZE];
    header->read_lines = bytes[AT_READ_LINES];
    header->read_clock = bytes[AT_READ_CLOCK];
    header->body_length = bytes_get32(bytes + AT_BODY_LENGTH);
    memcpy(header->version, bytes + AT_TEXT, WRY_BOOT_TEXT_SIZE);
    header->version[WRY_BOOT_TEXT_SIZE] = '\0';
    return header->flash_size_log2 < 32 &&
           (header->kind == WRY_PROGRAM_UNSAID || header->kind == WRY_PROGRAM_START ||
            header->kind == WRY_PROGRAM_APP);
}

void wry_boot_header_put(uint8_t *bytes, const struct wry_boot_header *header)
{
    memset(bytes, 0, WRY_BOOT_HEADER_SIZE);
    memcpy(bytes, magic, sizeof magic);
    bytes[AT_VERSION] = WRY_BOOT_HEADER_VERSION;
    bytes[AT_KIND] = header->kind;
    bytes[AT_FLAGS] = header->only_upgrade ? FLAG_ONLY_UPGRADE : 0;
    bytes_put16(bytes + AT_CHIP, header->chip_code);
    bytes[AT_FLASH_SIZE] = header->flash_size_log2;
    bytes[AT_READ_LINES] = header->read_lines;
    bytes[AT_READ_CLOCK] = header->read_clock;
    bytes_put32(bytes + AT_BODY_LENGTH, header->body_length);
    for (uint32_t i = 0; i < WRY_BOOT_TEXT_SIZE && header->version[i] != '\0'; i++)
        bytes[AT_TEXT + i] = (uint8_t)header->version[i];
    bytes_put32(bytes + AT_CRC, wry_crc32(0, bytes, AT_CRC));
}
