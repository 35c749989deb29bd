/*
 * Known content of one board: its sectors' digests are looked up in the index and read from the
 * files that contain them. Between sectors recognised in one file, and up to that file's end, the
 * rest of the file is assumed. It provides a struct wry_known.
 *
 *     struct known *known = known_open(folder, stop, &error);
 *     known_set_flash(known, capacity);
 *     config.known = known_interface(known);
 *     ...
 *     known_note_image(known, "gauge.bin", 0, length);
 *     known_close(known);
 */
#pragma once

#include <glib.h>

#include "store/archive/archive_record.h"
#include "wrytograph-host/stop.h"
#include "wrytograph/known.h"

struct known;

/* Opens the index in that folder (see known_index.h). NULL if it cannot be used. */
struct known *known_open(const char *folder, struct wry_stop stop, GError **error);
void known_close(struct known *known);

/* Starts over for another board with this flash size. */
void known_set_flash(struct known *known, uint32_t flash_size);
const struct wry_known *known_interface(struct known *known);

/* The name (last component of the path) of the file in which most was recognised; NULL = none.
 * Valid until the next call. */
const char *known_best_name(const struct known *known);

/*
 * Adds a file to the index: a plain image, with the whole sectors of length bytes from its byte
 * first on, which is at a sector boundary of the flash; or an archive. Failures are ignored.
 */
void known_note_image(struct known *known, const char *path, uint32_t first, uint64_t length);
void known_note_archive(struct known *known, const char *path, const struct archive *archive);
