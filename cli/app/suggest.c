/* Similar words. */
#include "suggest.h"

#include <string.h>

enum {
    LETTERS_MOST = 40,
    CHANGES_MOST = 2,
};

/* Letters to insert, remove, replace or exchange with their neighbour (Damerau and Levenshtein);
 * more than CHANGES_MOST for words that are too long. */
static unsigned distance(const char *a, const char *b)
{
    unsigned rows[LETTERS_MOST + 1][LETTERS_MOST + 1];
    size_t n = strlen(a), m = strlen(b);

    if (n > LETTERS_MOST || m > LETTERS_MOST)
        return LETTERS_MOST;
    for (unsigned i = 0; i <= n; i++)
        rows[i][0] = i;
    for (unsigned k = 0; k <= m; k++)
        rows[0][k] = k;
    for (size_t i = 1; i <= n; i++) {
        for (size_t k = 1; k <= m; k++) {
            unsigned replaced = rows[i - 1][k - 1] + (a[i - 1] != b[k - 1]);
            unsigned other = MIN(rows[i - 1][k], rows[i][k - 1]) + 1;
            rows[i][k] = MIN(replaced, other);
            if (i > 1 && k > 1 && a[i - 1] == b[k - 2] && a[i - 2] == b[k - 1])
                rows[i][k] = MIN(rows[i][k], rows[i - 2][k - 2] + 1);
        }
    }
    return rows[n][m];
}

const char *suggest_word(const char *word, const GPtrArray *known)
{
    unsigned least = CHANGES_MOST + 1;
    const char *best = NULL;

    for (guint i = 0; i < known->len; i++) {
        const char *other = g_ptr_array_index(known, i);
        unsigned changes = distance(word, other);
        if (changes < least && changes * 2 < strlen(other)) {
            least = changes;
            best = other;
        }
    }
    return best;
}
