/* Files of SQLite's as somebody else has changed them. */
#ifndef WRY_TESTS_TABLES_H
#define WRY_TESTS_TABLES_H

/* Statements that give no rows, run on the file at path. */
void tables_change(const char *path, const char *statements);

#endif
