/*
 * Many boards at once, a line for each: step, bar, speed, time, outcome. On a terminal the lines
 * are drawn over again; elsewhere a line is printed when a step begins and when a board is done.
 *
 *     struct many_view *view = many_view_new(app, rows, count);
 *     many_view_draw(view);      now and then
 *     many_view_end(view);
 */
#ifndef WRY_CLI_MANY_H
#define WRY_CLI_MANY_H

#include "app/app.h"
#include "wrytograph-host/card.h"

/* What is shown of one board. The board's thread fills it in, under its lock. */
struct many_row {
    bool done_before; /* it needed nothing */
    GMutex lock;
    const char *link;
    int64_t begun, ended; /* us on the clock on the wall; 0 = not yet */
    bool in_step;
    enum wry_run_step step;
    uint64_t done, total; /* bytes of what is going on; total 0: nothing that has any */
    uint32_t speed;       /* baud */
    char board[24];       /* its address; "" = not known yet */
    enum wry_outcome outcome;
    char *words; /* why it did not pass; g_free */
    bool told;   /* its end was printed */
    enum wry_run_step told_step;
    bool told_any;
};

struct many_view;

struct many_view *many_view_new(const struct app *app, struct many_row *rows, size_t count);
void many_view_draw(struct many_view *view);
/* Leaves the last lines standing. */
void many_view_end(struct many_view *view);

#endif
