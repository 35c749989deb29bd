/*
 * The journal: what an erase put at risk, kept on disk until it is settled.
 *
 * One SQLite file serves all boards: sectors that a write has begun, and of those that it shares
 * with neighbours the old and the intended content. It fills in a struct wry_journal for one board.
 * Rows belong to a board by address, chip, flash size and JEDEC ID.
 *
 *     struct journal *journal = journal_open(folder, stop, &error);
 *     journal_set_board(journal, wry_session_board(&session));
 *     config.journal = journal_callbacks(journal);
 *
 * A journal that is locked, damaged, full or read-only is an error, never an empty one.
 */
#ifndef WRY_STORE_JOURNAL_H
#define WRY_STORE_JOURNAL_H

#include <glib.h>

#include "wrytograph-host/stop.h"
#include "wrytograph/session.h"

struct journal;

/*
 * journal.db in a folder (usually that of folders_state), made when missing. stop is asked while
 * another process holds it; true gives up.
 */
struct journal *journal_open(const char *folder, struct wry_stop stop, GError **error);
/* The same to look at only: *journal NULL without an error when there is none yet. */
bool journal_open_to_look(const char *folder, struct wry_stop stop, struct journal **journal,
                          GError **error);
void journal_close(struct journal *journal);

/* From now on the journal speaks of this board. */
void journal_set_board(struct journal *journal, const struct wry_hello_reply *board);
const struct wry_journal *journal_callbacks(struct journal *journal);

/* False for FF:FF:FF:FF:FF:FF, zeros and group addresses (IEEE 802): many boards may have them. */
bool journal_knows_board(const uint8_t eui48[WRY_EUI48_SIZE]);

/* A stretch of sectors that a job on this board has begun and not ended. */
struct journal_stretch {
    uint32_t offset, length;
    bool has_content; /* what stood beside the images is in the journal, and nowhere else */
    char since[24];   /* UTC, when it was begun */
};

/* Those of this board, by offset. False when the journal cannot be read: see journal_problem. */
bool journal_unsettled(struct journal *journal, GArray **stretches);

/*
 * The files that content was put into for which the flash has no place any more; and whether they
 * could be written. The array is the journal's.
 */
const GPtrArray *journal_set_aside(const struct journal *journal);

/* Takes this board's content out into files: for a board that nobody will know again. */
bool journal_set_all_aside(struct journal *journal);

/* Why the last call failed, and where the file lies. */
const char *journal_problem(const struct journal *journal);
const char *journal_path(const struct journal *journal);

#endif
