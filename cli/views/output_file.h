/*
 * Destinations of results: a file that appears when it is complete, or the standard output. Every
 * error names the file and the reason.
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdio.h>

struct wry_atomic_file;

struct output_file {
    FILE *to;
    struct wry_atomic_file *pending; /* NULL for the standard output */
    const char *path;
};

/* path: NULL for the standard output; it must outlive the output. */
bool output_file_begin(struct output_file *output, const char *path, GError **error);

/* Ends the output. good: keep the file; otherwise it is dropped. False if it is not kept, with
 * error set only if it could not be written. */
bool output_file_end(struct output_file *output, bool good, GError **error);

/* Flushes; returns 0, or the errno of the first failed write since it was opened. */
int output_file_reason(FILE *file);

/* Flushes and closes; false with "path: reason" if any write since it was opened failed. */
bool output_file_close(FILE *file, const char *path, GError **error);
