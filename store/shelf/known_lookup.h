/*
 * Known content of one board: its sectors' digests looked up in the index, and read from the files
 * that hold the same.
 *
 * Between sectors that were recognised in one file, and up to that file's end, the rest of it is
 * believed to stand as well. It fills in a struct wry_known.
 *
 *     struct known *known = known_open(folder, stop, &error);
 *     known_set_flash(known, capacity);
 *     config.known = known_interface(known);
 *     ...
 *     known_note_image(known, "gauge.bin", 0, length);
 *     known_close(known);
 */
#ifndef WRY_STORE_KNOWN_LOOKUP_H
#define WRY_STORE_KNOWN_LOOKUP_H

#include <glib.h>

#include "store/archive/archive_record.h"
#include "wrytograph-host/stop.h"
#include "wrytograph/known.h"

struct known;

/* The index in that folder (see known_index.h). NULL when it cannot be used. */
struct known *known_open(const char *folder, struct wry_stop stop, GError **error);
void known_close(struct known *known);

/* Another board, of so many bytes of flash: nothing is recognised yet. */
void known_set_flash(struct known *known, uint32_t flash_size);
const struct wry_known *known_interface(struct known *known);

/* The name (last part of its path) of the file that most was recognised in; NULL when none was.
 * Valid until the next call. */
const char *known_best_name(const struct known *known);

/*
 * Adds a file to the index: a plain image whose byte first stands where a sector begins, and the
 * whole sectors of the length bytes from there; or an archive. What cannot be added is left out.
 */
void known_note_image(struct known *known, const char *path, uint32_t first, uint64_t length);
void known_note_archive(struct known *known, const char *path, const struct archive *archive);

#endif
