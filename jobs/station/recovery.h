/* Keeping what an erase puts at risk: the journal of this computer, and what is told of it. */
#ifndef WRY_JOBS_RECOVERY_H
#define WRY_JOBS_RECOVERY_H

#include "station_problem.h"
#include "wrytograph/plan.h"

/* Tells what a cut job has left on the board, as far as this computer knows; changes nothing.
 * recovers: the job that begins puts it back, and tells that itself. */
void recovery_tell(struct wry_station *station, bool recovers);

/*
 * Opens the journal, and puts back what a job that was cut on this board put at risk; to be called
 * before the flash is read or written for keeps.
 */
struct wry_problem *recovery_settle(struct wry_station *station);

/* Tells where it is blank beside content, as a job that was cut on another computer leaves it. */
struct wry_problem *recovery_look_beside(struct wry_station *station,
                                         const struct wry_region_table *layout,
                                         const struct wry_plan *plan);

/* Closes the journal; what is still unsettled is told. */
void recovery_close(struct wry_station *station);

#endif
