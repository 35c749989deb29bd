/* Comparing names without a string library. */
#ifndef WRY_FLASH_NAMES_H
#define WRY_FLASH_NAMES_H

#include <stdbool.h>

static inline bool names_are_same(const char *a, const char *b)
{
    while (*a != '\0' && *a == *b)
        a++, b++;
    return *a == *b;
}

#endif
