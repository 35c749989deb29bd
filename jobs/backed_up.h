/* Backups that are known of a board, and whose calibration is whose. */
#ifndef WRY_JOBS_BACKED_UP_H
#define WRY_JOBS_BACKED_UP_H

#include "image.h"

struct archive;
struct backups_found;

/* The folder of backups: WRYTOGRAPH_BACKUPS, for simulated boards one beside them, else the user's.
 * Free with g_free. */
char *backed_up_folder(const struct wry_station *station);

/* What there is of the board at hand. False with the reason when that cannot be told. */
bool backed_up_find(struct wry_station *station, struct backups_found *found, GError **error);

/* Fails unless a backup of the whole flash of this board is known. */
enum wry_outcome backed_up_require(struct wry_station *station);

/* A backup was made; a record that cannot be written is noted. */
void backed_up_note(struct wry_station *station, const char *path, const struct archive *archive);

/* Fails when the image brings settings that are known to be another board's. */
enum wry_outcome backed_up_check_origin(struct wry_station *station, const struct image *image,
                                        const struct wry_region_table *layout);

#endif
