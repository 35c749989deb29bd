/* Connecting to a board, and leaving it. */
#pragma once

#include "station_problem.h"

/* Connects if necessary. recovers: this job recovers interrupted writes itself; do not warn about
 * them. */
struct wry_problem *board_connect(struct wry_station *station, bool recovers);

/* Leaves the board as the settings say. */
void board_leave(struct wry_station *station);
