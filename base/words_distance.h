/* How far apart two words are, for finding what was meant. */
#ifndef WRY_BASE_WORDS_DISTANCE_H
#define WRY_BASE_WORDS_DISTANCE_H

/* Letters to be inserted, deleted, replaced or exchanged with their neighbour (the optimal string
 * alignment distance), without regard to case. */
unsigned words_distance(const char *a, const char *b);

#endif
