/* Decoding of the block-protect bits in a hello reply. */
#include "wrytograph/flash.h"

enum {
    BITS_SHIFT = 2, /* BP0 to BP2 are bits 2 to 4 of the status register */
    BITS_MASK = 7,
    BIT_BOTTOM = 0x20,  /* TB: counted from offset 0 instead of from the end */
    BIT_SECTORS = 0x40, /* SEC: counted in sectors instead of fractions of the flash */
    ALL = 7,
    SECTORS_MAX = 4, /* BP of the largest sector count, 8 */
};

uint32_t wry_protected_range(uint8_t protect, uint32_t capacity, uint32_t *offset)
{
    uint32_t level = protect >> BITS_SHIFT & BITS_MASK;
    uint32_t length = capacity;

    if (level == 0) {
        *offset = 0;
        return 0;
    }
    if (level < ALL && (protect & BIT_SECTORS))
        length = WRY_SECTOR_SIZE << ((level < SECTORS_MAX ? level : SECTORS_MAX) - 1);
    else if (level < ALL)
        length = capacity >> (ALL - level);
    *offset = protect & BIT_BOTTOM ? 0 : capacity - length;
    return length;
}
