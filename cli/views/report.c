/* The report page: data for the templates report_*.html. */
#include "report.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "json.h"
#include "mustache.h"
#include "report_data.h"
#include "report_lot.h"
#include "times.h"
#include "words.h"
#include "wrytograph-host/units.h"
#include "wrytograph/version.h"

enum {
    OPEN_MOST = 8,    /* most boards that are all shown open */
    MAP_WIDTH = 1000, /* width of the drawing of a flash */
    MAP_LEAST = 4,    /* least width of an image */
    MAP_COLOURS = 5,
};

static void put(FILE *to, const char *name, JsonBuilder *data)
{
    g_autoptr(GString) text = g_string_new(NULL);

    json_builder_end_object(data);
    mustache_fill(text, name, data);
    fwrite(text->str, 1, text->len, to);
}

static const char *class_of(const char *outcome)
{
    bool neither = strcmp(outcome, "running") == 0 || strcmp(outcome, "done before") == 0 ||
                   strcmp(outcome, "refused") == 0;

    return strcmp(outcome, "passed") == 0 ? "good" : neither ? "" : "bad";
}

static struct json_member time_of(const char *name, const char *time)
{
    return json_take(name, times_local(time));
}

static void add_sum(JsonBuilder *data, guint n, const char *what, const char *class)
{
    json_add_object(data, json_format("count", "%u", n), json_text("what", what),
                    json_text("class", class));
}

static void add_day(JsonBuilder *data, const struct report_day *day)
{
    double rate = report_throughput(day);
    guint count;
    const char *reason = report_reason(day, &count);

    json_add_object(data, json_text("day", day->day), json_text("what", day->what),
                    json_format("boards", "%u", g_hash_table_size(day->boards)),
                    json_format("passed", "%u", day->passed),
                    json_format("failed", "%u", day->failed),
                    json_text("bad", day->failed > 0 ? " bad" : ""),
                    json_if(day->refused > 0, json_format("refused", "%u", day->refused)),
                    json_if(day->passed > 0, json_format("median", "%.1f s", report_median(day))),
                    json_if(rate > 0, json_format("rate", "%.0f", rate)),
                    count < day->failed && reason
                        ? json_format("why", "%s (%u of %u)", reason, count, day->failed)
                        : json_text("why", reason));
}

static void add_bench(JsonBuilder *data, const struct report_bench *bench)
{
    json_add_object(data, json_text("bench", bench->name),
                    json_format("passed", "%u", bench->passed),
                    json_format("failed", "%u", bench->failed),
                    json_text("bad", bench->failed > 0 ? " bad" : ""),
                    time_of("time", bench->latest), json_text("outcome", bench->outcome));
}

static void add_lots(JsonBuilder *data, const struct report *report, const struct wry_lot *state)
{
    json_begin_list(data, "lots");
    for (guint i = 0; i < report->lots->len; i++) {
        const struct report_lot *lot = g_ptr_array_index(report->lots, i);
        bool same = state && g_strcmp0(state->name, report_lot_name(lot)) == 0;
        report_lot_add(data, lot, same ? state : NULL);
    }
    json_builder_end_array(data);
    json_begin_list(data, "benches");
    for (guint i = 0; i < report->benches->len; i++)
        add_bench(data, g_ptr_array_index(report->benches, i));
    json_builder_end_array(data);
    json_add(data, json_flag("any_lots", report->lots->len > 0),
             json_flag("any_benches", report->benches->len > 1));
}

static void put_head(const struct report *report, FILE *to, const struct report_page *page)
{
    g_autoptr(JsonBuilder) data = json_builder_new();

    json_builder_begin_object(data);
    json_add(data, json_flag("any", report->runs > 0), time_of("from", report->from),
             time_of("until", report->until), json_text("ledger", page->ledger),
             json_if(page->refresh > 0, json_format("refresh", "%u", page->refresh)),
             json_text("version", WRY_VERSION_TEXT), json_flag("any_days", report->days->len > 0),
             json_flag("any_boards", report->boards->len > 0));
    json_begin_list(data, "sums");
    add_sum(data, report->boards->len, "boards", "");
    add_sum(data, report->runs, "runs", "");
    add_sum(data, report->passed, "passed", "good");
    add_sum(data, report->failed, "failed", report->failed > 0 ? "bad" : "");
    if (report->refused > 0)
        add_sum(data, report->refused, "refused", "");
    if (report->done_before > 0)
        add_sum(data, report->done_before, "done before", "");
    json_builder_end_array(data);
    json_begin_list(data, "days");
    for (guint i = 0; i < report->days->len; i++)
        add_day(data, g_ptr_array_index(report->days, i));
    json_builder_end_array(data);
    add_lots(data, report, page->state);
    put(to, "report_head.html", data);
}

