/* Whether a card is for the connected board. */
#pragma once

#include "jobs/station/station_problem.h"
#include "store/card/card_data.h"

/* Size of the flash and revision of the chip; NULL if they fit. */
struct wry_problem *card_board_check(const struct wry_station *station, const struct card *card);

/* The programs that the board must have; reads the flash. NULL if it has them. */
struct wry_problem *card_board_check_holds(struct wry_station *station, const struct card *card);
