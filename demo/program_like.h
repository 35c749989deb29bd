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

struct program_like {
    uint64_t seed;     /* the program */
    unsigned version;  /* each differs from the one before in about one function of thirty */
    unsigned compiler; /* others use other registers and places on the stack */
};

/* Fills exactly n bytes, at least 16 KiB, the same at every call. */
void fill_like_program_of(uint8_t *to, size_t n, const struct program_like *program);

/* The same by the first compiler. */
void fill_like_program(uint8_t *to, size_t n, uint64_t seed, unsigned version);

#endif
