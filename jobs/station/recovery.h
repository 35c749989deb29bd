/* Recovery of interrupted writes, from the journal of this computer. */
#pragma once

#include "station_problem.h"
#include "wrytograph/plan.h"

/* Notes what an interrupted job has left on the board, as far as this computer knows; changes
 * nothing. recovers: this job recovers it and notes that itself. */
void recovery_tell(struct wry_station *station, bool recovers);

/*
 * Opens the journal and recovers interrupted writes on this board. Call it before the flash is read
 * for a backup or written.
 */
struct wry_problem *recovery_settle(struct wry_station *station);

/* Notes blank parts of sectors with content, as an interrupted write by another computer leaves
 * them. */
struct wry_problem *recovery_look_beside(struct wry_station *station,
                                         const struct wry_region_table *layout,
                                         const struct wry_plan *plan);

/* Closes the journal and notes what is still unsettled. */
void recovery_close(struct wry_station *station);
