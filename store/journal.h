/*
 * The journal: what an erase put at risk, kept on disk until it is settled.
 *
 * One SQLite file serves all boards: sectors that a write has begun, and the old content of those
 * that it shares with neighbours. It fills in a struct wry_keeper for one board.
 *
 *     struct journal *journal = journal_open(folder, &error);
 *     config.keeper = journal_keeper(journal);
 */
#ifndef WRY_STORE_JOURNAL_H
#define WRY_STORE_JOURNAL_H

#include <glib.h>

#include "wrytograph/session.h"

struct journal;

/* The folder named by WRYTOGRAPH_STATE, else one in the XDG state folder. Free with g_free. */
char *journal_default_folder(void);

/* journal.db in that folder, made when missing. */
struct journal *journal_open(const char *folder, GError **error);
void journal_close(struct journal *journal);

/* From now on the keeper speaks of this board. */
void journal_set_board(struct journal *journal, const uint8_t eui48[WRY_EUI48_SIZE]);
const struct wry_keeper *journal_keeper(struct journal *journal);

/* Why the last call of the keeper failed. */
const char *journal_problem(const struct journal *journal);

#endif
