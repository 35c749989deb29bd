/*
 * Input files: only plain files are opened, and text files are read within limits before any parser
 * sees them.
 *
 *     g_autofree char *text = wry_text_file_read("layout.yaml", WRY_TEXT_FILE_YAML, &length,
 * &error);
 */
#ifndef WRYTOGRAPH_HOST_TEXT_FILE_H
#define WRYTOGRAPH_HOST_TEXT_FILE_H

#include <glib.h>
#include <stdbool.h>

#include "wrytograph-host/error.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_TEXT_FILE_MAX (256u * 1024u)              /* bytes, */
#define WRY_TEXT_FILE_TABLE_MAX (32u * 1024u * 1024u) /* or of a table: 100,000 rows and more */
#define WRY_TEXT_FILE_DEPTH 24u                       /* levels of nested brackets */

enum wry_text_file_kind {
    WRY_TEXT_FILE_JSON,
    WRY_TEXT_FILE_YAML,
    WRY_TEXT_FILE_PLAIN, /* not parsed: nesting is not checked */
    WRY_TEXT_FILE_TABLE, /* likewise, and longer */
};

/* Opens a file for reading; -1 with error if it is not a plain file. Never waits for a pipe. */
int wry_text_file_open_plain(const char *path, GError **error);

/* Reads the whole text, NUL-terminated; free with g_free. */
char *wry_text_file_read(const char *path, enum wry_text_file_kind kind, size_t *length,
                         GError **error);

/* False if lists and objects nest deeper than WRY_TEXT_FILE_DEPTH. */
bool wry_text_file_is_shallow(const char *text, size_t length, enum wry_text_file_kind kind);

#ifdef __cplusplus
}
#endif

#endif
