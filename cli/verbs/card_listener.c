/* Events of one of several boards. */
#include "card_listener.h"

#include "wrytograph-host/units.h"

void card_listener_event(void *context, const struct wry_event *event)
{
    struct card_listener *listener = context;
    struct many_row *row = listener->row;

    if (listener->log)
        board_log_take(listener->log, event);
    g_mutex_lock(&row->lock);
    if (row->begun == 0)
        row->begun = g_get_monotonic_time();
    if (event->kind == WRY_EVENT_RUN_STEP) {
        row->in_step = true;
        row->step = event->run_step;
        row->done = row->total = 0;
    }
    if (event->kind == WRY_EVENT_PROGRESS && event->progress->step != WRY_STEP_CONNECT) {
        row->done = event->progress->done;
        row->total = event->progress->total;
        row->speed = event->progress->speed;
    }
    g_mutex_unlock(&row->lock);
}

void card_listener_board(void *context, const struct wry_station *station)
{
    struct card_listener *listener = context;
    const struct wry_hello_reply *board = wry_station_board(station);

    if (listener->log)
        board_log_masked_by(listener->log, station);
    if (!board)
        return;
    g_autofree char *address = wry_units_address(board->eui48);
    g_mutex_lock(&listener->row->lock);
    g_strlcpy(listener->row->board, address, sizeof listener->row->board);
    listener->row->speed = wry_station_speed(station);
    g_mutex_unlock(&listener->row->lock);
}
