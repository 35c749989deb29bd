/* Getting a board to answer, and leaving it. */
#ifndef WRY_JOBS_STATION_BOARD_H
#define WRY_JOBS_STATION_BOARD_H

#include "station_problem.h"

/* Connects unless that was done. recovers: the job puts back what a cut one left, so that it need
 * not be told. */
struct wry_problem *board_connect(struct wry_station *station, bool recovers);

/* What the settings make of a session. */
struct wry_session_config board_config(struct wry_station *station);

/* Calls the board on the open link. */
enum wry_status board_call(struct wry_station *station, const struct wry_session_config *config);

/* A token for a session: the same at every run on the bench, where runs are to be the same. */
uint32_t board_token(const struct wry_station *station);

/* Leaves it as the settings say. */
void board_leave(struct wry_station *station);

#endif
