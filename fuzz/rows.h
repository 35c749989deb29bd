/* SQLite files as somebody else might change them: by statements, so that they stay databases. */
#ifndef WRY_FUZZ_ROWS_H
#define WRY_FUZZ_ROWS_H

#include "door.h"

/* Changes and adds rows of the tables there are, to any values, and takes rules away before that
 * where the input says so. */
void rows_change(const char *path, struct door_input *input);

#endif
