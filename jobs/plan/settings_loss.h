/*
 * Settings and calibration that a job would destroy and that exist nowhere else.
 *
 * Each settings region that a plan touches is compared as it is with how it would be. Keys that the
 * new content does not have, and content that is no settings block at all, are lost; unless a
 * backup of this very board is known that holds the same values, that takes the user's word.
 *
 *     problem = settings_loss_check(station, &planned.plan, &target.layout);
 */
#ifndef WRY_JOBS_SETTINGS_LOSS_H
#define WRY_JOBS_SETTINGS_LOSS_H

#include "jobs/station/station_problem.h"
#include "wrytograph/layout.h"

/*
 * Fails with WRY_PROBLEM_SETTINGS_LOST or WRY_PROBLEM_CONTENT_LOST, or if the board or the record
 * of backups cannot be read. layout: where settings are now. The station is connected.
 */
struct wry_problem *settings_loss_check(struct wry_station *station, const struct wry_plan *plan,
                                        const struct wry_layout *layout);

#endif
