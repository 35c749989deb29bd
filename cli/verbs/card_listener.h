/* The events of one of several boards: to its row of the view and to its log. */
#pragma once

#include "views/board_log.h"
#include "views/many.h"

struct card_listener {
    struct many_row *row;
    struct board_log *log; /* NULL = none */
};

/* For wry_station_settings; context is the listener. In the thread of the board. */
void card_listener_event(void *context, const struct wry_event *event);
void card_listener_board(void *context, const struct wry_station *station);
