/* Reads what has changed since an older archive of the same board. */
#pragma once

#include "store/archive/archive.h"
#include "wrytograph/session.h"

/*
 * Writes the current content of the range, and sets its sha256 to the board's digest. Unchanged
 * sectors come from the older archive and are counted in *from_older (bytes).
 */
enum wry_status incremental_read(struct wry_session *session, const struct archive *older,
                                 struct archive_range *range, const struct wry_writer *writer,
                                 uint64_t *from_older);
