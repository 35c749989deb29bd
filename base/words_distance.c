/* The edit distance of two words. */
#include "words_distance.h"

#include <glib.h>
#include <stdbool.h>
#include <string.h>

static unsigned least(unsigned a, unsigned b, unsigned c)
{
    return MIN(a, MIN(b, c));
}

static bool same(char a, char b)
{
    return g_ascii_tolower(a) == g_ascii_tolower(b);
}

/* The distance of the first i letters of a and the first k of b; d has those of shorter
 * prefixes. */
static unsigned distance_of(const char *a, const char *b, const unsigned *d, size_t width, size_t i,
                            size_t k)
{
    if (i == 0 || k == 0)
        return (unsigned)(i + k);
    unsigned found = least(d[(i - 1) * width + k] + 1, d[i * width + k - 1] + 1,
                           d[(i - 1) * width + k - 1] + !same(a[i - 1], b[k - 1]));
    bool exchanged = i > 1 && k > 1 && same(a[i - 1], b[k - 2]) && same(a[i - 2], b[k - 1]);
    return exchanged ? MIN(found, d[(i - 2) * width + k - 2] + 1) : found;
}

unsigned words_distance(const char *a, const char *b)
{
    size_t n = strlen(a), m = strlen(b), width = m + 1;
    unsigned *d = g_new0(unsigned, (n + 1) * width);

    for (size_t i = 0; i <= n; i++) {
        for (size_t k = 0; k <= m; k++)
            d[i * width + k] = distance_of(a, b, d, width, i, k);
    }
    unsigned found = d[n * width + m];
    g_free(d);
    return found;
}
