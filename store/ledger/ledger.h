/* Writing to the ledger. */
#ifndef WRY_STORE_LEDGER_H
#define WRY_STORE_LEDGER_H

#include "wrytograph-host/ledger.h"

/* A run of its own: id, computer, user, program and times are filled in. */
struct wry_ledger_run *ledger_run_new(const char *kind);
/* Now, as the ledger writes it: UTC with milliseconds. Free with g_free. */
char *ledger_now(void);

/* The run as it stands, while it lasts. sure: it is on the disk, so that it outlives the power;
 * otherwise it outlives the program, and the disk gets it with the next that is sure. */
bool ledger_note(struct wry_ledger *ledger, const struct wry_ledger_run *run, bool sure,
                 GError **error);

/* True once, when it turns out that rows go to another computer unencrypted. */
bool ledger_exposed_once(struct wry_ledger *ledger);

/* And at its end; its outcome says how. Then it goes to the server, for which at most a second is
 * waited. */
bool ledger_end(struct wry_ledger *ledger, const struct wry_ledger_run *run, GError **error);

#endif
