/* ledger send: rows that wait on this computer for a server. */
#include "ledger_verb.h"

#include <json-glib/json-glib.h>

#include "views/explain.h"
#include "views/json.h"
#include "views/ledger_table.h"

static char *outbox_name(const struct wry_ledger_outbox *outbox)
{
    return g_strdup(outbox->server ? outbox->server : outbox->path);
}

static void add_outbox_json(struct app *app, const struct wry_ledger_outbox *outbox)
{
    g_autofree char *name = outbox_name(outbox);

    json_add_object(app->json, json_text("server", name), json_number("waiting", outbox->waiting));
}

/* Reports rows that wait for other addresses, of a server that moved or was misspelled. */
static void tell_others(struct app *app, struct wry_ledger *ledger)
{
    g_autoptr(GError) error = NULL;
    g_autoptr(GPtrArray) others = wry_ledger_other_outboxes(ledger, &error);

    if (!others)
        app_note(app, "Runs that wait for other addresses could not be listed: %s", error->message);
    json_begin_list(app->json, "waiting_elsewhere");
    for (guint i = 0; others && i < others->len; i++) {
        const struct wry_ledger_outbox *outbox = g_ptr_array_index(others, i);
        g_autofree char *name = outbox_name(outbox);
        add_outbox_json(app, outbox);
        app_note(app,
                 "%u run%s for %s. If that is this ledger's old address: 'wrytograph ledger send "
                 "--from %s'.",
                 outbox->waiting, outbox->waiting == 1 ? " waits" : "s wait", name, name);
    }
    json_builder_end_array(app->json);
}

/* Reports rows that the server does not have yet. */
int ledger_tell_waiting(struct app *app, struct wry_ledger *ledger)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) refused = wry_ledger_refusals(ledger, &error);
    int waiting = wry_ledger_waiting(ledger);

    if (!refused)
        return explain_error(app, error);
    if (waiting > 0)
        app_note(app,
                 "%d of them wait%s on this computer for the server: 'wrytograph ledger send'.",
                 waiting, waiting == 1 ? "s" : "");
    ledger_table_refusals(app, refused);
    tell_others(app, ledger);
    if (wry_ledger_is_exposed(ledger))
        app_note(app,
                 "Note: the connection to %s is not encrypted. Add sslmode=verify-full to the "
                 "address (docs/ledger.md).",
                 wry_ledger_name(ledger));
    return EXIT_DONE;
}

static int fail_send(struct app *app, struct wry_ledger *ledger, int before, GError *error)
{
    g_autofree char *next = g_strdup_printf("%d of %d runs still wait on this computer.",
                                            MAX(wry_ledger_waiting(ledger), 0), before);

    app_fail(app, EXIT_NO_ANSWER, next, "%s", error->message);
    g_error_free(error);
    return app->code;
}

static int send_waiting(struct app *app, struct wry_ledger *ledger)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) set_aside = wry_ledger_refusals(ledger, &error);
    int waiting = wry_ledger_waiting(ledger), before = waiting;

    if (!set_aside)
        return explain_error(app, error);
    if (waiting < 0)
        return app_fail(app, EXIT_INTERNAL, NULL, "the number of waiting runs is not known");
    for (guint i = 0; i < set_aside->len; i++)
        before += !((const struct wry_ledger_refusal *)g_ptr_array_index(set_aside, i))->goes_out;
    if (!wry_ledger_send(ledger, &error))
        return fail_send(app, ledger, before, error);
    g_autoptr(GPtrArray) refused = wry_ledger_refusals(ledger, &error);
    if (!refused)
        return explain_error(app, error);
    int sent = before - (int)refused->len;
    json_add(app->json, json_number("sent", sent));
    if (refused->len > 0) {
        ledger_table_refusals(app, refused);
        return app_fail(app, EXIT_DIFFERS,
                        "They stay on this computer; 'wrytograph ledger send' tries them again.",
                        "%d run%s went to %s, %u %s refused", sent, sent == 1 ? "" : "s",
                        wry_ledger_name(ledger), refused->len, refused->len == 1 ? "was" : "were");
    }
    app_outcome(app, true, "%d run%s went to %s; nothing waits.", sent, sent == 1 ? "" : "s",
                wry_ledger_name(ledger));
    return EXIT_DONE;
}

static int send_from(struct app *app, struct wry_ledger *ledger, const char *from)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) others = wry_ledger_other_outboxes(ledger, &error);
    const struct wry_ledger_outbox *found = NULL;

    if (!others)
        return explain_error(app, error);
    for (guint i = 0; i < others->len && !found; i++) {
        const struct wry_ledger_outbox *outbox = g_ptr_array_index(others, i);
        found = wry_ledger_outbox_is(outbox, from) ? outbox : NULL;
    }
    if (!found)
        return app_fail(app, EXIT_USAGE,
                        "'wrytograph ledger send' lists what waits, and for which.",
                        "no runs wait on this computer for that server");
    if (!wry_ledger_send_from(ledger, found, &error))
        return ledger_fail_read(app, ledger, error);
    json_add(app->json, json_number("sent", found->waiting));
    app_outcome(app, true, "%u run%s went to %s.", found->waiting, found->waiting == 1 ? "" : "s",
                wry_ledger_name(ledger));
    return EXIT_DONE;
}

int ledger_send(struct app *app, struct wry_ledger *ledger, const struct ledger_options *options)
{
    if (options->from)
        return send_from(app, ledger, options->from);
    int code =
        wry_ledger_is_server(ledger)
            ? send_waiting(app, ledger)
            : ledger_usage_error(app, "this ledger is a file of this computer: nothing waits");
    tell_others(app, ledger);
    return code;
}
