/* "Did you mean": the known word that a mistyped one resembles. */
#pragma once

#include <glib.h>

/* The word with the fewest letters to change, if those are at most two and fewer than half of it;
 * NULL otherwise. known: strings. */
const char *suggest_word(const char *word, const GPtrArray *known);
