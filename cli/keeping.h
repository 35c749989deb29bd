/*
 * Keeping what an erase puts at risk: the journal of this computer, and what is said of it.
 */
#ifndef WRY_CLI_KEEPING_H
#define WRY_CLI_KEEPING_H

#include "app.h"
#include "wrytograph/plan.h"

/* Says what a cut job has left on the board, as far as this computer knows; changes nothing. */
void keeping_tell(struct app *app);

/*
 * Opens the journal, and puts back what a job that was cut on this board put at risk; to be called
 * before the flash is read or written for keeps. EXIT_DONE or the code of app_fail.
 */
int keeping_settle(struct app *app);

/*
 * Says what stays beside the images in the sectors that they share, and warns where that is blank
 * beside content, as a job that was cut on another computer leaves it. EXIT_DONE or the code of
 * app_fail.
 */
int keeping_announce(struct app *app, const struct wry_plan *plan);

/* Closes the journal; what is still unsettled is told. */
void keeping_close(struct app *app);

#endif