static void add_block(JsonBuilder *data, const struct report_content *content, int64_t flash,
                      guint i)
{
    double width = (double)content->length * MAP_WIDTH / (double)flash;

    json_add_object(
        data, json_format("x", "%.1f", (double)content->offset * MAP_WIDTH / (double)flash),
        json_format("wide", "%.1f", MAX(width, MAP_LEAST)),
        json_format("colour", "%u", i % MAP_COLOURS),
        json_format("title", "%s at 0x%06" G_GINT64_MODIFIER "X, %" G_GINT64_FORMAT " bytes: %s %s",
                    content->region, content->offset, content->length, content->file,
                    content->version));
}

static void add_key(JsonBuilder *data, const struct report_content *content, guint i)
{
    json_add_object(data, json_format("colour", "%u", i % MAP_COLOURS),
                    json_text("region", content->region),
                    json_format("place", "0x%06" G_GINT64_MODIFIER "X", content->offset),
                    json_take("bytes", wry_units_bytes((uint64_t)content->length)),
                    json_format("name", "%s  %s", content->file, content->version),
                    json_text("sha256", content->sha256), time_of("time", content->time));
}

/* The flash to scale, with what was written last. */
static void add_map(JsonBuilder *data, const struct report_board *board)
{
    guint count = board->holds->len;

    if (count == 0 || board->flash <= 0)
        return;
    json_begin_object(data, "map");
    json_add(data, json_take("flash", wry_units_flash_size((uint32_t)board->flash)),
             json_format("width", "%d", MAP_WIDTH), json_format("inner", "%d", MAP_WIDTH - 1));
    json_begin_list(data, "blocks");
    for (guint i = 0; i < count; i++)
        add_block(data, g_ptr_array_index(board->holds, i), board->flash, i);
    json_builder_end_array(data);
    json_begin_list(data, "keys");
    for (guint i = 0; i < count; i++)
        add_key(data, g_ptr_array_index(board->holds, i), i);
    json_builder_end_array(data);
    json_builder_end_object(data);
}

static void add_run(JsonBuilder *data, const struct wry_ledger_run *run)
{
    g_autofree char *card = words_card(run->card, run->card_version);
    const char *at = run->failed_at ? run->failed_at : "", *reason = run->reason ? run->reason : "";

    json_add_object(
        data, time_of("time", run->began), json_text("what", card ? card : run->kind),
        json_text("class", class_of(run->outcome)), json_text("outcome", run->outcome),
        json_format("seconds", "%.1f", run->seconds),
        json_format("who", "%s on %s", run->username, run->computer),
        json_format("why", "%s%s%s", at, run->failed_at && run->reason ? ": " : "", reason),
        json_text("advice", run->advice));
}

static void put_board(FILE *to, const struct report_board *board, bool open)
{
    const struct wry_ledger_run *latest = g_ptr_array_index(board->history, 0);
    const struct wry_ledger_run *backup = board->backup;
    g_autoptr(JsonBuilder) data = json_builder_new();
    guint earlier = board->runs - board->history->len;

    json_builder_begin_object(data);
    json_add(data, json_text("open", open ? " open" : ""), json_text("address", board->address),
             json_text("name", board->name), json_text("class", class_of(latest->outcome)),
             json_text("outcome", latest->outcome),
             json_text("chip", board->chip ? board->chip : ""),
             json_format("runs", "%u run%s", board->runs, board->runs == 1 ? "" : "s"),
             json_format("passed", "%u", board->passed),
             json_if(earlier > 0, json_format("earlier", "%u", earlier)));
    add_map(data, board);
    if (backup) {
        json_begin_object(data, "backup");
        json_add(data, json_text("file", backup->backup_file),
                 json_text("sha256", backup->backup_sha256 ? backup->backup_sha256 : ""));
        json_builder_end_object(data);
    }
    json_begin_list(data, "history");
    for (guint i = 0; i < board->history->len; i++)
        add_run(data, g_ptr_array_index(board->history, i));
    json_builder_end_array(data);
    put(to, "report_board.html", data);
}

void report_write(const struct report *report, FILE *to, const struct report_page *page)
{
    g_autoptr(JsonBuilder) none = json_builder_new();

    put_head(report, to, page);
    for (guint i = 0; i < report->boards->len; i++)
        put_board(to, g_ptr_array_index(report->boards, i), report->boards->len <= OPEN_MOST);
    json_builder_begin_object(none);
    put(to, "report_foot.html", none);
}
