/* Opening a link by its address. */
#pragma once

#include "station_problem.h"

/* Opens station->link, or the only adapter. */
struct wry_problem *open_link(struct wry_station *station);

/* A persistent name of the adapter, under which its speed is remembered; NULL if there is none.
 * Free with g_free. */
char *open_adapter_name(const struct wry_station *station);

/* True for a raw connection, whose far end has one speed and no outputs. */
bool open_is_raw(const struct wry_station *station);

/* True if this link has outputs, and they are wired to reset and boot strap. */
bool open_has_lines(const struct wry_station *station);

/* Changes the wiring. No lines are set yet. */
void open_take_wiring(struct wry_station *station, const struct wry_wiring *wiring);

void close_link(struct wry_station *station);

/* The folder of the bench board behind the link; free with g_free. */
char *open_bench_board_folder(const struct wry_station *station);
