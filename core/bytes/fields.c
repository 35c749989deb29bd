/* Little-endian fields. */
#include "fields.h"

uint16_t bytes_get16(const uint8_t *from)
{
    return (uint16_t)(from[0] | from[1] << 8);
}

uint32_t bytes_get32(const uint8_t *from)
{
    return (uint32_t)from[0] | (uint32_t)from[1] << 8 | (uint32_t)from[2] << 16 |
           (uint32_t)from[3] << 24;
}

void bytes_put16(uint8_t *to, uint16_t value)
{
    to[0] = (uint8_t)value;
    to[1] = (uint8_t)(value >> 8);
}

void bytes_put32(uint8_t *to, uint32_t value)
{
    bytes_put16(to, (uint16_t)value);
    bytes_put16(to + 2, (uint16_t)(value >> 16));
}

bool bytes_are_text(const uint8_t *bytes, unsigned n)
{
    for (unsigned i = 0; i < n && bytes[i] != 0; i++) {
        if (bytes[i] < 0x20 || bytes[i] > 0x7E)
            return false;
    }
    return true;
}
