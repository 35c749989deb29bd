/* What the jobs that work with archives share. */
#ifndef WRY_JOBS_ARCHIVES_H
#define WRY_JOBS_ARCHIVES_H

#include "jobs/station/station_problem.h"
#include "store/archive/archive.h"
#include "wrytograph/plan.h"

/* One range of an archive as a placement; the archive must outlive it. */
struct wry_placement archives_placement(struct archive_range *range);

/* Chip and flash size of the archive against the board. */
struct wry_problem *archives_check_flash(struct wry_station *station, const struct archive *archive,
                                         const char *path);

/* True when the archive is that of this very board. */
bool archives_same_board(const struct wry_station *station, const struct archive *archive);

/* A failure of that kind, with both addresses. */
struct wry_problem *archives_fail_board(struct wry_station *station, enum wry_problem_kind kind,
                                        const struct archive *archive, const char *path);

/* Tells that the archive comes from another board, if it does. */
void archives_tell_other_board(const struct wry_station *station, const struct archive *archive);

#endif
