/* Backups that are known of a board, and whose calibration is whose. */
#ifndef WRY_JOBS_BACKUP_RECORDS_H
#define WRY_JOBS_BACKUP_RECORDS_H

#include "placed_image.h"

struct archive;
struct backups_found;

/* The folder of backups: WRYTOGRAPH_BACKUPS, for simulated boards one beside them, else the user's.
 * Free with g_free. */
char *backup_records_folder(const struct wry_station *station);

/* What there is of the board at hand. False with the reason when that cannot be told. */
bool backup_records_find(struct wry_station *station, struct backups_found *found, GError **error);

/* Fails unless a backup of the whole flash of this board is known. */
struct wry_problem *backup_records_require(struct wry_station *station);

/* Each backup of the board at hand, whole ones and then the newest first, until take returns false.
 * Fails when the record of them cannot be read, or when the user stops. */
struct wry_problem *backup_records_each(struct wry_station *station,
                                        bool (*take)(void *context, const char *path),
                                        void *context);

/* A backup was made; a record that cannot be written is noted. */
void backup_records_note(struct wry_station *station, const char *path,
                         const struct archive *archive);

/* Another board, whose settings a file holds. */
struct settings_owner {
    uint8_t eui48[WRY_EUI48_SIZE];
    struct wry_region region; /* that they are for */
};

/*
 * True when content for the flash, its address 0 at base, is known to hold another board's
 * settings. rest_is_blank: what it has not of a region would be blank.
 */
bool backup_records_find_owner(struct wry_station *station, const struct image_file *file,
                               uint32_t base, bool rest_is_blank,
                               const struct wry_region_table *layout, struct settings_owner *owner);

/* Fails when the image brings settings that are known to be another board's. */
struct wry_problem *backup_records_check_origin(struct wry_station *station,
                                                const struct image *image,
                                                const struct wry_region_table *layout);

#endif
