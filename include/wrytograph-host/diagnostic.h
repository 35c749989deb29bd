/*
 * A mistake in a text file: where it is, and what is wrong.
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
    unsigned line, column; /* counted from 1, columns in characters; 0 = the whole file */
    char *text;            /* a sentence without full stop */
};

#ifdef __cplusplus
}
#endif

#endif
