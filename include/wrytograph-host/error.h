/*
 * Errors of calls that work without a station: the shelf, cards, files that are looked into, boards
 * of a bench. Such a call takes a GError **; the message says what is wrong and where (file, line).
 * Its domain is one of these, or that of a port (serial.h, remote.h).
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

/* Files that this program keeps. */
enum wry_store_error {
    WRY_STORE_ERROR_FILE,    /* the system refused: missing, not readable, disk full */
    WRY_STORE_ERROR_EXISTS,  /* there is a file of that name */
    WRY_STORE_ERROR_NONE,    /* there is nothing of that name */
    WRY_STORE_ERROR_DAMAGED, /* the content is not what it should be */
};

#define WRY_STORE_ERROR wry_store_error_quark()
GQuark wry_store_error_quark(void);

/* Simulated boards. */
enum wry_bench_error {
    WRY_BENCH_ERROR_BAD_NAME,   /* not a name that a board can have */
    WRY_BENCH_ERROR_BAD_VALUE,  /* a value that does not fit the chip */
    WRY_BENCH_ERROR_BAD_FAULT,  /* no fault that a board can have */
    WRY_BENCH_ERROR_BAD_BUTTON, /* nothing that can be pressed */
    WRY_BENCH_ERROR_EXISTS,
    WRY_BENCH_ERROR_UNKNOWN, /* no such board */
    WRY_BENCH_ERROR_DAMAGED, /* board.yaml or flash.bin is not what it should be */
    WRY_BENCH_ERROR_BUSY,    /* another process works on the board */
    WRY_BENCH_ERROR_FILE,    /* the system refused */
};

#define WRY_BENCH_ERROR wry_bench_error_quark()
GQuark wry_bench_error_quark(void);

/* Files that the user hands in, before anything is read from them. */
enum wry_text_file_error {
    WRY_TEXT_FILE_ERROR_SYSTEM,    /* missing, not readable */
    WRY_TEXT_FILE_ERROR_KIND,      /* a folder, a pipe, a device */
    WRY_TEXT_FILE_ERROR_TOO_LARGE, /* or nested too deep */
};

#define WRY_TEXT_FILE_ERROR wry_text_file_error_quark()
GQuark wry_text_file_error_quark(void);

/* What to do about it, in a sentence; NULL when there is nothing to add to the message. */
const char *wry_error_advice(const GError *error);

/* How a call ended that failed with it. */
enum wry_outcome wry_error_outcome(const GError *error);

#ifdef __cplusplus
}
#endif

#endif
