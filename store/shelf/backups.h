/*
 * The record of backups: which boards have backups, and whose calibration is whose.
 *
 * One SQLite file, backups.db, remembers the backups made by this computer, wherever they are, and
 * all those in the backups folder. It has paths, addresses and digests of settings regions, but no
 * content. If it is deleted, backups outside the folder are unknown, and commands that require one
 * refuse.
 *
 *     struct backups *backups = backups_open(state_folder, backups_folder, stop, &error);
 *     if (backups_scan(backups, stop, &progress, &error) && backups_find(backups, eui48, size,
 * &found, &error))
 *         ...
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "store/archive/archive_record.h"
#include "wrytograph-host/stop.h"

struct backups;

/* The folder named by WRYTOGRAPH_BACKUPS, else one in the XDG data folder. Free with g_free. */
char *backups_default_folder(void);

/* stop is asked while waiting for another process's lock. */
struct backups *backups_open(const char *record_folder, const char *folder, struct wry_stop stop,
                             GError **error);
void backups_close(struct backups *backups);

/* Adds a backup just made: an archive, or its content as a plain binary. */
bool backups_note(struct backups *backups, const char *path, const struct archive *archive,
                  GError **error);

/* Receives how many files of the folder were looked at, if that takes longer than a second. */
struct backups_progress {
    void *context;
    void (*tell)(void *context, unsigned done, unsigned total);
};

/* Adds new files of the backups folder. Files that are not valid backups are ignored.
 * progress: NULL = not wanted. */
bool backups_scan(struct backups *backups, struct wry_stop stop,
                  const struct backups_progress *progress, GError **error);

struct backups_found {
    bool any;      /* the board has a backup, complete or of parts */
    bool whole;    /* it is complete: the newest complete one, else the newest of parts */
    char *path;    /* NULL = none; free with g_free */
    char *created; /* UTC, ISO 8601; free with g_free */
};

/* Finds the existing backups of a board with this flash size. False if the record cannot be
 * read. */
bool backups_find(struct backups *backups, const uint8_t eui48[WRY_EUI48_SIZE], uint32_t flash_size,
                  struct backups_found *found, GError **error);

/* Calls take for each existing backup of the board, complete ones first, then by age, the newest
 * first, until take returns false. False if the record cannot be read. */
bool backups_each(struct backups *backups, const uint8_t eui48[WRY_EUI48_SIZE], uint32_t flash_size,
                  bool (*take)(void *context, const char *path), void *context, GError **error);

/*
 * The only board known to have a settings region with this digest. *known is false if there is
 * none, or several. False if the record cannot be read.
 */
bool backups_owner(struct backups *backups, const uint8_t sha256[WRY_SHA256_SIZE], bool *known,
                   uint8_t eui48[WRY_EUI48_SIZE], GError **error);
