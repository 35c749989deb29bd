/* Calling the board on the open link. */
#pragma once

#include "station_problem.h"

/* The session's configuration by the station's settings. */
struct wry_session_config board_config(struct wry_station *station);

/* Calls the board on the open link. */
enum wry_status board_call(struct wry_station *station, const struct wry_session_config *config);

/* A token for a session. On the bench it is always the same, so that runs are reproducible. */
uint32_t board_token(const struct wry_station *station);
