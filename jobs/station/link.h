/* From a link's address to a port. */
#ifndef WRY_JOBS_LINK_H
#define WRY_JOBS_LINK_H

#include "station_problem.h"

/* Opens station->link, or the only adapter there is. */
struct wry_problem *open_link(struct wry_station *station);

/* A name of the adapter for what is remembered of it; NULL where there is none. Free with g_free.
 */
char *open_adapter_name(const struct wry_station *station);

/* From now on the lines are driven as that wiring has them. Nothing is set yet. */
void open_take_wiring(struct wry_station *station, const struct wry_wiring *wiring);

void close_link(struct wry_station *station);

/* The folder of the board on the bench that stands behind the link; free with g_free. */
char *open_bench_board_folder(const struct wry_station *station);

#endif
