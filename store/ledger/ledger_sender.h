/*
 * What brings the rows that wait on this computer to the server, in a thread of its own: nobody
 * waits for a server that hangs, not even for the look-up of its name.
 */
#ifndef WRY_STORE_LEDGER_SENDER_H
#define WRY_STORE_LEDGER_SENDER_H

#include "store/ledger/ledger_sqlite.h"

struct ledger_sender;

/* outbox: path of the file with the rows. The connection is made at once. */
struct ledger_sender *ledger_sender_new(const char *address, const char *outbox);

/* Something waits; returns when it was sent, or failed, or time (us) is over. */
void ledger_sender_ask(struct ledger_sender *sender, int64_t time);

/* Ends as soon as it can; nothing is waited for. NULL is fine. */
void ledger_sender_free(struct ledger_sender *sender);

/* Why the last attempt failed; NULL if none has. Free with g_free. */
char *ledger_sender_problem(struct ledger_sender *sender);

/* True once rows went to another computer unencrypted. */
bool ledger_sender_is_exposed(struct ledger_sender *sender);

/*
 * Sends all rows that wait, those that were set aside too, in the caller's thread, for as long as
 * rows advance. False with the reason when some still wait.
 */
bool ledger_sender_send(const char *address, struct ledger_sqlite *outbox, GError **error);

#endif
