/*
 * The journal: on disk, before a sector is erased, everything needed to recover from an interrupted
 * write; removed once the sector is verified.
 *
 * One SQLite file serves all boards. It has a row for each unsettled sector: one that a write has
 * begun and not verified. Where the sector also holds bytes outside the new content, the row has
 * these bytes and the new content. A board is identified by EUI-48, chip, flash size and JEDEC ID.
 * journal_callbacks is what the session calls.
 *
 *     struct journal *journal = journal_open(folder, stop, &error);
 *     journal_set_board(journal, wry_session_board(&session));
 *     config.journal = journal_callbacks(journal);
 *
 * A journal that is locked, damaged, full or read-only is an error, never an empty one.
 */
#pragma once

#include <glib.h>

#include "wrytograph-host/stop.h"
#include "wrytograph/session.h"

struct journal;

/*
 * Opens journal.db in a folder (usually that of folders_state), and creates it if it is missing.
 * Waits about five seconds for another process's lock, less if stop is asked for. NULL with the
 * file's name in error.
 */
struct journal *journal_open(const char *folder, struct wry_stop stop, GError **error);
/* Opens it for reading. True with *journal NULL if there is none yet. */
bool journal_open_to_look(const char *folder, struct wry_stop stop, struct journal **journal,
                          GError **error);
void journal_close(struct journal *journal);

/* All later calls are about this board. */
void journal_set_board(struct journal *journal, const struct wry_hello_reply *board);
/* For struct wry_session_config; valid as long as journal. */
const struct wry_journal *journal_callbacks(struct journal *journal);

/* False for FF:FF:FF:FF:FF:FF, zeros and other group addresses (IEEE 802), which many boards may
 * have: a journal cannot tell them apart. */
bool journal_knows_board(const uint8_t eui48[WRY_EUI48_SIZE]);

/* Adjacent unsettled sectors of this board. */
struct journal_stretch {
    uint32_t offset, length;
    bool has_content; /* the journal has bytes of these sectors that exist nowhere else */
    char since[24];   /* UTC, ISO 8601: when the write began */
};

/* The board's unsettled stretches by offset, struct journal_stretch; free with g_array_unref, also
 * on failure. False if the journal cannot be read: see journal_problem. */
bool journal_unsettled(struct journal *journal, GArray **stretches);

/*
 * Paths (char *) of the files that hold bytes which could no longer go back into the flash, because
 * other content was written there since. The array is the journal's.
 */
const GPtrArray *journal_set_aside(const struct journal *journal);

/* Writes all stored bytes of this board to files and forgets the board: for one that
 * journal_knows_board is false of. False, with rows left, if a file cannot be written. */
bool journal_set_all_aside(struct journal *journal);

/* Why the last call failed, and the file's path. Never NULL; valid until the next call. */
const char *journal_problem(const struct journal *journal);
const char *journal_path(const struct journal *journal);
