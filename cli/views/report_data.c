/* The content of the report page. */
#include "report_data.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "ledger_json.h"
#include "report_lot.h"
#include "times.h"
#include "words.h"

static void free_day(void *item)
{
    struct report_day *day = item;

    g_free(day->day);
    g_free(day->what);
    g_hash_table_unref(day->boards);
    g_hash_table_unref(day->reasons);
    g_array_unref(day->seconds);
    g_free(day->first);
    g_free(day->last);
    g_free(day);
}

static void free_content(void *item)
{
    struct report_content *content = item;

    g_free(content->region);
    g_free(content->file);
    g_free(content->version);
    g_free(content->sha256);
    g_free(content->time);
    g_free(content);
}

static void free_board(void *item)
{
    struct report_board *board = item;

    g_free(board->address);
    g_free(board->chip);
    g_free(board->name);
    g_free(board->parsed);
    g_ptr_array_unref(board->history);
    g_ptr_array_unref(board->holds);
    wry_ledger_run_free(board->backup);
    g_free(board);
}

static void free_bench(void *item)
{
    struct report_bench *bench = item;

    g_free(bench->name);
    g_free(bench->latest);
    g_free(bench->outcome);
    g_free(bench);
}

struct report *report_new(void)
{
    struct report *report = g_new0(struct report, 1);

    report->days_by_key = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    report->boards_by_address = g_hash_table_new(g_str_hash, g_str_equal);
    report->lots_by_name = g_hash_table_new(g_str_hash, g_str_equal);
    report->benches_by_name = g_hash_table_new(g_str_hash, g_str_equal);
    report->benches = g_ptr_array_new_with_free_func(free_bench);
    report->lots = g_ptr_array_new_with_free_func((GDestroyNotify)report_lot_free);
    report->days = g_ptr_array_new_with_free_func(free_day);
    report->boards = g_ptr_array_new_with_free_func(free_board);
    return report;
}

void report_free(struct report *report)
{
    g_hash_table_unref(report->days_by_key);
    g_hash_table_unref(report->boards_by_address);
    g_hash_table_unref(report->lots_by_name);
    g_hash_table_unref(report->benches_by_name);
    g_ptr_array_unref(report->benches);
    g_ptr_array_unref(report->lots);
    g_ptr_array_unref(report->days);
    g_ptr_array_unref(report->boards);
    g_free(report->from);
    g_free(report->until);
    g_free(report);
}

static struct report_day *find_day(struct report *report, const struct wry_ledger_run *run)
{
    g_autofree char *day = times_day(run->began);
    g_autofree char *what = words_card(run->card, run->card_version);
    if (!what)
        what = g_strdup_printf("%s, without a card", run->kind);
    g_autofree char *key = g_strconcat(day, "\n", what, NULL);
    struct report_day *found = g_hash_table_lookup(report->days_by_key, key);

    if (found)
        return found;
    found = g_new0(struct report_day, 1);
    found->day = g_steal_pointer(&day);
    found->what = g_steal_pointer(&what);
    found->boards = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    found->reasons = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    found->seconds = g_array_new(FALSE, FALSE, sizeof(double));
    g_hash_table_insert(report->days_by_key, g_steal_pointer(&key), found);
    g_ptr_array_add(report->days, found);
    return found;
}

static void note_time(char **kept, const char *time, bool later)
{
    if (!time || (*kept && (strcmp(time, *kept) > 0) != later))
        return;
    g_free(*kept);
    *kept = g_strdup(time);
}

static bool is_outcome(const struct wry_ledger_run *run, const char *outcome)
{
    return strcmp(run->outcome, outcome) == 0;
}

/* A board that needed nothing, or was refused before anything was changed, neither passed nor
 * failed. */
static bool has_failed(const struct wry_ledger_run *run)
{
    return !is_outcome(run, "passed") && !is_outcome(run, "done before") &&
           !is_outcome(run, "refused") && !is_outcome(run, "running");
}

static void take_day(struct report_day *day, const struct wry_ledger_run *run, bool passed)
{
    day->runs++;
    if (run->board)
        g_hash_table_add(day->boards, g_strdup(run->board));
    note_time(&day->first, run->began, false);
    note_time(&day->last, run->ended, true);
    if (passed) {
        day->passed++;
        g_array_append_val(day->seconds, run->seconds);
        return;
    }
    day->done_before += is_outcome(run, "done before");
    day->refused += is_outcome(run, "refused");
    if (!has_failed(run))
        return;
    day->failed++;
    g_autofree char *reason = report_lot_cause(run);
    guint before = GPOINTER_TO_UINT(g_hash_table_lookup(day->reasons, reason));
    g_hash_table_insert(day->reasons, g_steal_pointer(&reason), GUINT_TO_POINTER(before + 1));
}

static struct report_board *find_board(struct report *report, const struct wry_ledger_run *run)
{
    struct report_board *board = g_hash_table_lookup(report->boards_by_address, run->board);

    if (board)
        return board;
    board = g_new0(struct report_board, 1);
    board->address = g_strdup(run->board);
    board->chip = g_strdup(run->chip);
    board->flash = run->flash;
    board->history = g_ptr_array_new_with_free_func((GDestroyNotify)wry_ledger_run_free);
    board->holds = g_ptr_array_new_with_free_func(free_content);
    g_hash_table_insert(report->boards_by_address, board->address, board);
    g_ptr_array_add(report->boards, board);
    return board;
}

static bool is_covered(const struct report_board *board, int64_t offset, int64_t length)
{
    for (guint i = 0; i < board->holds->len; i++) {
        const struct report_content *other = g_ptr_array_index(board->holds, i);
        if (offset < other->offset + other->length && other->offset < offset + length)
            return true;
    }
    return false;
}

