/* What of a board's content this computer knows already, and what it learns on the way. */
#ifndef WRY_JOBS_KNOWN_CONTENT_H
#define WRY_JOBS_KNOWN_CONTENT_H

#include "station_problem.h"
#include "wrytograph-host/jobs.h"

struct archive;
struct image_file;

/* Lets the session ask the index of known content, unless the settings forbid it. An index that
 * cannot be used is told, and done without. */
void known_content_begin(struct wry_station *station);
/* Nothing is taken for known any more on this board. */
void known_content_stop(struct wry_station *station);
void known_content_close(struct wry_station *station);

/* Adds to the index what the flash will hold: file, whose content begins at this flash offset. */
void known_content_note_file(struct wry_station *station, const struct image_file *file,
                             uint32_t start);
/* The same of an archive. */
void known_content_note_archive(struct wry_station *station, const char *path,
                                const struct archive *archive);

/* Fills in what a job's result says of it, since the stats that are given. */
void known_content_tell(const struct wry_station *station, const struct wry_session_stats *before,
                        struct wry_done *done);

#endif
