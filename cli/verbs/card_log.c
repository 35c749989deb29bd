/* The log of a card's run on one link. */
#include "card_log.h"

#include "views/explain.h"

static void on_event(void *context, const struct wry_event *event)
{
    const struct card_log *log = context;

    board_log_masked_by(log->log, log->app->station);
    board_log_take(log->log, event);
    log->event(log->context, event);
}

bool card_log_begin(struct app *app, struct card_log *log, const char *folder, const char *link,
                    struct wry_station_settings *settings)
{
    GError *error = NULL;

    *log = (struct card_log){.app = app, .context = settings->context, .event = settings->event};
    if (!folder)
        return true;
    log->log = board_log_open(folder, link ? link : "board", &error);
    if (!log->log) {
        explain_error(app, error);
        return false;
    }
    settings->context = log;
    settings->event = on_event;
    return true;
}

int card_log_end(struct app *app, struct card_log *log, const char *line, const char *advice,
                 int code)
{
    g_autoptr(GError) error = NULL;

    if (!log->log)
        return code;
    board_log_masked_by(log->log, app->station);
    board_log_line(log->log, line);
    if (advice)
        board_log_line(log->log, advice);
    board_log_masked_by(log->log, NULL);
    bool written = board_log_close(log->log, &error);
    log->log = NULL;
    if (written)
        return code;
    app_note(app, "The log is not complete: %s", error->message);
    return code == EXIT_DONE ? EXIT_INTERNAL : code;
}
