/*
 * The progress bar on stderr: share, rate, time left, by the port's clock. Not drawn if stderr is
 * not a terminal.
 */
#pragma once

#include <stdbool.h>

#include "wrytograph/session.h"

struct bar;

/* label: the activity, such as "Writing"; step: the step whose progress it shows. NULL without a
 * terminal. */
struct bar *bar_begin(const char *label, enum wry_step step, uint64_t now);
void bar_update(struct bar *bar, const struct wry_session_progress *progress, uint64_t now);
/* Something else is printed next, whole lines: the bar is drawn again after them. NULL is allowed.
 */
void bar_give_way(struct bar *bar);
/* Ends the line and frees the bar; NULL is allowed. */
void bar_end(struct bar *bar);
