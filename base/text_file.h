/*
 * Files that somebody hands in: opened only when they are plain files, and small texts read whole
 * within bounds, before any parser sees them.
 *
 *     g_autofree char *text = text_file_read("layout.yaml", TEXT_FILE_YAML, &length, &error);
 */
#ifndef WRY_BASE_TEXT_FILE_H
#define WRY_BASE_TEXT_FILE_H

#include <glib.h>
#include <stdbool.h>

#include "wrytograph-host/error.h"

#define TEXT_FILE_MAX (256u * 1024u) /* bytes */
#define TEXT_FILE_DEPTH 24u          /* of brackets within brackets */

enum text_file_kind {
    TEXT_FILE_JSON,
    TEXT_FILE_YAML,
    TEXT_FILE_PLAIN, /* no parser follows */
};

/* A descriptor to read from; -1 with an error when it is no plain file. Never waits for a pipe. */
int text_file_open_plain(const char *path, GError **error);

/* The whole text, NUL-terminated; free with g_free. */
char *text_file_read(const char *path, enum text_file_kind kind, size_t *length, GError **error);

/* False when lists and objects nest deeper than TEXT_FILE_DEPTH. */
bool text_file_is_shallow(const char *text, size_t length, enum text_file_kind kind);

#endif
