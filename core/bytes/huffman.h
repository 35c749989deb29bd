/* Prefix codes from symbol frequencies. */
#ifndef WRY_BYTES_HUFFMAN_H
#define WRY_BYTES_HUFFMAN_H

#include <stdint.h>

/*
 * Computes optimal code lengths of at most limit bits for n symbols (at most 286); 0 for symbols
 * that do not occur. At least two symbols get a code. order and weights have room for n entries.
 */
void huffman_lengths(const uint16_t *uses, unsigned n, unsigned limit, uint8_t *lengths,
                     uint16_t *order, uint32_t *weights);

/* Assigns the codes for these lengths as in RFC 1951 (3.2.2), first bit lowest. */
void huffman_codes(const uint8_t *lengths, unsigned n, uint16_t *codes);

#endif
