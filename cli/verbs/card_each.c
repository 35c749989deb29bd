/* card run --each: on one board after another. */
#include <string.h>
#include <unistd.h>

#include "card_log.h"
#include "card_verb.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/json_stream.h"
#include "views/run_outcome.h"
#include "wrytograph-host/serial.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

#define LOOK_EVERY 300000 /* us */
#define CALL_TIME 700000u /* us to wait for the answer of a board that may be absent */

struct each {
    struct app *app;
    struct wry_card *card;
    const struct card_options *options;
    struct wry_station_settings settings;
    char *link;        /* a fixed one; NULL: ports that appear */
    GHashTable *had;   /* addresses of earlier boards, with their outcome */
    GHashTable *ports; /* ports at the last check */
    unsigned passed, failed, done_before;
    bool end_told; /* the message that it ends after this board was printed */
    char *trouble; /* last reported problem of the link; NULL = none */
    bool bad_link; /* the link, or its log, can never be opened */
    bool log_lost; /* some log could not be written */
    enum wry_outcome worst;
};

static void wait_a_little(void)
{
    g_usleep(LOOK_EVERY);
}

/* Ports that appear. */

static GHashTable *look_at_ports(void)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();
    GHashTable *ports = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < devices->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(devices, i);
        g_hash_table_add(ports, g_strdup(device->path));
    }
    return ports;
}

/* A new port since the last check; NULL when the user stops. */
static char *wait_for_port(struct each *each)
{
    while (!app_interrupted()) {
        GHashTable *now = look_at_ports();
        GHashTableIter iter;
        gpointer path;
        char *found = NULL;
        g_hash_table_iter_init(&iter, now);
        while (!found && g_hash_table_iter_next(&iter, &path, NULL)) {
            if (!g_hash_table_contains(each->ports, path))
                found = g_strdup(path);
        }
        g_hash_table_unref(each->ports);
        each->ports = now;
        if (found)
            return found;
        wait_a_little();
    }
    return NULL;
}

/* A fixed link. */

/* A link that cannot be opened is not an absent board: it is reported, once for each reason. A
 * permanent problem ends the loop. */
static void tell_trouble(struct each *each, const struct wry_problem *problem)
{
    g_autofree char *words = NULL;

    if (problem->kind == WRY_PROBLEM_SESSION || problem->kind == WRY_PROBLEM_STOPPED)
        return;
    if (problem->outcome == WRY_OUTCOME_USAGE) {
        each->bad_link = true;
        explain(each->app, problem);
        return;
    }
    words = wry_problem_sentence(problem);
    if (g_strcmp0(words, each->trouble) == 0)
        return;
    app_note(each->app, "%s; waiting until that changes.", words);
    g_free(each->trouble);
    each->trouble = g_steal_pointer(&words);
}

static bool is_lost_port(const char *link)
{
    return g_path_is_absolute(link) && access(link, F_OK) != 0;
}

enum presence { AWAY, THERE, NOT_KNOWN };

/* Calls the board and gets its address. A link used by another program proves nothing about the
 * board; a missing port means that it is gone. */
static enum presence call_board(struct each *each, uint8_t eui48[WRY_EUI48_SIZE])
{
    /* The starting speed is enough; a raw connection has its own. */
    bool fixed = g_str_has_prefix(each->link, "tcp://");
    struct wry_station_settings settings = {.link = each->link,
                                            .bench_folder = each->settings.bench_folder,
                                            .wiring = each->settings.wiring,
                                            .call_speed = each->settings.call_speed,
                                            .max_speed = fixed ? 0 : WRY_STARTING_SPEED,
                                            .call_time = CALL_TIME,
                                            .without_known = true,
                                            .leaves_running = true,
                                            .stop = each->settings.stop};
    struct wry_station *station = wry_station_new(&settings);
    enum presence presence = AWAY;

    if (wry_station_connect(station) == WRY_OUTCOME_DONE) {
        presence = THERE;
        memcpy(eui48, wry_station_board(station)->eui48, WRY_EUI48_SIZE);
    } else {
        const struct wry_problem *problem = wry_station_problem(station);
        if (problem->kind != WRY_PROBLEM_SESSION && !is_lost_port(each->link))
            presence = NOT_KNOWN;
        tell_trouble(each, problem);
    }
    wry_station_free(station);
    return presence;
}

static bool wait_for_board(struct each *each, uint8_t eui48[WRY_EUI48_SIZE])
{
    while (!app_interrupted() && !each->bad_link) {
        if (call_board(each, eui48) == THERE)
            return true;
        wait_a_little();
    }
    return false;
}

/* Waits until it is gone or replaced by another; false when the user stops. */
static bool wait_until_gone(struct each *each, const char *link, const struct wry_run_result *done)
{
    uint8_t eui48[WRY_EUI48_SIZE];

    while (!app_interrupted()) {
        enum presence presence = each->link           ? call_board(each, eui48)
                                 : is_lost_port(link) ? AWAY
                                                      : THERE;
        if (presence == AWAY)
            return true;
        if (presence == THERE && each->link && done->known &&
            memcmp(eui48, done->address, sizeof eui48) != 0)
            return true;
        wait_a_little();
    }
    return false;
}

/* One board. */

