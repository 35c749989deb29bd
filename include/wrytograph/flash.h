/*
 * The flash that both ends speak of: a SPI NOR part with pages and sectors, known by its JEDEC ID
 * (JESD216 names the commands and structures), on a board known by its EUI-48 address (IEEE 802).
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

#define WRY_PAGE_SIZE 256u       /* bytes; a page programs as one operation */
#define WRY_SECTOR_SIZE 4096u    /* bytes; the smallest unit of erase */
#define WRY_FLASH_MAX 0x8000000u /* bytes: the largest flash, 128 MiB */

#define WRY_EUI48_SIZE 6u /* IEEE 802, transmitted first octet first */
#define WRY_JEDEC_SIZE 3u /* manufacturer, type, capacity, as the flash answers command 0x9F */

/*
 * The range that the block-protect bits of a status register lock, as is usual for NOR flash: BP2
 * to BP0 (bits 4 to 2) name a part (1/64, 1/32, … 1/2, all), TB (bit 5) counts it from the bottom,
 * SEC (bit 6) counts in sectors (1, 2, 4, 8). capacity is in bytes. Returns its length in bytes, 0
 * when nothing is protected; *offset is set in any case.
 */
uint32_t wry_protected_range(uint8_t protect, uint32_t capacity, uint32_t *offset);

#ifdef __cplusplus
}
#endif

#endif
