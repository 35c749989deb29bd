/* The ledger's schema in numbered steps, made from store/migrations; each list ends with NULL. */
#ifndef WRY_STORE_LEDGER_MIGRATIONS_H
#define WRY_STORE_LEDGER_MIGRATIONS_H

#include <stddef.h>

extern const char *const ledger_sqlite_migrations[];
extern const char *const ledger_postgres_migrations[];

#endif
