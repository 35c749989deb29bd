/* The size of a flash that does not report it. */
#pragma once

#include "station_problem.h"
#include "wrytograph/session.h"

/*
 * A flash that is smaller than an address reaches answers addresses beyond its end with content
 * from its start. Looks for that, and calls the board again with the size that it finds, which is
 * put into config. Call it after the session has ended with WRY_FLASH_UNSIZED; it ends so again if
 * the content proves nothing, which a blank flash never does.
 */
enum wry_status flash_size_measure(struct wry_station *station, struct wry_session_config *config);

/* Sets smaller if the upper half of the connected board's flash repeats the lower one, which is not
 * blank: it does not have the size that was given for it. */
enum wry_status flash_size_doubt(struct wry_station *station, bool *smaller);
