/* The report page: data for the templates report_*.html. */
#include "report.h"

#include <string.h>

#include "json.h"
#include "ledger_table.h"
#include "mustache.h"
#include "report_data.h"
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
    bool neither = strcmp(outcome, "running") == 0 || strcmp(outcome, "done before") == 0;

    return strcmp(outcome, "passed") == 0 ? "good" : neither ? "" : "bad";
}

static void add_time(JsonBuilder *data, const char *name, const char *time)
{
    g_autofree char *shown = ledger_table_time(time);

    json_add_text(data, name, shown);
}

static void add_sum(JsonBuilder *data, guint n, const char *what, const char *class)
{
    json_builder_begin_object(data);
    json_add_format(data, "count", "%u", n);
    json_add_text(data, "what", what);
    json_add_text(data, "class", class);
    json_builder_end_object(data);
}

static void add_why(JsonBuilder *data, const struct report_day *day)
{
    guint count;
    const char *reason = report_reason(day, &count);

    if (reason && count < day->failed)
        json_add_format(data, "why", "%s (%u of %u)", reason, count, day->failed);
    else if (reason)
        json_add_text(data, "why", reason);
}

static void add_day(JsonBuilder *data, const struct report_day *day)
{
    double rate = report_throughput(day);

    json_builder_begin_object(data);
    json_add_text(data, "day", day->day);
    json_add_text(data, "what", day->what);
    json_add_format(data, "boards", "%u", g_hash_table_size(day->boards));
    json_add_format(data, "passed", "%u", day->passed);
    json_add_format(data, "failed", "%u", day->failed);
    json_add_text(data, "bad", day->failed > 0 ? " bad" : "");
    if (day->passed > 0)
        json_add_format(data, "median", "%.1f s", report_median(day));
    if (rate > 0)
        json_add_format(data, "rate", "%.0f", rate);
    add_why(data, day);
    json_builder_end_object(data);
}

static void put_head(const struct report *report, FILE *to, const char *ledger)
{
    g_autoptr(JsonBuilder) data = json_builder_new();

    json_builder_begin_object(data);
    json_add_boolean(data, "any", report->runs > 0);
    add_time(data, "from", report->from);
    add_time(data, "until", report->until);
    json_add_text(data, "ledger", ledger);
    json_add_text(data, "version", WRY_VERSION_TEXT);
    json_begin_list(data, "sums");
    add_sum(data, report->boards->len, "boards", "");
    add_sum(data, report->runs, "runs", "");
    add_sum(data, report->passed, "passed", "good");
    add_sum(data, report->failed, "not passed", report->failed > 0 ? "bad" : "");
    if (report->done_before > 0)
        add_sum(data, report->done_before, "done before", "");
    json_builder_end_array(data);
    json_add_boolean(data, "any_days", report->days->len > 0);
    json_begin_list(data, "days");
    for (guint i = 0; i < report->days->len; i++)
        add_day(data, g_ptr_array_index(report->days, i));
    json_builder_end_array(data);
    json_add_boolean(data, "any_boards", report->boards->len > 0);
    put(to, "report_head.html", data);
}

static void add_block(JsonBuilder *data, const struct report_content *content, int64_t flash,
                      guint i)
{
    double width = (double)content->length * MAP_WIDTH / (double)flash;

    json_builder_begin_object(data);
    json_add_format(data, "x", "%.1f", (double)content->offset * MAP_WIDTH / (double)flash);
    json_add_format(data, "wide", "%.1f", MAX(width, MAP_LEAST));
    json_add_format(data, "colour", "%u", i % MAP_COLOURS);
    json_add_format(
        data, "title", "%s at 0x%06" G_GINT64_MODIFIER "X, %" G_GINT64_FORMAT " bytes: %s %s",
        content->region, content->offset, content->length, content->file, content->version);
    json_builder_end_object(data);
}

static void add_key(JsonBuilder *data, const struct report_content *content, guint i)
{
    g_autofree char *bytes = wry_units_bytes((uint64_t)content->length);

    json_builder_begin_object(data);
    json_add_format(data, "colour", "%u", i % MAP_COLOURS);
    json_add_text(data, "region", content->region);
    json_add_format(data, "place", "0x%06" G_GINT64_MODIFIER "X", content->offset);
    json_add_text(data, "bytes", bytes);
    json_add_format(data, "name", "%s  %s", content->file, content->version);
    json_add_text(data, "sha256", content->sha256);
    add_time(data, "time", content->time);
    json_builder_end_object(data);
}

/* The flash to scale, with what was written last. */
static void add_map(JsonBuilder *data, const struct report_board *board)
{
    guint count = board->holds->len;

    if (count == 0 || board->flash <= 0)
        return;
    g_autofree char *flash = wry_units_flash_size((uint32_t)board->flash);
    json_begin_object(data, "map");
    json_add_text(data, "flash", flash);
    json_add_format(data, "width", "%d", MAP_WIDTH);
    json_add_format(data, "inner", "%d", MAP_WIDTH - 1);
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

    json_builder_begin_object(data);
    add_time(data, "time", run->began);
    json_add_text(data, "what", card ? card : run->kind);
    json_add_text(data, "class", class_of(run->outcome));
    json_add_text(data, "outcome", run->outcome);
    json_add_format(data, "seconds", "%.1f", run->seconds);
    json_add_format(data, "who", "%s on %s", run->username, run->computer);
    json_add_format(data, "why", "%s%s%s", at, run->failed_at && run->reason ? ": " : "", reason);
    json_builder_end_object(data);
}

static void put_board(FILE *to, const struct report_board *board, bool open)
{
    const struct wry_ledger_run *latest = g_ptr_array_index(board->history, 0);
    g_autoptr(JsonBuilder) data = json_builder_new();

    json_builder_begin_object(data);
    json_add_text(data, "open", open ? " open" : "");
    json_add_text(data, "address", board->address);
    json_add_text(data, "class", class_of(latest->outcome));
    json_add_text(data, "outcome", latest->outcome);
    json_add_text(data, "chip", board->chip ? board->chip : "");
    json_add_format(data, "runs", "%u run%s", board->runs, board->runs == 1 ? "" : "s");
    json_add_format(data, "passed", "%u", board->passed);
    add_map(data, board);
    if (board->backup) {
        json_begin_object(data, "backup");
        json_add_text(data, "file", board->backup->backup_file);
        json_add_text(data, "sha256",
                      board->backup->backup_sha256 ? board->backup->backup_sha256 : "");
        json_builder_end_object(data);
    }
    json_begin_list(data, "history");
    for (guint i = 0; i < board->history->len; i++)
        add_run(data, g_ptr_array_index(board->history, i));
    json_builder_end_array(data);
    if (board->runs > board->history->len)
        json_add_format(data, "earlier", "%u", board->runs - board->history->len);
    put(to, "report_board.html", data);
}

void report_write(const struct report *report, FILE *to, const char *ledger)
{
    g_autoptr(JsonBuilder) none = json_builder_new();

    put_head(report, to, ledger);
    for (guint i = 0; i < report->boards->len; i++)
        put_board(to, g_ptr_array_index(report->boards, i), report->boards->len <= OPEN_MOST);
    json_builder_begin_object(none);
    put(to, "report_foot.html", none);
}
