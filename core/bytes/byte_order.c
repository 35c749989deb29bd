/* Little-endian fields and the blank test. */
#include "wrytograph/bytes.h"

uint16_t wry_get16(const uint8_t *from)
{
    return (uint16_t)(from[0] | from[1] << 8);
}

uint32_t wry_get32(const uint8_t *from)
{
    return (uint32_t)from[0] | (uint32_t)from[1] << 8 | (uint32_t)from[2] << 16 |
           (uint32_t)from[3] << 24;
}

void wry_put16(uint8_t *to, uint16_t value)
{
    to[0] = (uint8_t)value;
    to[1] = (uint8_t)(value >> 8);
}

void wry_put32(uint8_t *to, uint32_t value)
{
    wry_put16(to, (uint16_t)value);
    wry_put16(to + 2, (uint16_t)(value >> 16));
}

bool wry_bytes_blank(const uint8_t *bytes, size_t n)
{
    size_t i = 0;

    /* Eight at a time: a loader looks at all that it erases. */
    for (; n - i >= 8; i += 8) {
        const uint8_t *at = bytes + i;
        if ((at[0] & at[1] & at[2] & at[3] & at[4] & at[5] & at[6] & at[7]) != 0xFF)
            return false;
    }
    for (; i < n; i++) {
        if (bytes[i] != 0xFF)
            return false;
    }
    return true;
}
