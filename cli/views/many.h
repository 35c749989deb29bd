/*
 * Many boards at once, one line each: step, bar, speed, time, outcome. On a terminal the lines are
 * redrawn; elsewhere a line is printed when a step begins and when a board ends.
 *
 *     struct many_view *view = many_view_new(app, rows, count);
 *     many_view_draw(view); now and then
 *     many_view_free(view);
 */
#pragma once

#include "app/app.h"
#include "wrytograph-host/card.h"

/* What is shown of one board; filled in by the board's thread, under the lock. */
struct many_row {
    bool waits;       /* with --each: for a board to be connected */
    bool to_remove;   /* with --each: the board has ended and is still there */
    bool done_before; /* the board needed nothing */
    GMutex lock;
    const char *link;
    int64_t begun, ended; /* us of real time; 0 = not yet */
    bool in_step;
    enum wry_run_step step;
    uint64_t done, total; /* bytes of the current step; total 0: it has none */
    uint32_t speed;       /* baud */
    char board[24];       /* its address; "" = unknown */
    enum wry_outcome outcome;
    char *words; /* why it failed; free with g_free */
    char *who;   /* who the board is, by its row; NULL = none; free with g_free */
    bool told;   /* its result was printed */
    enum wry_run_step told_step;
    bool told_any;
};

struct many_view;

struct many_view *many_view_new(const struct app *app, struct many_row *rows, size_t count);
void many_view_draw(struct many_view *view);
/* Replaces the line of totals below the boards; NULL for the usual one. */
void many_view_set_caption(struct many_view *view, const char *text);
/* Removes the display, so that lines can be printed; the next drawing restores it. */
void many_view_hide(struct many_view *view);
/* The last lines stay on the terminal. */
void many_view_free(struct many_view *view);
