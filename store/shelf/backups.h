/*
 * What backups there are of which board, and whose calibration is whose.
 *
 * One SQLite file, backups.db, remembers the backups that this computer made, wherever they lie,
 * and those that lie in the backups folder, whoever put them there. It holds paths, addresses and
 * digests of settings regions, and no content. When it is deleted, backups outside the folder are
 * no longer known of, and what asks for one refuses.
 *
 *     struct backups *backups = backups_open(state_folder, backups_folder, stop, &error);
 *     if (backups_scan(backups, stop, &error) && backups_find(backups, eui48, size, &found,
 * &error))
 *         ...
 */
#ifndef WRY_STORE_BACKUPS_H
#define WRY_STORE_BACKUPS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "store/archive/archive_record.h"
#include "wrytograph-host/stop.h"

struct backups;

/* The folder named by WRYTOGRAPH_BACKUPS, else one in the XDG data folder. Free with g_free. */
char *backups_default_folder(void);

/* stop is asked while another process holds the record. */
struct backups *backups_open(const char *record_folder, const char *folder, struct wry_stop stop,
                             GError **error);
void backups_close(struct backups *backups);

/* A backup that was just made: an archive, or the plain content of one. */
bool backups_note(struct backups *backups, const char *path, const struct archive *archive,
                  GError **error);

/* Takes in what is new in the backups folder. Files that are no sound backup are passed over. */
bool backups_scan(struct backups *backups, struct wry_stop stop, GError **error);

struct backups_found {
    bool any;      /* there is one of this board, of parts at least */
    bool whole;    /* and of all of its flash: the newest such, else the newest of parts */
    char *path;    /* NULL when there is none; g_free */
    char *created; /* UTC, ISO 8601; g_free */
};

/* What there is now of that board and flash size. False when the record cannot be read. */
bool backups_find(struct backups *backups, const uint8_t eui48[WRY_EUI48_SIZE], uint32_t flash_size,
                  struct backups_found *found, GError **error);

/* Hands over the path of each backup of that board that is there, whole ones and then the newest
 * first, until take returns false. False when the record cannot be read. */
bool backups_each(struct backups *backups, const uint8_t eui48[WRY_EUI48_SIZE], uint32_t flash_size,
                  bool (*take)(void *context, const char *path), void *context, GError **error);

/*
 * The one board that content of a settings region with this digest is known of. *known false when
 * there is none, or several. False when the record cannot be read.
 */
bool backups_owner(struct backups *backups, const uint8_t sha256[WRY_SHA256_SIZE], bool *known,
                   uint8_t eui48[WRY_EUI48_SIZE], GError **error);

#endif
