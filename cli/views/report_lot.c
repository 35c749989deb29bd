/* Lots of the report page. */
#include "report_lot.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "json.h"
#include "lot_view.h"
#include "times.h"

enum {
    WIDTH = 1000, /* of the drawing */
    HEIGHT = 120,
    CAUSES_MOST = 8,
};

#define BREAK_TIME (15 * 60.0) /* s without a board: a break */
#define BREAK_SHOWN 300.0      /* s that a break takes in the drawing */

struct moment {
    double at; /* s */
    bool good;
};

struct report_lot {
    char *name;
    GHashTable *boards; /* address to whether its latest run passed, as GINT_TO_POINTER 1 or 2 */
    guint runs, done, failed, refused, done_before;
    GHashTable *operators; /* a set */
    GHashTable *causes;    /* to their count */
    GArray *moments;       /* struct moment, the latest first */
    char *first, *last;
};

struct report_lot *report_lot_new(const char *name)
{
    struct report_lot *lot = g_new0(struct report_lot, 1);

    lot->name = g_strdup(name);
    lot->boards = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    lot->operators = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    lot->causes = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    lot->moments = g_array_new(FALSE, FALSE, sizeof(struct moment));
    return lot;
}

void report_lot_free(struct report_lot *lot)
{
    g_free(lot->name);
    g_hash_table_unref(lot->boards);
    g_hash_table_unref(lot->operators);
    g_hash_table_unref(lot->causes);
    g_array_unref(lot->moments);
    g_free(lot->first);
    g_free(lot->last);
    g_free(lot);
}

const char *report_lot_name(const struct report_lot *lot)
{
    return lot->name;
}

char *report_lot_cause(const struct wry_ledger_run *run)
{
    GString *cause = g_string_new(run->reason ? run->reason : run->outcome);
    g_autofree char *link = run->link ? g_strdup_printf(" on %s", run->link) : NULL;
    g_autofree char *own = run->link ? g_strdup_printf("%s: ", run->link) : NULL;

    if (link)
        g_string_replace(cause, link, "", 0);
    if (own)
        g_string_replace(cause, own, "", 0);
    if (run->failed_at) {
        g_string_prepend(cause, ": ");
        g_string_prepend(cause, run->failed_at);
        g_string_prepend(cause, "at ");
    }
    return g_string_free(cause, FALSE);
}

static double seconds_of(const char *time)
{
    g_autoptr(GDateTime) at = time ? g_date_time_new_from_iso8601(time, NULL) : NULL;

    return at ? (double)g_date_time_to_unix(at) : 0;
}

static void add_moment(struct report_lot *lot, const struct wry_ledger_run *run, bool good)
{
    struct moment moment = {seconds_of(run->ended), good};

    if (moment.at > 0)
        g_array_append_val(lot->moments, moment);
}

static void add_cause(struct report_lot *lot, const struct wry_ledger_run *run)
{
    char *cause = report_lot_cause(run);
    guint before = GPOINTER_TO_UINT(g_hash_table_lookup(lot->causes, cause));

    g_hash_table_insert(lot->causes, cause, GUINT_TO_POINTER(before + 1));
}

void report_lot_take(struct report_lot *lot, const struct wry_ledger_run *run)
{
    bool passed = strcmp(run->outcome, "passed") == 0;
    bool before = strcmp(run->outcome, "done before") == 0;

    if (strcmp(run->outcome, "running") == 0)
        return;
    if (strcmp(run->outcome, "refused") == 0) {
        lot->refused++;
        return;
    }
    if (!lot->last)
        lot->last = g_strdup(run->ended ? run->ended : run->began);
    g_free(lot->first);
    lot->first = g_strdup(run->began);
    if (run->operator_)
        g_hash_table_add(lot->operators, g_strdup(run->operator_));
    lot->done_before += before;
    lot->runs += !before;
    if (!before)
        add_moment(lot, run, passed);
    if (!passed && !before)
        add_cause(lot, run);
    if (!run->board || g_hash_table_contains(lot->boards, run->board))
        return;
    g_hash_table_insert(lot->boards, g_strdup(run->board), GINT_TO_POINTER(1));
    lot->done += passed || before;
    lot->failed += !passed && !before;
}

/* The drawing: boards done over the time of work. */

static double gap_between(const GArray *moments, guint later)
{
    const struct moment *m = &g_array_index(moments, struct moment, 0);
    double gap = MAX(m[later].at - m[later + 1].at, 0);

    return gap > BREAK_TIME ? BREAK_SHOWN : gap;
}

static double length_of_work(const GArray *moments)
{
    double length = 0;

    for (guint i = 0; i + 1 < moments->len; i++)
        length += gap_between(moments, i);
    return length;
}

