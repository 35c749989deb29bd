/*
 * Settings and calibration that a job would destroy and that exist nowhere else.
 *
 * For each settings region that a plan touches, the current content is compared with the content
 * after the job. Keys that would be missing, and content that is not a settings block, are lost
 * unless a known backup of this board has the same values. Such a job needs the user's consent.
 *
 *     problem = settings_loss_check(station, &planned.plan, &target.layout);
 */
#pragma once

#include "jobs/station/station_problem.h"
#include "wrytograph/layout.h"

/*
 * Fails with WRY_PROBLEM_SETTINGS_LOST or WRY_PROBLEM_CONTENT_LOST, or if the board or the record
 * of backups cannot be read. layout: the current one. The station is connected.
 */
struct wry_problem *settings_loss_check(struct wry_station *station, const struct wry_plan *plan,
                                        const struct wry_layout *layout);
