/*
 * Sends the waiting rows of this computer to the server, in a thread: no caller waits for a server
 * that hangs, not even for resolving its name.
 */
#pragma once

#include "store/ledger/ledger_sqlite.h"

struct ledger_sender;

/* Starts the thread, which connects at once. outbox: path of the file with the rows. */
struct ledger_sender *ledger_sender_new(const char *address, const char *outbox);

/* Requests sending; returns when that succeeded or failed, or after time (us). */
void ledger_sender_ask(struct ledger_sender *sender, int64_t time);

/* Ends the thread without waiting for the server. NULL is allowed. */
void ledger_sender_free(struct ledger_sender *sender);

/* Why the last attempt failed; NULL if none has. Free with g_free. */
char *ledger_sender_problem(struct ledger_sender *sender);

/* True once rows were sent unencrypted to another computer. */
bool ledger_sender_is_exposed(struct ledger_sender *sender);

/*
 * Sends all waiting rows, including those set aside, in the caller's thread, for as long as rows
 * advance. False with error if some are left.
 */
bool ledger_sender_send(const char *address, struct ledger_sqlite *outbox, GError **error);
