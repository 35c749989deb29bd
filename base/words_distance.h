/* The edit distance of words, for suggestions ("did you mean"). */
#pragma once

/* The number of letters to insert, delete, replace or exchange with a neighbour (optimal string
 * alignment distance), ignoring case. */
unsigned words_distance(const char *a, const char *b);
