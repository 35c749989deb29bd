/* The report page. */
#include <string.h>

#include "ledger_table.h"
#include "report.h"
#include "report_data.h"
#include "wrytograph-host/units.h"
#include "wrytograph/version.h"

/* Colours are for the light and the dark, by names; on paper they are as in the light. */
static const char head[] =
    "<!DOCTYPE html>\n"
    "<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
    "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
    "<title>Boards and cards</title>\n"
    "<style>\n"
    ":root{color-scheme:light dark;--ink:#1c2430;--soft:#5b6675;--paper:#fff;--line:#d9dee5;"
    "--panel:#f4f6f9;--good:#136f3a;--bad:#b3261e;--b0:#2f6fb0;--b1:#b06a2f;--b2:#4c8f4c;"
    "--b3:#8a5bb0;--b4:#2f9a9a}\n"
    "@media (prefers-color-scheme:dark){:root{--ink:#e6eaf0;--soft:#9aa6b5;--paper:#12161c;"
    "--line:#2c3540;--panel:#1a2028;--good:#63c98c;--bad:#ff8a80;--b0:#69a5e0;--b1:#dca06a;"
    "--b2:#86c886;--b3:#bf9ae0;--b4:#6accc9}}\n"
    "@media print{:root{color-scheme:light;--ink:#000;--soft:#444;--paper:#fff;--line:#bbb;"
    "--panel:#fff;--good:#0a5a2c;--bad:#8f1d17}}\n"
    "*{box-sizing:border-box}\n"
    "body{margin:0;background:var(--paper);color:var(--ink);font:15px/1.45 system-ui,"
    "\"DejaVu Sans\",sans-serif}\n"
    "main{max-width:76rem;margin:0 auto;padding:1.5rem 1.25rem 3rem}\n"
    "h1{font-size:1.6rem;margin:0}h2{font-size:1.15rem;margin:2rem 0 .5rem}\n"
    "p{margin:.25rem 0}.soft{color:var(--soft)}.good{color:var(--good)}.bad{color:var(--bad)}\n"
    ".sums{display:flex;flex-wrap:wrap;gap:.75rem;margin:1rem 0 0;padding:0;list-style:none}\n"
    ".sums li{background:var(--panel);border:1px solid var(--line);border-radius:.5rem;"
    "padding:.5rem .9rem;min-width:7rem}\n"
    ".sums b{display:block;font-size:1.5rem;line-height:1.2}\n"
    ".wide{overflow-x:auto}\n"
    "table{border-collapse:collapse;width:100%;font-variant-numeric:tabular-nums}\n"
    "th,td{text-align:left;vertical-align:top;padding:.35rem .6rem;border-bottom:1px solid "
    "var(--line)}\n"
    "th{font-weight:600;color:var(--soft);white-space:nowrap}\n"
    ".n{text-align:right;white-space:nowrap}.t{white-space:nowrap}\n"
    "details{border:1px solid var(--line);border-radius:.5rem;margin:.6rem 0;padding:.1rem .9rem}\n"
    "summary{cursor:pointer;padding:.5rem 0}summary code{font-size:1.05em;font-weight:600}\n"
    "code,.digest{font-family:ui-monospace,\"DejaVu Sans Mono\",monospace;font-size:.92em;"
    "overflow-wrap:anywhere}\n"
    "svg{display:block;width:100%;height:auto;margin:.5rem 0}svg text{fill:var(--ink)}\n"
    ".digest{color:var(--soft);display:inline-block;min-width:12rem}\n"
    "@media print{body{font-size:10px}main{max-width:none;padding:0}h1{font-size:18px}"
    "h2{font-size:13px;break-after:avoid}.sums b{font-size:15px}.wide{overflow:visible}"
    "th,td{padding:2px 5px}tr{break-inside:avoid}details{break-inside:auto}"
    "details::details-content{content-visibility:visible;display:block}summary{break-after:avoid}}"
    "\n"
    "@media (max-width:40rem){main{padding:1rem .7rem}th,td{padding:.3rem .4rem}.far{display:none}"
    "body{font-size:14px}}\n"
    "</style>\n</head>\n<body>\n<main>\n";

static void put(FILE *to, const char *text)
{
    g_autofree char *valid = g_utf8_make_valid(text ? text : "", -1);
    g_autofree char *escaped = g_markup_escape_text(valid, -1);

    /* Control characters, which GLib writes as references, may not stand in HTML. */
    for (const char *at = escaped; *at; at++) {
        if (g_str_has_prefix(at, "&#x")) {
            fputs("\xEF\xBF\xBD", to);
            at = strchr(at, ';');
        } else {
            putc((guchar)*at < 0x20 && *at != '\n' ? ' ' : *at, to);
        }
    }
}

