/* Reading only what changed since an older archive of the same board. */
#ifndef WRY_JOBS_INCREMENTAL_READ_H
#define WRY_JOBS_INCREMENTAL_READ_H

#include "store/archive/archive.h"
#include "wrytograph/session.h"

/*
 * Fills the writer with the range as the board holds it now, and the range's sha256 with the
 * board's digest. Sectors that are still as in the older archive are taken from there, and counted
 * in *from_older (bytes).
 */
enum wry_status incremental_read(struct wry_session *session, const struct archive *older,
                                 struct archive_range *range, const struct wry_writer *writer,
                                 uint64_t *from_older);

#endif
