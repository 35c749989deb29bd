/* Sets of small numbers as bits: number n is bit n % 8 of byte n / 8, as in messages. */
#ifndef WRY_BYTES_BITS_H
#define WRY_BYTES_BITS_H

#include <stdbool.h>
#include <stdint.h>

static inline bool bits_has(const uint8_t *bits, uint32_t n)
{
    return (bits[n / 8] >> n % 8 & 1) != 0;
}

static inline void bits_add(uint8_t *bits, uint32_t n)
{
    bits[n / 8] |= (uint8_t)(1u << n % 8);
}

static inline void bits_remove(uint8_t *bits, uint32_t n)
{
    bits[n / 8] &= (uint8_t) ~(1u << n % 8);
}

#endif