static void put_cell(FILE *to, const char *class, const char *text)
{
    fprintf(to, class[0] ? "<td class=\"%s\">" : "<td>", class);
    put(to, text);
    fputs("</td>", to);
}

static const char *class_of(const char *outcome)
{
    bool neither = strcmp(outcome, "running") == 0 || strcmp(outcome, "done before") == 0;

    return strcmp(outcome, "passed") == 0 ? "good" : neither ? "" : "bad";
}

static void put_sum(FILE *to, guint n, const char *what, const char *class)
{
    fprintf(to, "<li><b class=\"%s\">%u</b>%s</li>\n", class, n, what);
}

static void put_head(const struct report *report, FILE *to, const char *ledger)
{
    g_autofree char *from = ledger_table_time(report->from);
    g_autofree char *until = ledger_table_time(report->until);

    fputs(head, to);
    fputs("<h1>Boards and cards</h1>\n<p class=\"soft\">", to);
    if (report->runs > 0)
        fprintf(to, "Runs from %s to %s UTC, on record in ", from, until);
    else
        fputs("No run is on record in ", to);
    put(to, ledger);
    fprintf(to, ". Made by Wrytograph %s.</p>\n<ul class=\"sums\">\n", WRY_VERSION_TEXT);
    put_sum(to, report->boards->len, "boards", "");
    put_sum(to, report->runs, "runs", "");
    put_sum(to, report->passed, "passed", "good");
    put_sum(to, report->failed, "did not pass", report->failed > 0 ? "bad" : "");
    if (report->done_before > 0)
        put_sum(to, report->done_before, "done before", "");
    fputs("</ul>\n", to);
}

static void put_why(FILE *to, const struct report_day *day)
{
    guint count;
    const char *reason = report_reason(day, &count);

    if (!reason) {
        put_cell(to, "", "");
        return;
    }
    g_autofree char *text = count < day->failed
                                ? g_strdup_printf("%s (%u of %u)", reason, count, day->failed)
                                : g_strdup(reason);
    put_cell(to, "", text);
}

static void put_days(const struct report *report, FILE *to)
{
    fputs("<h2>By day and card</h2>\n<div class=\"wide\"><table>\n<thead><tr><th>day</th>"
          "<th>card</th><th class=\"n far\">boards</th><th class=\"n\">passed</th>"
          "<th class=\"n\">did not</th><th class=\"n far\">median</th><th class=\"n far\">an "
          "hour</th>"
          "<th>why not</th></tr></thead>\n<tbody>\n",
          to);
    for (guint i = 0; i < report->days->len; i++) {
        const struct report_day *day = g_ptr_array_index(report->days, i);
        double rate = report_throughput(day);
        fputs("<tr>", to);
        put_cell(to, "t", day->day);
        put_cell(to, "", day->what);
        fprintf(to,
                "<td class=\"n far\">%u</td><td class=\"n good\">%u</td><td class=\"n%s\">%u</td>",
                g_hash_table_size(day->boards), day->passed, day->failed > 0 ? " bad" : "",
                day->failed);
        if (day->passed > 0)
            fprintf(to, "<td class=\"n far\">%.1f s</td>", report_median(day));
        else
            fputs("<td class=\"n far\"></td>", to);
        fprintf(to, rate > 0 ? "<td class=\"n far\">%.0f</td>" : "<td class=\"n far\"></td>", rate);
        put_why(to, day);
        fputs("</tr>\n", to);
    }
    fputs("</tbody></table></div>\n", to);
}

/* The flash to scale, with what was written last. */

enum {
    MAP_WIDTH = 1000,
    MAP_LEAST = 4, /* so that a small image is seen */
    MAP_COLOURS = 5,
};

static void put_block(FILE *to, const struct report_content *content, int64_t flash, guint i)
{
    double x = (double)content->offset * MAP_WIDTH / (double)flash;
    double width = (double)content->length * MAP_WIDTH / (double)flash;
    g_autofree char *title = g_strdup_printf(
        "%s at 0x%06" G_GINT64_MODIFIER "X, %" G_GINT64_FORMAT " bytes: %s %s", content->region,
        content->offset, content->length, content->file, content->version);

    fprintf(to,
            "<rect x=\"%.1f\" y=\"0\" width=\"%.1f\" height=\"26\" style=\"fill:var(--b%u)\">"
            "<title>",
            x, MAX(width, MAP_LEAST), i % MAP_COLOURS);
    put(to, title);
    fputs("</title></rect>\n", to);
}

