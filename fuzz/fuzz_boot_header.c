/* Any bytes as a boot header, with a CRC-32 that fits where the first byte asks for it. */
#include <string.h>

#include "core/bytes/fields.h"
#include "door.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/bytes.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    uint8_t header[WRY_BOOT_HEADER_SIZE], again[WRY_BOOT_HEADER_SIZE];
    struct wry_boot_header had, has;

    if (n < 1 + sizeof header)
        return 0;
    memcpy(header, bytes + 1, sizeof header);
    if (bytes[0] % 2)
        bytes_put32(header + sizeof header - 4, wry_crc32(0, header, sizeof header - 4));
    if (!wry_boot_header_get(&had, header))
        return 0;
    MUST(strlen(had.version) <= WRY_BOOT_TEXT_SIZE);
    wry_boot_header_put(again, &had);
    MUST(wry_boot_header_get(&has, again));
    MUST(has.chip_code == had.chip_code && has.kind == had.kind &&
         has.only_upgrade == had.only_upgrade && has.flash_size_log2 == had.flash_size_log2 &&
         has.read_lines == had.read_lines && has.read_clock == had.read_clock &&
         has.body_length == had.body_length && strcmp(has.version, had.version) == 0);
    return 0;
}
