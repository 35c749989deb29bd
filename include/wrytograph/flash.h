/*
 * Properties of the flash that host and board share: a SPI NOR part with pages and sectors,
 * identified by its JEDEC ID (JESD216 defines commands and structures), on a board identified by
 * its EUI-48 address (IEEE 802).
 *
 *     uint32_t offset;
 *     uint32_t length = wry_protected_range(board->protect, board->capacity, &offset);
 */
#ifndef WRYTOGRAPH_FLASH_H
#define WRYTOGRAPH_FLASH_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_PAGE_SIZE 256u        /* bytes; the most that one program operation writes */
#define WRY_SECTOR_SIZE 4096u     /* bytes; the smallest unit of erase that is used */
#define WRY_FLASH_MAX 0x10000000u /* bytes: the largest flash, 256 MiB */

#define WRY_EUI48_SIZE 6u /* IEEE 802, transmitted first octet first */
#define WRY_JEDEC_SIZE 3u /* manufacturer, type, capacity, as the flash answers command 0x9F */

/*
 * The range that the block-protect bits of a status register lock, in the encoding that is usual
 * for NOR flash: BP2 to BP0 (bits 4 to 2) select a fraction (1/64, 1/32, … 1/2, all), TB (bit 5)
 * counts it from the bottom, SEC (bit 6) counts in sectors (1, 2, 4, 8). capacity is in bytes.
 * Returns the length in bytes, 0 if nothing is protected; always sets *offset.
 */
uint32_t wry_protected_range(uint8_t protect, uint32_t capacity, uint32_t *offset);

#ifdef __cplusplus
}
#endif

#endif
