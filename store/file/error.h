/* What can go wrong with files of ours. */
#ifndef WRY_STORE_ERROR_H
#define WRY_STORE_ERROR_H

#include <glib.h>

enum store_error {
    STORE_ERROR_FILE,    /* the system refused: missing, not readable, disk full */
    STORE_ERROR_EXISTS,  /* there is a file of that name */
    STORE_ERROR_NONE,    /* there is nothing of that name */
    STORE_ERROR_DAMAGED, /* the content is not what it should be */
};

#define STORE_ERROR store_error_quark()
GQuark store_error_quark(void);

/* Sets error to "path: what errno says"; returns FALSE. */
gboolean store_file_error(GError **error, const char *path);

#endif
