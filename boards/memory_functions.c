/* The four functions that a compiler may call by itself, for boards without a C library. Built
 * with flags that keep the compiler from turning their loops into calls of themselves. */
#include <stddef.h>
#include <stdint.h>

/* With -flto they would be dropped as unused before the compiler adds its calls. */
#define KEPT __attribute__((used))

KEPT void *memcpy(void *restrict to, const void *restrict from, size_t n);
KEPT void *memmove(void *to, const void *from, size_t n);
KEPT void *memset(void *to, int value, size_t n);
KEPT int memcmp(const void *a, const void *b, size_t n);

void *memcpy(void *restrict to, const void *restrict from, size_t n)
{
    uint8_t *t = to;
    const uint8_t *f = from;

    while (n-- > 0)
        *t++ = *f++;
    return to;
}

void *memmove(void *to, const void *from, size_t n)
{
    uint8_t *t = to;
    const uint8_t *f = from;

    for (size_t i = 0; t <= f && i < n; i++)
        t[i] = f[i];
    while (t > f && n-- > 0)
        t[n] = f[n];
    return to;
}

void *memset(void *to, int value, size_t n)
{
    uint8_t *t = to;

    while (n-- > 0)
        *t++ = (uint8_t)value;
    return to;
}

int memcmp(const void *a, const void *b, size_t n)
{
    const uint8_t *left = a, *right = b;

    for (size_t i = 0; i < n; i++) {
        if (left[i] != right[i])
            return left[i] < right[i] ? -1 : 1;
    }
    return 0;
}
