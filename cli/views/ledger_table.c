/* Runs of the ledger. */
#include "ledger_table.h"

#include <csv.h>
#include <json-glib/json-glib.h>
#include <stdio.h>
#include <string.h>

#include "json.h"
#include "ledger_json.h"
#include "times.h"
#include "words.h"
#include "wrytograph-host/units.h"

enum {
    ID_SHOWN = 8, /* digits shown, enough to identify a run */
};

struct table *ledger_table_new(const struct app *app)
{
    struct table *table =
        table_new(app, "run", "began", "board", "outcome", "seconds", "what", NULL);

    table_right(table, 4);
    return table;
}

void ledger_table_row(struct table *table, const struct wry_ledger_run *run)
{
    g_autofree char *time = times_local(run->began);
    g_autofree char *card = words_card(run->card, run->card_version);
    bool is_label = strcmp(run->kind, "label") == 0;
    const char *what = card && !is_label ? card : run->kind;
    g_autofree char *where = run->failed_at && strcmp(run->failed_at, run->kind) != 0
                                 ? g_strdup_printf(", at %s", run->failed_at)
                                 : g_strdup("");

    g_autofree char *id = g_strndup(run->id, ID_SHOWN);
    g_autofree char *seconds = g_strdup_printf("%.1f", run->seconds);
    g_autofree char *all = g_strdup_printf("%s%s%s%s", what, where, run->reason ? ": " : "",
                                           run->reason ? run->reason : "");

    table_row(table, id, time, words_or(run->board, "-"), run->outcome, seconds, all, NULL);
}

static void show(const struct app *app, const char *name, const char *value)
{
    if (value && value[0])
        app_print(app, "%-11s %s", name, value);
}

static void show_steps(const struct app *app, const struct wry_ledger_run *run)
{
    g_autoptr(JsonNode) steps = ledger_json_parse(run->steps);

    for (guint i = 0; i < ledger_json_count(steps); i++) {
        JsonObject *step = ledger_json_item(steps, i);
        gint64 n = ledger_json_bytes(step, "bytes", 0);
        g_autofree char *bytes = n > 0 ? wry_units_bytes((uint64_t)n) : g_strdup("");
        app_print(app, "%-11s %-8s %-11s %6.1f s  %s", i == 0 ? "steps" : "",
                  ledger_json_text(step, "step", "?"), ledger_json_text(step, "outcome", "?"),
                  ledger_json_seconds(step, "seconds"), bytes);
    }
}

static void show_contents(const struct app *app, const struct wry_ledger_run *run)
{
    g_autoptr(JsonNode) contents = ledger_json_parse(run->contents);

    for (guint i = 0; i < ledger_json_count(contents); i++) {
        JsonObject *content = ledger_json_item(contents, i);
        app_print(app, "%-11s %-12s 0x%06" G_GINT64_MODIFIER "X  %s %s", i == 0 ? "written" : "",
                  ledger_json_text(content, "region", "-"), ledger_json_bytes(content, "offset", 0),
                  ledger_json_text(content, "file", ""), ledger_json_text(content, "version", ""));
        show(app, "", ledger_json_text(content, "sha256", NULL));
    }
}

