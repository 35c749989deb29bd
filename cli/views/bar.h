/*
 * The progress bar on stderr: share done, rate, time left. Nothing is drawn when stderr is no
 * terminal. Rate and time are those of the port's clock.
 */
#ifndef WRY_CLI_BAR_H
#define WRY_CLI_BAR_H

#include <stdbool.h>

#include "wrytograph/session.h"

struct bar;

/* label: what is going on, as "Writing"; step: whose progress it shows. NULL without a terminal. */
struct bar *bar_begin(const char *label, enum wry_step step, uint64_t now);
void bar_update(struct bar *bar, const struct wry_session_progress *progress, uint64_t now);
/* Ends the line that was drawn, and frees; NULL is fine. */
void bar_end(struct bar *bar);

#endif
