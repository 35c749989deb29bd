/* What a restore replaces. */
#pragma once

#include <glib.h>

#include "jobs/station/station_problem.h"

struct archive;

/*
 * Lists the programs of other versions and the later changes of settings that are on the board and
 * that these parts of the archive (struct archive_range) replace, a line each, indented. NULL if
 * there are none, or the board cannot be read. Free with g_free.
 */
char *replaced_list(struct wry_station *station, const struct archive *archive,
                    const GArray *parts);
