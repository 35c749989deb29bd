/*
 * Errors of calls that need no station: the shelf, cards, inspected files, bench boards.
 *
 * Such a call takes a GError **. Its message says what is wrong and where (file, line); its domain
 * is one of these, or that of a port (serial.h, remote.h).
 *
 *     g_autoptr(GError) error = NULL;
 *     g_autoptr(GPtrArray) items = wry_shelf_items(NULL, &error);
 *     if (!items)
 *         fprintf(stderr, "%s\n%s\n", error->message, wry_error_advice(error));
 */
#ifndef WRYTOGRAPH_HOST_ERROR_H
#define WRYTOGRAPH_HOST_ERROR_H

#include <glib.h>

#include "wrytograph-host/problem.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Files and databases of this program. */
enum wry_store_error {
    WRY_STORE_ERROR_FILE,    /* the system refused: missing, not readable, disk full */
    WRY_STORE_ERROR_EXISTS,  /* a file with this name exists */
    WRY_STORE_ERROR_NONE,    /* nothing with this name exists */
    WRY_STORE_ERROR_DAMAGED, /* the content is damaged or invalid */
};

#define WRY_STORE_ERROR wry_store_error_quark()
GQuark wry_store_error_quark(void);

/* Simulated boards. */
enum wry_bench_error {
    WRY_BENCH_ERROR_BAD_NAME,   /* not a valid name of a board */
    WRY_BENCH_ERROR_BAD_VALUE,  /* a value that does not fit the chip */
    WRY_BENCH_ERROR_BAD_FAULT,  /* not a fault */
    WRY_BENCH_ERROR_BAD_BUTTON, /* not a button */
    WRY_BENCH_ERROR_EXISTS,
    WRY_BENCH_ERROR_UNKNOWN, /* no such board */
    WRY_BENCH_ERROR_DAMAGED, /* board.yaml or flash.bin is damaged or invalid */
    WRY_BENCH_ERROR_BUSY,    /* another process works on the board */
    WRY_BENCH_ERROR_FILE,    /* the system refused */
};

#define WRY_BENCH_ERROR wry_bench_error_quark()
GQuark wry_bench_error_quark(void);

/* Input files, before anything is read from them. */
enum wry_text_file_error {
    WRY_TEXT_FILE_ERROR_SYSTEM,    /* missing, not readable */
    WRY_TEXT_FILE_ERROR_KIND,      /* a folder, a pipe, a device */
    WRY_TEXT_FILE_ERROR_TOO_LARGE, /* or nested too deep */
};

#define WRY_TEXT_FILE_ERROR wry_text_file_error_quark()
GQuark wry_text_file_error_quark(void);

/* What to do next, as a sentence; NULL if there is nothing to add to the message. */
const char *wry_error_advice(const GError *error);

/* The outcome of a call that failed with this error. */
enum wry_outcome wry_error_outcome(const GError *error);

#ifdef __cplusplus
}
#endif

#endif
