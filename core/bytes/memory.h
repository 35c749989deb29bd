/*
 * The four functions that compilers require even of freestanding programs (C11, 4 and 7.24). Bare
 * toolchains may lack the header that declares them.
 */
#ifndef WRY_BYTES_MEMORY_H
#define WRY_BYTES_MEMORY_H

#if defined(__has_include)
#if __has_include(<string.h>)
#define WRY_HAS_STRING_H
#endif
#endif

#ifdef WRY_HAS_STRING_H
#include <string.h>
#else
#include <stddef.h>

void *memcpy(void *restrict to, const void *restrict from, size_t n);
void *memmove(void *to, const void *from, size_t n);
void *memset(void *to, int value, size_t n);
int memcmp(const void *a, const void *b, size_t n);
#endif

#endif
