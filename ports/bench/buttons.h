/*
 * The buttons of a simulated board, pressed by another process: a small file beside its flash.
 *
 * A served board acts on them at once; one that is opened in virtual time finds its strap held at
 * power-up when the boot button is.
 *
 *     buttons_press(folder, "loading", &error);
 */
#ifndef WRY_BENCH_BUTTONS_H
#define WRY_BENCH_BUTTONS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

/* How they were left. */
struct buttons {
    bool boot;       /* held */
    bool due;        /* loading mode was entered by hand, for the next power-up */
    uint64_t resets; /* taps, counted from the first */
    uint64_t
        loading;    /* times that loading mode was entered: boot held, reset tapped, boot let go */
    uint64_t power; /* times that the power was taken away and put back */
};

/* What: "boot" (and hold), "release", "reset", "loading", "power". False with an error otherwise.
 * folder: of the board. */
gboolean buttons_press(const char *folder, const char *what, GError **error);

/* All let go where there is no such file. */
struct buttons buttons_read(const char *folder);

/* What was due has happened. */
void buttons_done(const char *folder);

#endif
