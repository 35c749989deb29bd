/* A card for the demo's gauges, with its files, in the scratch folder. */
#ifndef WRY_TESTS_CARDS_H
#define WRY_TESTS_CARDS_H

/* card.yaml with pier.yaml and gauges.csv, and the demo's images; lines: more of them, or NULL. */
void cards_make(const char *lines);

/* The value of one column of the ledger's latest run, by sqlite3 itself; "" when it is NULL. Free
 * with g_free. */
char *cards_ledger(const char *column);
/* What a query gives: its first value. */
char *cards_query(const char *query);

#endif
