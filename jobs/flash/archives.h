/* Helpers for jobs with archives. */
#pragma once

#include "jobs/station/station_problem.h"
#include "store/archive/archive.h"
#include "wrytograph/plan.h"

/* One range of an archive as a placement; the archive must outlive it. */
struct wry_placement archives_placement(struct archive_range *range);

/* Checks chip and flash size of the archive against the board. */
struct wry_problem *archives_check_flash(struct wry_station *station, const struct archive *archive,
                                         const char *path);

/* True if the archive belongs to this board. */
bool archives_same_board(const struct wry_station *station, const struct archive *archive);

/* A problem of this kind with both addresses. */
struct wry_problem *archives_fail_board(struct wry_station *station, enum wry_problem_kind kind,
                                        const struct archive *archive, const char *path);

/* Notes that the archive belongs to another board, if it does. */
void archives_tell_other_board(const struct wry_station *station, const struct archive *archive);
