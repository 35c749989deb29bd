/* Known content of the board, and learning it from jobs. */
#pragma once

#include "station_problem.h"
#include "wrytograph-host/jobs.h"

struct archive;
struct image_file;

/* Lets the session use the index of known content, unless the settings forbid it. If the index
 * cannot be used, this is noted. */
void known_content_begin(struct wry_station *station);
/* Stops using known content for this board. */
void known_content_stop(struct wry_station *station);
void known_content_close(struct wry_station *station);

/* Adds a file that is written at this flash offset to the index. */
void known_content_note_file(struct wry_station *station, const struct image_file *file,
                             uint32_t start);
/* Adds an archive to the index. */
void known_content_note_archive(struct wry_station *station, const char *path,
                                const struct archive *archive);

/* Fills in the members of a job's result about known content, relative to the given stats. */
void known_content_tell(const struct wry_station *station, const struct wry_session_stats *before,
                        struct wry_done *done);
