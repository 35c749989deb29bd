/*
 * A mistake in a file that somebody wrote: where it stands, and what is wrong.
 *
 *     printf("%s:%u:%u: %s\n", mistake->file, mistake->line, mistake->column, mistake->text);
 */
#ifndef WRYTOGRAPH_HOST_DIAGNOSTIC_H
#define WRYTOGRAPH_HOST_DIAGNOSTIC_H

#include <glib.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_diagnostic {
    char *file;
    unsigned line, column; /* from 1; column in characters; 0 = of all of the file */
    char *text;            /* a sentence without its full stop */
};

#ifdef __cplusplus
}
#endif

#endif
