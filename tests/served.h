/*
 * Boards of the bench, served in real time by a process of its own.
 *
 *     struct served board;
 *     served_new(&board, "gauge-1");
 *     command("identify", "--link", board.link, NULL);
 *     served_end(&board);
 */
#ifndef WRY_TESTS_SERVED_H
#define WRY_TESTS_SERVED_H

#include <glib.h>
#include <stdbool.h>

/* A process in the background and the first line that it printed. */
struct background {
    GPid pid;
    char line[256];
};

bool background_start(struct background *b, const char *const *argv);
/* Ends it with SIGTERM; its exit code, -1 when it did not exit by itself. */
int background_end(struct background *b);

struct served {
    struct background process;
    char *link, *pty;
};

/* Serves one gauge that is on the bench. */
void served_gauge(struct served *bench, const char *name);
/* The same of a new one, with the demo's application in it. */
void served_new(struct served *bench, const char *name);
void served_end(struct served *bench);

#endif