static void tell_again(struct each *each, const struct wry_run_result *result)
{
    g_autofree char *address = wry_units_address(result->address);
    const char *before = g_hash_table_lookup(each->had, address);

    if (result->known && before)
        app_note(each->app, "This board was here before: %s.", before);
    else if (result->earlier > 0)
        app_note(each->app, "This board had the card before, last at %s.", result->earlier_at);
}

static void remember(struct each *each, const struct wry_run_result *result, bool passed)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *time = g_date_time_format(now, "%H:%M:%S");

    if (result->known)
        g_hash_table_insert(each->had, wry_units_address(result->address),
                            g_strdup_printf("%s at %s", passed ? "it passed" : "it failed", time));
}

static void add_json(struct each *each, enum wry_outcome outcome,
                     const struct wry_run_result *result)
{
    JsonBuilder *item = json_stream_item();

    json_add(item, json_number("exit_code", outcome));
    run_outcome_add_json(item, result);
    json_stream_add(each->app, item);
}

/* The current board is finished first. */
static bool tell_end(void *context)
{
    struct each *each = context;

    if (app_interrupted() && !each->end_told) {
        each->end_told = true;
        app_note(each->app, "Ending after this board; Ctrl-C again ends at once.");
    }
    return false;
}

static void run_board(struct each *each, const char *link, struct wry_run_result *result)
{
    struct app *app = each->app;
    struct wry_run_options job_options = {
        .card = each->card, .dry_run = app->dry_run, .again = each->options->again};
    struct wry_station_settings settings = each->settings;
    struct card_log log;

    settings.link = link;
    settings.stop = (struct wry_stop){.context = each, .asked = tell_end};
    if (!card_log_begin(app, &log, each->options->logs, link, &settings)) {
        each->bad_link = true;
        return;
    }
    station_make_of(app, &settings);
    enum wry_outcome outcome = wry_station_run(app->station, &job_options, result);
    bool passed = outcome == WRY_OUTCOME_DONE, simulated = wry_station_is_simulated(app->station);
    station_conclude(app, outcome);
    g_autofree char *line =
        run_outcome_line(outcome, result, each->card, passed ? NULL : app->message, simulated);
    each->log_lost |= card_log_end(app, &log, line, EXIT_DONE) != EXIT_DONE;
    station_leave(app);
    run_outcome_banner(app, outcome, result, line, each->options->bell);
    if (!passed && app->next_step)
        app_note(app, "%s", app->next_step);
    if (!result->done_before)
        tell_again(each, result);
    remember(each, result, passed);
    add_json(each, outcome, result);
    each->done_before += passed && result->done_before;
    each->passed += passed && !result->done_before;
    each->failed += !passed;
    each->worst = run_outcome_worse(each->worst, outcome);
    g_clear_pointer(&app->message, g_free);
    g_clear_pointer(&app->next_step, g_free);
}

/* ", 2 done before"; "" for none. Free with g_free. */
static char *count_before(const struct each *each)
{
    return each->done_before > 0 ? g_strdup_printf(", %u done before", each->done_before)
                                 : g_strdup("");
}

/* False when the user stops. */
static bool next_board(struct each *each)
{
    uint8_t eui48[WRY_EUI48_SIZE];
    struct wry_run_result result = {0};
    g_autofree char *link = NULL;

    app_note(each->app,
             each->link ? "Waiting for a board on %s; Ctrl-C ends."
                        : "Waiting for a port to appear%s; Ctrl-C ends.",
             each->link ? each->link : "");
    if (each->link)
        link = wait_for_board(each, eui48) ? g_strdup(each->link) : NULL;
    else
        link = wait_for_port(each);
    if (!link)
        return false;
    run_board(each, link, &result);
    if (each->bad_link)
        return false;
    g_autofree char *before = count_before(each);
    app_note(each->app, "Remove the board. %u passed, %u failed%s so far.", each->passed,
             each->failed, before);
    bool gone = wait_until_gone(each, link, &result);
    wry_run_result_clear(&result);
    return gone;
}

int card_run_each(struct app *app, struct wry_card *card, const struct card_options *options)
{
    struct each each = {.app = app,
                        .card = card,
                        .options = options,
                        .link = g_strdup(app->link ? app->link : g_getenv("WRYTOGRAPH_LINK"))};
    int code = station_settings(app, &each.settings);

    if (code == EXIT_DONE) {
        each.settings.lot = options->lot;
        wry_card_prepare(card, &each.settings);
        each.had = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
        each.ports = look_at_ports();
        json_stream_begin(app, "boards", true);
        while (next_board(&each))
            ;
        json_stream_end(app);
        json_add(app->json, json_number("passed", each.passed), json_number("failed", each.failed),
                 json_number("done_before", each.done_before));
        g_autofree char *before = count_before(&each);
        app_print(app, "%u boards passed, %u failed%s.", each.passed, each.failed, before);
        g_hash_table_unref(each.had);
        g_hash_table_unref(each.ports);
        if (each.bad_link) {
            code = app->code;
        } else if (each.failed > 0) {
            app->told = true;
            code = app_fail(app, (enum exit_code)each.worst, NULL, "%u boards failed", each.failed);
        } else if (each.log_lost) {
            code = EXIT_INTERNAL;
        }
    }
    g_free(each.trouble);
    g_free(each.link);
    return code;
}