static gint by_offset(gconstpointer a, gconstpointer b)
{
    const struct report_content *x = *(const struct report_content *const *)a;
    const struct report_content *y = *(const struct report_content *const *)b;

    return (x->offset > y->offset) - (x->offset < y->offset);
}

/* Adds content that no later run has overwritten. */
static void take_content(struct report_board *board, JsonObject *object, const char *time)
{
    gint64 offset = ledger_json_bytes(object, "offset", -1);
    gint64 length = ledger_json_bytes(object, "length", 0);

    if (!json_object_has_member(object, "offset")) { /* from an archive: all of it was restored */
        board->holds_all = true;
        return;
    }
    if (offset < 0)
        return;
    if (is_covered(board, offset, length))
        return;
    struct report_content *content = g_new0(struct report_content, 1);
    content->offset = offset;
    content->length = length;
    content->region = g_strdup(ledger_json_text(object, "region", ""));
    content->file = g_strdup(ledger_json_text(object, "file", ""));
    content->version = g_strdup(ledger_json_text(object, "version", ""));
    content->sha256 = g_strdup(ledger_json_text(object, "sha256", ""));
    content->time = g_strdup(time);
    g_ptr_array_add(board->holds, content);
}

static void take_contents(struct report_board *board, const struct wry_ledger_run *run)
{
    g_autoptr(JsonNode) contents = ledger_json_parse(run->contents);

    for (guint i = 0; i < ledger_json_count(contents); i++) {
        JsonObject *object = ledger_json_item(contents, i);
        if (object)
            take_content(board, object, run->ended);
    }
    g_ptr_array_sort(board->holds, by_offset);
}

static void take_board(struct report_board *board, const struct wry_ledger_run *run, bool passed)
{
    board->runs++;
    board->passed += passed;
    board->failed += has_failed(run);
    if (run->name && !board->name)
        board->name = g_strdup(run->name);
    if (board->history->len < REPORT_HISTORY)
        g_ptr_array_add(board->history, wry_ledger_run_copy(run));
    /* Repeated runs write the same content to the same places. */
    if (passed && run->contents && !board->holds_all &&
        g_strcmp0(board->parsed, run->contents) != 0) {
        take_contents(board, run);
        g_free(board->parsed);
        board->parsed = g_strdup(run->contents);
    }
    if (!board->backup && run->backup_file)
        board->backup = wry_ledger_run_copy(run);
}

static struct report_lot *find_lot(struct report *report, const char *name)
{
    struct report_lot *lot = g_hash_table_lookup(report->lots_by_name, name);

    if (lot)
        return lot;
    lot = report_lot_new(name);
    g_ptr_array_add(report->lots, lot);
    g_hash_table_insert(report->lots_by_name, (gpointer)report_lot_name(lot), lot);
    return lot;
}

static void take_bench(struct report *report, const struct wry_ledger_run *run)
{
    const char *name = run->computer ? run->computer : "unknown";
    struct report_bench *bench = g_hash_table_lookup(report->benches_by_name, name);

    if (!bench) {
        bench = g_new0(struct report_bench, 1);
        bench->name = g_strdup(name);
        bench->latest = g_strdup(run->began);
        bench->outcome =
            g_strconcat(run->outcome, run->name ? "  " : "", run->name ? run->name : "", NULL);
        g_ptr_array_add(report->benches, bench);
        g_hash_table_insert(report->benches_by_name, bench->name, bench);
    }
    bench->passed += is_outcome(run, "passed");
    bench->failed += has_failed(run);
}

bool report_take(void *context, const struct wry_ledger_run *run)
{
    struct report *report = context;
    bool passed = is_outcome(run, "passed");

    if (strcmp(run->kind, "label") == 0)
        return true;
    report->runs++;
    report->passed += passed;
    report->done_before += is_outcome(run, "done before");
    report->refused += is_outcome(run, "refused");
    report->failed += has_failed(run);
    if (run->lot)
        report_lot_take(find_lot(report, run->lot), run);
    take_bench(report, run);
    note_time(&report->from, run->began, false);
    note_time(&report->until, run->began, true);
    take_day(find_day(report, run), run, passed);
    if (run->board)
        take_board(find_board(report, run), run, passed);
    return true;
}

double report_throughput(const struct report_day *day)
{
    g_autoptr(GDateTime) first = day->first ? g_date_time_new_from_iso8601(day->first, NULL) : NULL;
    g_autoptr(GDateTime) last = day->last ? g_date_time_new_from_iso8601(day->last, NULL) : NULL;
    double hours =
        first && last ? (double)g_date_time_difference(last, first) / G_TIME_SPAN_HOUR : 0;

    /* A single run has no rate. */
    return hours > 0 && day->runs > 1 ? day->passed / hours : 0;
}

static int by_size(gconstpointer a, gconstpointer b)
{
    double x = *(const double *)a, y = *(const double *)b;

    return (x > y) - (x < y);
}

double report_median(const struct report_day *day)
{
    guint n = day->seconds->len;

    if (n == 0)
        return 0;
    g_array_sort(day->seconds, by_size);
    double high = g_array_index(day->seconds, double, n / 2);
    return n % 2 ? high : (high + g_array_index(day->seconds, double, n / 2 - 1)) / 2;
}

const char *report_reason(const struct report_day *day, guint *count)
{
    GHashTableIter iter;
    gpointer reason, times;
    const char *most = NULL;

    *count = 0;
    g_hash_table_iter_init(&iter, day->reasons);
    while (g_hash_table_iter_next(&iter, &reason, &times)) {
        guint n = GPOINTER_TO_UINT(times);
        /* If equally frequent, always the same one. */
        if (n > *count || (most && n == *count && strcmp(reason, most) < 0)) {
            *count = n;
            most = reason;
        }
    }
    return most;
}