void ledger_table_show(const struct app *app, const struct wry_ledger_run *run)
{
    g_autofree char *began = times_local(run->began);
    g_autofree char *ended = times_local(run->ended);
    g_autofree char *flash = run->flash > 0 ? wry_units_flash_size((uint32_t)run->flash) : NULL;
    g_autofree char *card = run->card ? g_strconcat(run->card, " ", run->card_version, NULL) : NULL;
    g_autofree char *where = run->failed_at
                                 ? g_strdup_printf("%s, at %s", run->outcome, run->failed_at)
                                 : g_strdup(run->outcome);
    g_autofree char *code = run->exit_code >= 0
                                ? g_strdup_printf("%" G_GINT64_FORMAT, run->exit_code)
                                : g_strdup("none: it never ended");

    show(app, "run", run->id);
    show(app, "what", run->kind);
    show(app, "card", card);
    show(app, "  SHA-256", run->card_sha256);
    show(app, "kit", run->kit_sha256);
    show(app, "signed by", run->signer);
    g_autofree char *row =
        run->lot_row > 0 ? g_strdup_printf("line %" G_GINT64_FORMAT, run->lot_row) : NULL;
    show(app, "lot", run->lot);
    show(app, "row", row);
    show(app, "name", run->name);
    show(app, "board", run->board);
    show(app, "chip", run->chip);
    show(app, "flash", flash);
    show(app, "link", run->link);
    show(app, "began", began);
    show(app, "ended", ended);
    show(app, "computer", run->computer);
    show(app, "user", run->username);
    show(app, "operator", run->operator_);
    show(app, "program", run->program);
    show(app, "outcome", where);
    show(app, "reason", run->reason);
    show(app, "advice", run->advice);
    show(app, "exit code", code);
    show(app, "firmware", run->firmware);
    show_steps(app, run);
    show_contents(app, run);
    show(app, "backup", run->backup_file);
    show(app, "  SHA-256", run->backup_sha256);
    g_auto(GStrv) heard = g_strsplit(run->heard ? run->heard : "", "\n", -1);
    for (char **line = heard; *line; line++)
        show(app, line == heard ? "heard" : "", *line);
}

void ledger_table_add_members(JsonBuilder *b, const struct wry_ledger_run *run)
{
    for (size_t i = 0; wry_ledger_column_at(i); i++) {
        const struct wry_ledger_column *column = wry_ledger_column_at(i);
        g_autofree char *value = wry_ledger_run_value(run, column);
        JsonNode *node = value && column->type == WRY_LEDGER_JSON ? ledger_json_parse(value) : NULL;
        json_builder_set_member_name(b, column->name);
        if (!value)
            json_builder_add_null_value(b);
        else if (node)
            json_builder_add_value(b, node);
        else if (column->type == WRY_LEDGER_NUMBER)
            json_builder_add_int_value(b, g_ascii_strtoll(value, NULL, 10));
        else if (column->type == WRY_LEDGER_REAL)
            json_builder_add_double_value(b, g_ascii_strtod(value, NULL));
        else
            json_builder_add_string_value(b, value);
    }
}

void ledger_table_add_json(JsonBuilder *b, const struct wry_ledger_run *run)
{
    json_builder_begin_object(b);
    ledger_table_add_members(b, run);
    json_builder_end_object(b);
}

/* True if a spreadsheet would take the text for a formula; numbers are not changed. */
static bool looks_like_formula(const struct wry_ledger_column *column, const char *value)
{
    char *end;

    if (column->type >= WRY_LEDGER_NUMBER || !strchr("=+-@\t\r", value[0]) || value[0] == '\0')
        return false;
    g_ascii_strtod(value, &end);
    return end == value || *end != '\0';
}

void ledger_table_write_csv(FILE *to, const struct wry_ledger_run *run)
{
    for (size_t i = 0; wry_ledger_column_at(i); i++) {
        const struct wry_ledger_column *column = wry_ledger_column_at(i);
        g_autofree char *value = run ? wry_ledger_run_value(run, column) : g_strdup(column->name);
        bool marked = value && looks_like_formula(column, value);
        g_autofree char *cell = g_strconcat(marked ? "'" : "", value ? value : "", NULL);
        if (i > 0)
            putc(',', to);
        if (strpbrk(cell, ",\"\r\n"))
            csv_fwrite(to, cell, strlen(cell));
        else
            fputs(cell, to);
    }
    fputs("\r\n", to);
}

void ledger_table_refusals(const struct app *app, const GPtrArray *refusals)
{
    json_begin_list(app->json, "refused");
    for (guint i = 0; i < refusals->len; i++) {
        const struct wry_ledger_refusal *refusal = g_ptr_array_index(refusals, i);
        app_note(app, "The server rejected run %.8s: %s (%s)", refusal->id, refusal->reason,
                 refusal->goes_out ? "every run tries again"
                                   : "set aside; 'wrytograph ledger send' tries again");
        json_add_object(app->json, json_text("id", refusal->id),
                        json_text("reason", refusal->reason));
    }
    json_builder_end_array(app->json);
}
