/* The ledger's schema in numbered steps, made from store/migrations; each list ends with NULL. */
#pragma once

#include <stddef.h>

extern const char *const ledger_sqlite_migrations[];
extern const char *const ledger_postgres_migrations[];
