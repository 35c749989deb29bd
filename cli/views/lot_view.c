/* Lots. */
#include "lot_view.h"

#include <json-glib/json-glib.h>

#include "json.h"

char *lot_view_time(double seconds)
{
    unsigned minutes = (unsigned)(seconds / 60 + 0.5);

    if (minutes == 0)
        return g_strdup("less than a minute");
    return minutes < 60 ? g_strdup_printf("about %u min", minutes)
                        : g_strdup_printf("about %u h %u min", minutes / 60, minutes % 60);
}

static unsigned to_do(const struct wry_lot *lot)
{
    return lot->left + lot->failed;
}

char *lot_view_counts(const struct wry_lot *lot)
{
    GString *text = g_string_new(NULL);

    if (lot->total > 0)
        g_string_append_printf(text, "%u of %u done", lot->done, lot->total);
    else
        g_string_append_printf(text, "%u done", lot->done);
    if (lot->failed > 0)
        g_string_append_printf(text, ", %u to retry", lot->failed);
    if (lot->total > 0 && to_do(lot) > 0 && lot->pace > 0) {
        g_autofree char *time = lot_view_time(to_do(lot) * lot->pace);
        g_string_append_printf(text, ", %s left", time);
    }
    return g_string_free(text, FALSE);
}

char *lot_view_board(const struct wry_lot_board *board)
{
    GString *text = g_string_new(board->name);

    if (board->row > 0 && !board->name)
        g_string_append_printf(text, "line %u", board->row);
    if (board->address)
        g_string_append_printf(text, "%s%s", text->len > 0 ? "  " : "", board->address);
    if (text->len == 0)
        g_string_append_printf(text, "a board on %s, its address not known",
                               board->link ? board->link : "an unknown link");
    return g_string_free(text, FALSE);
}

void lot_view_advice(const struct app *app, const char *advice)
{
    g_auto(GStrv) lines = g_strsplit(advice ? advice : "", "\n", -1);

    for (char **line = lines; *line; line++) {
        if (**line != '\0')
            app_print(app, "      %s", *line);
    }
}

static void tell_failed(const struct app *app, const struct wry_lot_board *board)
{
    g_autofree char *who = lot_view_board(board);

    app_print(app, "  %s  failed%s%s: %s", who, board->failed_at ? " at " : "",
              board->failed_at ? board->failed_at : "", board->reason ? board->reason : "");
    lot_view_advice(app, board->advice);
}

static bool is_shown(GHashTable *shown, const char *key)
{
    return shown && key && g_hash_table_contains(shown, key);
}

void lot_view_summary(const struct app *app, const struct wry_lot *lot, GHashTable *shown)
{
    g_autofree char *counts = lot_view_counts(lot);
    bool all = lot->total > 0 && lot->done == lot->total;
    guint failed = lot->failed + lot->silent->len;

    app_outcome(app, failed == 0, "Lot %s: %s%s", lot->name, counts,
                all ? ". All boards are done." : ".");
    for (guint i = 0; i < lot->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->boards, i);
        if (board->state == WRY_LOT_FAILED && !is_shown(shown, board->address))
            tell_failed(app, board);
    }
    for (guint i = 0; i < lot->silent->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->silent, i);
        if (!is_shown(shown, board->link))
            tell_failed(app, board);
    }
    if (failed > 0)
        app_note(app, "To do only the failed ones again, run the same command with --failed.");
}

const char *lot_view_state(const struct wry_lot_board *board)
{
    static const char *const states[] = {
        [WRY_LOT_LEFT] = "left",
        [WRY_LOT_RUNNING] = "running",
        [WRY_LOT_DONE] = "done",
        [WRY_LOT_FAILED] = "failed",
    };

    return states[board->state];
}

static void add_board(JsonBuilder *b, const struct wry_lot_board *board)
{
    json_add_object(b, json_text("state", lot_view_state(board)),
                    json_if(board->row > 0, json_number("row", board->row)),
                    json_text("name", board->name), json_text("board", board->address),
                    json_text("link", board->link), json_text("failed_at", board->failed_at),
                    json_text("reason", board->reason), json_text("advice", board->advice));
}

void lot_view_add_json(JsonBuilder *b, const struct wry_lot *lot)
{
    json_begin_object(b, "lot");
    json_add(b, json_text("name", lot->name), json_number("total", lot->total),
             json_number("done", lot->done), json_number("failed", lot->failed),
             json_number("left", lot->left), json_real("seconds_per_board", lot->pace));
    json_begin_list(b, "not_done");
    for (guint i = 0; i < lot->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->boards, i);
        if (board->state == WRY_LOT_FAILED)
            add_board(b, board);
    }
    for (guint i = 0; i < lot->silent->len; i++)
        add_board(b, g_ptr_array_index(lot->silent, i));
    json_builder_end_array(b);
    json_builder_end_object(b);
}
