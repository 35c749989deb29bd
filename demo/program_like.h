/*
 * Made-up programs as a compiler and linker would lay them out, for demo and measurements:
 * functions that call each other by distance and refer to text and tables by address. The next
 * version has some functions changed, some new and some gone, so all that follows has moved, and
 * what refers to it holds other numbers.
 */
#ifndef WRY_DEMO_PROGRAM_LIKE_H
#define WRY_DEMO_PROGRAM_LIKE_H

#include <stddef.h>
#include <stdint.h>

/*
 * Fills exactly n bytes, at least 16 KiB, the same at every call. Versions of one seed are those of
 * one program; each differs from the one before in about one function of thirty.
 */
void fill_like_program(uint8_t *to, size_t n, uint64_t seed, unsigned version);

#endif
