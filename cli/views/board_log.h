/*
 * The log of one board's run: what was noted, heard and decided, with times. What was heard comes
 * without secrets; sentences lose theirs here.
 *
 *     struct board_log *log = board_log_open(folder, "gauge-1", &error);
 *     board_log_take(log, event);
 *     board_log_close(log, &error);
 */
#ifndef WRY_CLI_BOARD_LOG_H
#define WRY_CLI_BOARD_LOG_H

#include "app/app.h"
#include "wrytograph-host/card.h"

struct board_log;

/* A new file in the folder, named by the link. NULL with the reason. */
struct board_log *board_log_open(const char *folder, const char *link, GError **error);
/* Whose settings are kept out; NULL until there is one. */
void board_log_masked_by(struct board_log *log, const struct wry_station *station);
void board_log_take(struct board_log *log, const struct wry_event *event);
void board_log_line(struct board_log *log, const char *text);
/* False with the file's name and the reason if not all of it could be written. NULL is fine. */
bool board_log_close(struct board_log *log, GError **error);

/* Where logs go when nobody says: a new folder in the user's state folder. Free with g_free. */
char *board_log_folder(void);

#endif
