/* Prefix codes from how often symbols occur. */
#ifndef WRY_BYTES_HUFFMAN_H
#define WRY_BYTES_HUFFMAN_H

#include <stdint.h>

/*
 * The best code lengths of at most limit bits for n symbols (at most 286), 0 for those that do not
 * occur. At least two get a code. order and weights: room for n.
 */
void huffman_lengths(const uint16_t *uses, unsigned n, unsigned limit, uint8_t *lengths,
                     uint16_t *order, uint32_t *weights);

/* The codes of these lengths, first bit lowest, as RFC 1951 (3.2.2) has them follow each other. */
void huffman_codes(const uint8_t *lengths, unsigned n, uint16_t *codes);

#endif