static void add_drawing(JsonBuilder *data, const struct report_lot *lot, guint total)
{
    const GArray *moments = lot->moments;
    /* Times have whole seconds: simulated boards may all be done in one. */
    double length = MAX(length_of_work(moments), 1), at = 0;
    g_autoptr(GString) line = g_string_new(NULL);
    guint good = 0, passes = 0;

    for (guint i = 0; i < moments->len; i++)
        passes += g_array_index(moments, struct moment, i).good;
    guint most = MAX(total, passes);
    if (moments->len < 2 || most == 0)
        return;
    json_begin_object(data, "drawing");
    json_begin_list(data, "failures");
    g_string_append_printf(line, "M0 %d", HEIGHT);
    for (guint i = moments->len; i-- > 0;) {
        double x = at * WIDTH / length;
        if (g_array_index(moments, struct moment, i).good) {
            good++;
            g_string_append_printf(line, "H%.1f V%.1f", x, HEIGHT - (double)good * HEIGHT / most);
        } else {
            json_add_object(data, json_format("x", "%.1f", x));
        }
        at += i > 0 ? gap_between(moments, i - 1) : 0;
    }
    g_string_append_printf(line, "H%d", WIDTH);
    json_builder_end_array(data);
    json_add(data, json_text("line", line->str), json_format("width", "%d", WIDTH),
             json_format("height", "%d", HEIGHT), json_take("from", times_local(lot->first)),
             json_take("until", times_local(lot->last)));
    json_builder_end_object(data);
}

/* Causes, the most frequent first. */

struct cause {
    const char *text;
    guint count;
};

static int by_count(const void *a, const void *b)
{
    const struct cause *x = a, *y = b;

    if (x->count != y->count)
        return x->count > y->count ? -1 : 1;
    return strcmp(x->text, y->text);
}

static void add_causes(JsonBuilder *data, const struct report_lot *lot)
{
    g_autoptr(GArray) causes = g_array_new(FALSE, FALSE, sizeof(struct cause));
    GHashTableIter iter;
    gpointer text, count;

    g_hash_table_iter_init(&iter, lot->causes);
    while (g_hash_table_iter_next(&iter, &text, &count)) {
        struct cause cause = {text, GPOINTER_TO_UINT(count)};
        g_array_append_val(causes, cause);
    }
    g_array_sort(causes, by_count);
    json_begin_list(data, "causes");
    for (guint i = 0; i < causes->len && i < CAUSES_MOST; i++) {
        const struct cause *cause = &g_array_index(causes, struct cause, i);
        json_add_object(data, json_format("count", "%u", cause->count),
                        json_text("cause", cause->text));
    }
    json_builder_end_array(data);
    json_add(data, json_flag("any_causes", causes->len > 0));
}

static char *names_of(GHashTable *set)
{
    GList *names = g_list_sort(g_hash_table_get_keys(set), (GCompareFunc)strcmp);
    GString *text = g_string_new(NULL);

    for (GList *name = names; name; name = name->next)
        g_string_append_printf(text, "%s%s", text->len > 0 ? ", " : "", (const char *)name->data);
    g_list_free(names);
    return g_string_free(text, FALSE);
}

static double per_hour(const struct report_lot *lot)
{
    double hours = length_of_work(lot->moments) / 3600;
    guint passes = 0;

    for (guint i = 0; i < lot->moments->len; i++)
        passes += g_array_index(lot->moments, struct moment, i).good;
    return hours > 0 && passes > 1 ? (passes - 1) / hours : 0;
}

static void add_open(JsonBuilder *data, const struct wry_lot *state)
{
    json_begin_list(data, "open");
    for (guint i = 0; state && i < state->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(state->boards, i);
        if (board->state == WRY_LOT_DONE)
            continue;
        g_autofree char *who = lot_view_board(board);
        json_add_object(data, json_text("who", who), json_text("state", lot_view_state(board)),
                        json_text("class", board->state == WRY_LOT_FAILED ? "bad" : ""),
                        json_text("reason", board->reason), json_text("advice", board->advice));
    }
    json_builder_end_array(data);
}

void report_lot_add(JsonBuilder *data, const struct report_lot *lot, const struct wry_lot *state)
{
    guint boards = g_hash_table_size(lot->boards), total = state ? state->total : 0;
    guint done = state ? state->done : lot->done, failed = state ? state->failed : lot->failed;
    g_autofree char *operators = names_of(lot->operators);
    g_autofree char *time = state && state->pace > 0 && state->left + state->failed > 0
                                ? lot_view_time((state->left + state->failed) * state->pace)
                                : NULL;
    double rate = per_hour(lot);

    json_builder_begin_object(data);
    json_add(data, json_text("lot", lot->name), json_format("done", "%u", done),
             json_if(total > 0, json_format("of", "%u", total)),
             json_format("failed", "%u", failed),
             json_text("failed_class", failed > 0 ? "bad" : ""),
             json_format("retries", "%u", lot->runs > boards ? lot->runs - boards : 0),
             json_if(lot->refused > 0, json_format("refused", "%u", lot->refused)),
             json_if(rate > 0, json_format("rate", "%.0f", rate)), json_text("eta", time),
             json_text("operators", operators[0] ? operators : NULL));
    add_drawing(data, lot, total);
    add_causes(data, lot);
    add_open(data, state);
    json_add(data, json_flag("any_open", state && state->left + state->failed > 0));
    json_builder_end_object(data);
}
