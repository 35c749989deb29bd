/* The result of a card. */
#include "run_outcome.h"

#include <json-glib/json-glib.h>
#include <string.h>
#include <unistd.h>

#include "banner.h"
#include "json.h"
#include "times.h"
#include "wrytograph-host/units.h"

static const char *word(enum wry_outcome outcome, const struct wry_run_result *result)
{
    if (outcome == WRY_OUTCOME_DONE && result->done_before)
        return "DONE BEFORE";
    return outcome == WRY_OUTCOME_DONE      ? "PASSED"
           : outcome == WRY_OUTCOME_STOPPED ? "STOPPED"
                                            : "FAILED";
}

enum wry_outcome run_outcome_worse(enum wry_outcome a, enum wry_outcome b)
{
    static const enum wry_outcome order[] = {
        WRY_OUTCOME_INTERNAL,  WRY_OUTCOME_FLASH, WRY_OUTCOME_DIFFERS,
        WRY_OUTCOME_LINK_LOST, WRY_OUTCOME_WRONG, WRY_OUTCOME_NO_ANSWER,
        WRY_OUTCOME_BAD_INPUT, WRY_OUTCOME_USAGE, WRY_OUTCOME_STOPPED};

    for (size_t i = 0; i < G_N_ELEMENTS(order); i++) {
        if (a == order[i] || b == order[i])
            return order[i];
    }
    return WRY_OUTCOME_DONE;
}

char *run_outcome_card(const struct wry_card *card)
{
    struct wry_card_facts facts;

    wry_card_get_facts(card, &facts);
    return g_strconcat(facts.name, facts.version[0] ? " " : "", facts.version, NULL);
}

char *run_outcome_line(enum wry_outcome outcome, const struct wry_run_result *result,
                       const struct wry_card *card, const char *words, bool simulated)
{
    guint count = result->steps ? result->steps->len : 0;
    const struct wry_run_step_done *last =
        count > 0 ? &g_array_index(result->steps, struct wry_run_step_done, count - 1) : NULL;
    g_autofree char *board =
        result->known ? wry_units_address(result->address) : g_strdup("no board");
    g_autofree char *name = run_outcome_card(card);
    GString *line = g_string_new(word(outcome, result));

    if (outcome == WRY_OUTCOME_DONE && result->done_before) {
        g_autofree char *when =
            result->earlier_at ? times_local(result->earlier_at) : g_strdup("before");
        g_string_append_printf(line, ": already done %s.", when);
    }
    if (outcome != WRY_OUTCOME_DONE && last)
        g_string_append_printf(line, " at %s: %s.", wry_run_step_name(last->step),
                               words ? words : "");
    if (result->row_name)
        g_string_append_printf(line, "  %s", result->row_name);
    if (result->firmware)
        g_string_append_printf(line, "  %s", result->firmware);
    g_string_append_printf(line, "  %s  %s  %.1f s%s", board, name, result->seconds,
                           simulated ? " (simulated)" : "");
    return g_string_free(line, FALSE);
}

void run_outcome_steps(const struct app *app, const struct wry_run_result *result)
{
    for (guint i = 0; result->steps && i < result->steps->len; i++) {
        const struct wry_run_step_done *step =
            &g_array_index(result->steps, struct wry_run_step_done, i);
        g_autofree char *bytes = step->bytes > 0 ? wry_units_bytes(step->bytes) : g_strdup("");
        app_note(app, "  %-8s %6.1f s  %-11s %s", wry_run_step_name(step->step), step->seconds,
                 step->skipped                       ? "not needed"
                 : step->outcome == WRY_OUTCOME_DONE ? "done"
                                                     : "failed",
                 bytes);
    }
}

void run_outcome_banner(const struct app *app, enum wry_outcome outcome,
                        const struct wry_run_result *result, const char *line, bool bell)
{
    bool is_new = !(outcome == WRY_OUTCOME_DONE && result->done_before);
    enum banner_look look = !is_new                          ? BANNER_BEFORE
                            : outcome == WRY_OUTCOME_DONE    ? BANNER_PASSED
                            : outcome == WRY_OUTCOME_STOPPED ? BANNER_STOPPED
                                                             : BANNER_FAILED;

    banner_print(app, word(outcome, result), look);
    app_outcome(app, outcome == WRY_OUTCOME_DONE, "%s", line);
    if (bell && isatty(STDOUT_FILENO) && !app->json_wanted)
        fputs(outcome == WRY_OUTCOME_DONE ? "\a" : "\a\a\a", stdout);
    fflush(stdout);
}

void run_outcome_add_json(JsonBuilder *b, const struct wry_run_result *result)
{
    json_begin_list(b, "steps");
    for (guint i = 0; result->steps && i < result->steps->len; i++) {
        const struct wry_run_step_done *step =
            &g_array_index(result->steps, struct wry_run_step_done, i);
        json_add_object(b, json_text("step", wry_run_step_name(step->step)),
                        json_text("outcome", wry_outcome_text(step->outcome)),
                        json_flag("needed", !step->skipped), json_real("seconds", step->seconds),
                        json_number("bytes", (int64_t)step->bytes));
    }
    json_builder_end_array(b);
    json_add(b, json_if(result->known, json_take("board", wry_units_address(result->address))),
             json_flag("done_before", result->done_before), json_text("row", result->row_name),
             json_text("firmware", result->firmware), json_text("backup", result->backup),
             json_real("seconds", result->seconds),
             json_number("bytes_sent", (int64_t)result->bytes_sent),
             json_number("bytes_received", (int64_t)result->bytes_received));
}
