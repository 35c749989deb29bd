/* What must hold of each store, whatever its file holds: an error that is told, or one that keeps
 * what it is given. Each makes its file where there is none, and puts something into it. */
#ifndef WRY_FUZZ_STORES_H
#define WRY_FUZZ_STORES_H

#include "door.h"

/* The store's file holds these bytes, in a folder of its own that goes afterwards, and its rows are
 * changed as changes says; NULL = not at all. */
void stores_try(const char *file, const uint8_t *bytes, size_t n, struct door_input *changes,
                void (*use)(const char *folder));

void stores_use_journal(const char *folder); /* journal.db; a process looks at a file once */
void stores_use_known(const char *folder);   /* known.db */
void stores_use_ledger(const char *folder);  /* ledger.db */
void stores_use_shelf(const char *folder);   /* shelf.db */
void stores_use_backups(const char *folder); /* backups.db */

#endif