static void put_key(FILE *to, const struct report_content *content, guint i)
{
    g_autofree char *place = g_strdup_printf("0x%06" G_GINT64_MODIFIER "X", content->offset);
    g_autofree char *bytes = wry_units_bytes((uint64_t)content->length);
    g_autofree char *name = g_strconcat(content->file, "  ", content->version, NULL);
    g_autofree char *time = ledger_table_time(content->time);

    fprintf(to, "<tr><td style=\"color:var(--b%u)\">&#9632;</td>", i % MAP_COLOURS);
    put_cell(to, "t", content->region);
    put_cell(to, "t", place);
    put_cell(to, "n", bytes);
    fputs("<td>", to);
    put(to, name);
    if (content->sha256[0])
        fprintf(to, "<br><span class=\"digest\">");
    put(to, content->sha256);
    fputs(content->sha256[0] ? "</span></td>" : "</td>", to);
    put_cell(to, "t far", time);
    fputs("</tr>\n", to);
}

static void put_map(FILE *to, const struct report_board *board)
{
    guint count = board->holds->len;

    if (count == 0 || board->flash <= 0)
        return;
    g_autofree char *flash = wry_units_flash_size((uint32_t)board->flash);
    fprintf(to,
            "<p>Written last, of %s of flash:</p>\n"
            "<svg viewBox=\"0 0 %d 28\" role=\"img\" aria-label=\"flash map\">\n"
            "<rect x=\"0.5\" y=\"0.5\" width=\"%d\" height=\"25\" rx=\"3\" "
            "style=\"fill:var(--panel);stroke:var(--line)\"/>\n",
            flash, MAP_WIDTH, MAP_WIDTH - 1);
    for (guint i = 0; i < count; i++)
        put_block(to, g_ptr_array_index(board->holds, i), board->flash, i);
    fputs("</svg>\n<div class=\"wide\"><table><tbody>\n", to);
    for (guint i = 0; i < count; i++)
        put_key(to, g_ptr_array_index(board->holds, i), i);
    fputs("</tbody></table></div>\n", to);
}

static void put_run(FILE *to, const struct wry_ledger_run *run)
{
    g_autofree char *time = ledger_table_time(run->began);
    g_autofree char *what =
        run->card ? g_strconcat(run->card, " ", run->card_version, NULL) : g_strdup(run->kind);
    g_autofree char *why =
        g_strdup_printf("%s%s%s", run->failed_at ? run->failed_at : "",
                        run->failed_at && run->reason ? ": " : "", run->reason ? run->reason : "");
    g_autofree char *who = g_strdup_printf("%s on %s", run->username, run->computer);

    fputs("<tr>", to);
    put_cell(to, "t", time);
    put_cell(to, "", what);
    put_cell(to, class_of(run->outcome), run->outcome);
    fprintf(to, "<td class=\"n\">%.1f s</td>", run->seconds);
    put_cell(to, "far", who);
    put_cell(to, "", why);
    fputs("</tr>\n", to);
}

static void put_board(FILE *to, const struct report_board *board, bool open)
{
    const struct wry_ledger_run *latest = g_ptr_array_index(board->history, 0);

    fprintf(to, "<details%s>\n<summary><code>%s</code> ", open ? " open" : "", board->address);
    fprintf(to, "<span class=\"%s\">%s</span> <span class=\"soft\">", class_of(latest->outcome),
            latest->outcome);
    put(to, board->chip);
    fprintf(to, ", %u run%s, %u passed</span></summary>\n", board->runs,
            board->runs == 1 ? "" : "s", board->passed);
    put_map(to, board);
    if (board->backup) {
        fputs("<p>Backup: <code>", to);
        put(to, board->backup->backup_file);
        fputs("</code><br><span class=\"soft\">SHA-256 <code>", to);
        put(to, board->backup->backup_sha256);
        fputs("</code></span></p>\n", to);
    }
    fputs("<div class=\"wide\"><table>\n<thead><tr><th>began (UTC)</th><th>what</th>"
          "<th>outcome</th><th class=\"n\">time</th><th class=\"far\">who</th><th>why not</th></tr>"
          "</thead>\n<tbody>\n",
          to);
    for (guint i = 0; i < board->history->len; i++)
        put_run(to, g_ptr_array_index(board->history, i));
    fputs("</tbody></table></div>\n", to);
    if (board->runs > board->history->len)
        fprintf(to, "<p class=\"soft\">And %u earlier runs.</p>\n",
                board->runs - board->history->len);
    fputs("</details>\n", to);
}

enum {
    OPEN_MOST = 8, /* boards that are shown open when there are no more of them */
};

void report_write(const struct report *report, FILE *to, const char *ledger)
{
    put_head(report, to, ledger);
    if (report->days->len > 0)
        put_days(report, to);
    if (report->boards->len > 0)
        fputs("<h2>Boards</h2>\n", to);
    for (guint i = 0; i < report->boards->len; i++)
        put_board(to, g_ptr_array_index(report->boards, i), report->boards->len <= OPEN_MOST);
    fputs("</main>\n</body>\n</html>\n", to);
}
