/* The known backups of a board, and the owners of calibration. */
#pragma once

#include "placed_image.h"

struct archive;
struct backups_found;

/* The folder of backups: WRYTOGRAPH_BACKUPS, for simulated boards one in their bench folder, else
 * the user's. Free with g_free. */
char *backup_records_folder(const struct wry_station *station);

/* Finds the backups of the connected board. False with error if the record cannot be read. */
bool backup_records_find(struct wry_station *station, struct backups_found *found, GError **error);

/* Fails unless there is a backup of the whole flash of this board. */
struct wry_problem *backup_records_require(struct wry_station *station);

/* Calls take for each backup of the connected board, complete ones first, then by age, the newest
 * first, until take returns false. Fails if the record cannot be read or the user stops. */
struct wry_problem *backup_records_each(struct wry_station *station,
                                        bool (*take)(void *context, const char *path),
                                        void *context);

/* Adds a backup to the record; notes a failure. */
void backup_records_note(struct wry_station *station, const char *path,
                         const struct archive *archive);

/* Another board whose settings a file contains. */
struct settings_owner {
    uint8_t eui48[WRY_EUI48_SIZE];
    struct wry_region region; /* region of the settings */
};

/*
 * True if content with its address 0 at flash offset base contains settings known to belong to
 * another board. rest_is_blank: parts of a region that the file lacks would be blank.
 */
bool backup_records_find_owner(struct wry_station *station, const struct image_file *file,
                               uint32_t base, bool rest_is_blank,
                               const struct wry_region_table *layout, struct settings_owner *owner);

/* Fails if the image contains settings known to belong to another board. */
struct wry_problem *backup_records_check_origin(struct wry_station *station,
                                                const struct image *image,
                                                const struct wry_region_table *layout);
