/*
 * The buttons of a simulated board. Another process presses them through a small file next to the
 * flash. A served board reacts at once; a board that is switched on in virtual time finds its
 * strap held if the boot button is.
 *
 *     buttons_press(folder, "loading", &error);
 */
#ifndef WRY_BENCH_BUTTONS_H
#define WRY_BENCH_BUTTONS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

/* The state of the buttons. */
struct buttons {
    bool boot;       /* held */
    bool due;        /* enter loading mode at the next power-up */
    uint64_t resets; /* number of taps so far */
    uint64_t
        loading; /* times that loading mode was entered (boot held, reset tapped, boot released) */
    uint64_t power; /* times that power was switched off and on */
};

/* Presses "boot" (and holds it), "release", "reset", "loading" or "power". folder: the board's. */
gboolean buttons_press(const char *folder, const char *what, GError **error);

/* All released if there is no such file. */
struct buttons buttons_read(const char *folder);

/* Clears due. */
void buttons_done(const char *folder);

#endif
