/*
 * The log of one board's run: notes, output of the board and results, with times. Output of the
 * board is already masked; sentences are masked here.
 *
 *     struct board_log *log = board_log_open(folder, "gauge-1", &error);
 *     board_log_take(log, event);
 *     board_log_close(log, &error);
 */
#pragma once

#include "app/app.h"
#include "wrytograph-host/card.h"

struct board_log;

/* Creates a file in the folder, named after the link. NULL with error. */
struct board_log *board_log_open(const char *folder, const char *link, GError **error);
/* The station whose secrets are masked; NULL until there is one. */
void board_log_masked_by(struct board_log *log, const struct wry_station *station);
void board_log_take(struct board_log *log, const struct wry_event *event);
void board_log_line(struct board_log *log, const char *text);
/* False with error if not everything could be written. NULL is allowed. */
bool board_log_close(struct board_log *log, GError **error);

/* The default folder of logs: a new one in the user's state folder. Free with g_free. */
char *board_log_folder(void);
