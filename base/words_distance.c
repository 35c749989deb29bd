/* How far apart two words are. */
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

unsigned words_distance(const char *a, const char *b)
{
    size_t n = strlen(a), m = strlen(b), width = m + 1;
    g_autofree unsigned *d = g_new(unsigned, (n + 1) * width);

    for (size_t i = 0; i <= n; i++) {
        for (size_t k = 0; k <= m; k++) {
            unsigned *at = &d[i * width + k];
            if (i == 0 || k == 0) {
                *at = (unsigned)(i + k);
                continue;
            }
            *at = least(at[-(ptrdiff_t)width] + 1, at[-1] + 1,
                        at[-(ptrdiff_t)width - 1] + !same(a[i - 1], b[k - 1]));
            if (i > 1 && k > 1 && same(a[i - 1], b[k - 2]) && same(a[i - 2], b[k - 1]))
                *at = MIN(*at, d[(i - 2) * width + k - 2] + 1);
        }
    }
    return d[n * width + m];
}
