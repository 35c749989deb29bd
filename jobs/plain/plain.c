/* The plain interface: options by name, jobs by name, facts by name. */
#include "wrytograph-host/plain.h"

#include <string.h>

#include "wrytograph-host/chips.h"
#include "wrytograph-host/error.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph-host/ledger.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

struct wry_plain {
    struct wry_station *station; /* NULL before the first job */
    struct wry_station_settings settings;
    GHashTable *texts;                        /* char * to char *: options and facts by name */
    GPtrArray *images, *set, *set_new, *part; /* char * */
    int (*watch)(void *context, const char *step, unsigned figure);
    void *context;
    const char *step;
    bool stopped, in_run;
};

static void keep(struct wry_plain *jig, const char *name, const char *value)
{
    if (value)
        g_hash_table_replace(jig->texts, g_strdup(name), g_strdup(value));
    else
        g_hash_table_remove(jig->texts, name);
}

static const char *kept(const struct wry_plain *jig, const char *name)
{
    return g_hash_table_lookup(jig->texts, name);
}

static int conclude(struct wry_plain *jig, enum wry_outcome outcome, const char *problem,
                    const char *advice)
{
    keep(jig, "problem", problem);
    keep(jig, "advice", advice);
    keep(jig, "outcome", wry_outcome_text(outcome));
    return (int)outcome;
}

static int fail_with(struct wry_plain *jig, GError *error)
{
    int code = conclude(jig, wry_error_outcome(error), error->message, wry_error_advice(error));

    g_error_free(error);
    return code;
}

struct wry_plain *wry_plain_new(void)
{
    struct wry_plain *jig = g_new0(struct wry_plain, 1);
    GPtrArray **lists[] = {&jig->images, &jig->set, &jig->set_new, &jig->part};

    jig->texts = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    for (size_t i = 0; i < G_N_ELEMENTS(lists); i++)
        *lists[i] = g_ptr_array_new_with_free_func(g_free);
    return jig;
}

void wry_plain_free(struct wry_plain *jig)
{
    if (!jig)
        return;
    if (jig->in_run)
        wry_plain_end_run(jig);
    wry_station_free(jig->station);
    wry_ledger_close(jig->settings.ledger);
    g_hash_table_unref(jig->texts);
    g_ptr_array_unref(jig->images);
    g_ptr_array_unref(jig->set);
    g_ptr_array_unref(jig->set_new);
    g_ptr_array_unref(jig->part);
    g_free(jig);
}

/* Options */

static GPtrArray *list_of(const struct wry_plain *jig, const char *name)
{
    const struct {
        const char *name;
        GPtrArray *list;
    } lists[] = {
        {"image", jig->images}, {"set", jig->set}, {"set-new", jig->set_new}, {"part", jig->part}};

    for (size_t i = 0; i < G_N_ELEMENTS(lists); i++) {
        if (strcmp(lists[i].name, name) == 0)
            return lists[i].list;
    }
    return NULL;
}

static bool take_ledger(struct wry_plain *jig, const char *value, GError **error)
{
    wry_ledger_close(jig->settings.ledger);
    jig->settings.ledger = wry_ledger_open(value[0] ? value : NULL, error);
    return jig->settings.ledger != NULL;
}

/* True for an option of the station that takes a value of its own. */
static bool take_value(struct wry_plain *jig, const char *name, const char *value, bool *fits)
{
    struct wry_station_settings *settings = &jig->settings;

    if (strcmp(name, "wiring") == 0) {
        settings->wiring = wry_wiring_by_name(value);
        *fits = settings->wiring != NULL;
    } else if (strcmp(name, "speed") == 0) {
        *fits = wry_units_parse_speed(value, &settings->max_speed);
    } else if (strcmp(name, "expect-flash") == 0) {
        *fits = wry_units_parse_size(value, &settings->expect_flash);
    } else if (strcmp(name, "expect-chip") == 0) {
        settings->expect_chip = wry_chips_by_name(value);
        *fits = settings->expect_chip != NULL;
    } else if (strcmp(name, "leaves-running") == 0) {
        settings->leaves_running = strcmp(value, "1") == 0;
    } else {
        return false;
    }
    return true;
}

static bool is_text(const char *name)
{
    static const char *const texts[] = {"link", "bench", "layout", "backup-folder", "any-content"};

    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++) {
        if (strcmp(texts[i], name) == 0)
            return true;
    }
    return false;
}

/* True for an option that reads a file. */
static bool take_file(struct wry_plain *jig, const char *name, const char *value, GError **error)
{
    if (strcmp(name, "chip-file") == 0)
        return wry_chips_load(value, error) || true;
    if (strcmp(name, "ledger") == 0)
        return take_ledger(jig, value, error) || true;
    return false;
}

int wry_plain_set(struct wry_plain *jig, const char *name, const char *value)
{
    GPtrArray *list = list_of(jig, name);
    GError *error = NULL;
    bool fits = true;

    if (list) {
        g_ptr_array_add(list, g_strdup(value));
    } else if (strcmp(name, "none") == 0 && list_of(jig, value)) {
        g_ptr_array_set_size(list_of(jig, value), 0);
    } else if (is_text(name)) {
        keep(jig, name, value);
    } else if (take_file(jig, name, value, &error)) {
        return error ? fail_with(jig, error) : 0;
    } else if (!take_value(jig, name, value, &fits) || !fits) {
        g_autofree char *problem = fits ? g_strdup_printf("there is no option '%s'", name)
                                        : g_strdup_printf("%s: '%s' does not fit", name, value);
        return conclude(jig, WRY_OUTCOME_USAGE, problem, NULL);
    }
    return 0;
}

/* The station */

static void on_event(void *context, const struct wry_event *event)
{
    struct wry_plain *jig = context;

    if (event->kind == WRY_EVENT_STEP)
        jig->step = wry_phase_name(event->step);
    if (jig->watch && (event->kind == WRY_EVENT_STEP || event->kind == WRY_EVENT_PROGRESS) &&
        jig->watch(jig->context, jig->step ? jig->step : "connect", event->figure) != 0)
        jig->stopped = true;
}

static bool is_stopped(void *context)
{
    return ((const struct wry_plain *)context)->stopped;
}

void wry_plain_watch(struct wry_plain *jig,
                     int (*watch)(void *context, const char *step, unsigned figure), void *context)
{
    jig->watch = watch;
    jig->context = context;
}

static struct wry_station *station_of(struct wry_plain *jig)
{
    struct wry_station_settings *settings = &jig->settings;

    if (jig->station)
        return jig->station;
    settings->link = kept(jig, "link");
    settings->bench_folder = kept(jig, "bench");
    settings->layout_file = kept(jig, "layout");
    settings->context = jig;
    settings->event = on_event;
    settings->stop = (struct wry_stop){.asked = is_stopped, .context = jig};
    jig->station = wry_station_new(settings);
    return jig->station;
}

/* Jobs */

static enum wry_outcome identify(struct wry_plain *jig)
{
    struct wry_identity identity = {0};
    enum wry_outcome outcome = wry_station_identify(station_of(jig), false, &identity);

    wry_identity_clear(&identity);
    return outcome;
}

static enum wry_outcome back_up(struct wry_plain *jig)
{
    struct wry_backup_result result = {0};
    g_ptr_array_add(jig->part, NULL);
    struct wry_backup_options options = {
        .folder = kept(jig, "backup-folder"),
        .parts = jig->part->len > 1 ? (const char *const *)jig->part->pdata : NULL};
    enum wry_outcome outcome = wry_station_backup(station_of(jig), &options, &result);

    g_ptr_array_remove_index(jig->part, jig->part->len - 1);
    keep(jig, "backup", result.saved ? result.file : NULL);
    wry_backup_result_clear(&result);
    return outcome;
}

static enum wry_outcome erase(struct wry_plain *jig)
{
    struct wry_erase_result result = {0};
    g_ptr_array_add(jig->part, NULL);
    struct wry_erase_options options = {.parts = (const char *const *)jig->part->pdata};
    enum wry_outcome outcome = wry_station_erase(station_of(jig), &options, &result);

    g_ptr_array_remove_index(jig->part, jig->part->len - 1);
    wry_erase_result_clear(&result);
    return outcome;
}

/* Splits "A=B" or "A/B=C" at the first mark; NULL if there is none before the end of the text. */
static char *split(char *text, char mark)
{
    char *at = strchr(text, mark);

    if (at)
        *at++ = '\0';
    return at;
}

static void add_images(const struct wry_plain *jig, GArray *images, GPtrArray *texts)
{
    for (guint i = 0; i < jig->images->len; i++) {
        char *text = g_strdup(g_ptr_array_index(jig->images, i));
        char *file = split(text, '=');
        struct wry_image_options image = {.place = file ? text : NULL, .file = file ? file : text};
        g_ptr_array_add(texts, text);
        g_array_append_val(images, image);
    }
}

static void add_settings(const GPtrArray *given, bool is_new, GArray *settings, GPtrArray *texts)
{
    for (guint i = 0; i < given->len; i++) {
        char *text = g_strdup(g_ptr_array_index(given, i));
        char *value = split(text, '='), *key = split(text, '/');
        struct wry_setting_options setting = {.region = key ? text : NULL,
                                              .key = key ? key : text,
                                              .value = value ? value : "",
                                              .is_new = is_new};
        g_ptr_array_add(texts, text);
        g_array_append_val(settings, setting);
    }
}

static enum wry_outcome write_or_verify(struct wry_plain *jig, bool write)
{
    g_autoptr(GPtrArray) texts = g_ptr_array_new_with_free_func(g_free);
    g_autoptr(GArray) images = g_array_new(FALSE, FALSE, sizeof(struct wry_image_options));
    g_autoptr(GArray) settings = g_array_new(FALSE, FALSE, sizeof(struct wry_setting_options));
    struct wry_write_result written = {0};
    struct wry_verify_result verified = {0};

    add_images(jig, images, texts);
    add_settings(jig->set, false, settings, texts);
    add_settings(jig->set_new, true, settings, texts);
    struct wry_images_options options = {
        .images = (const struct wry_image_options *)(const void *)images->data,
        .image_count = images->len,
        .settings = (const struct wry_setting_options *)(const void *)settings->data,
        .setting_count = write ? settings->len : 0,
        .any_content = g_strcmp0(kept(jig, "any-content"), "1") == 0};
    enum wry_outcome outcome = write ? wry_station_write(station_of(jig), &options, &written)
                                     : wry_station_verify(station_of(jig), &options, &verified);
    if (write) {
        g_autofree char *sectors = g_strdup_printf("%u", (unsigned)written.done.sectors_written);
        keep(jig, "sectors", sectors);
    }
    wry_write_result_clear(&written);
    wry_verify_result_clear(&verified);
    return outcome;
}

static enum wry_outcome write_images(struct wry_plain *jig)
{
    return write_or_verify(jig, true);
}

static enum wry_outcome verify(struct wry_plain *jig)
{
    return write_or_verify(jig, false);
}

/* Starts, without listening. */
static enum wry_outcome start(struct wry_plain *jig)
{
    struct wry_console_options options = {.time = 1};
    struct wry_console_result result = {0};
    enum wry_outcome outcome = wry_station_start(station_of(jig), &options, &result);

    wry_console_result_clear(&result);
    return outcome;
}

static void take_board(struct wry_plain *jig)
{
    const struct wry_hello_reply *board = wry_station_board(jig->station);

    if (!board)
        return;
    g_autofree char *address = wry_units_address(board->eui48);
    g_autofree char *flash = g_strdup_printf("%u", (unsigned)board->capacity);
    g_autofree char *speed = g_strdup_printf("%u", (unsigned)wry_station_speed(jig->station));
    keep(jig, "address", address);
    keep(jig, "flash", flash);
    keep(jig, "speed", speed);
    keep(jig, "chip", wry_chip_title(wry_station_chip(jig->station)));
}

int wry_plain_do(struct wry_plain *jig, const char *job)
{
    static const struct {
        const char *name;
        enum wry_outcome (*run)(struct wry_plain *jig);
    } jobs[] = {{"identify", identify},  {"backup", back_up}, {"erase", erase},
                {"write", write_images}, {"verify", verify},  {"start", start}};

    for (size_t i = 0; i < G_N_ELEMENTS(jobs); i++) {
        if (strcmp(jobs[i].name, job) != 0)
            continue;
        jig->stopped = false;
        enum wry_outcome outcome = jobs[i].run(jig);
        take_board(jig);
        if (outcome == WRY_OUTCOME_DONE)
            return conclude(jig, outcome, NULL, NULL);
        const struct wry_problem *problem = wry_station_problem(jig->station);
        g_autofree char *sentence = wry_problem_sentence(problem);
        g_autofree char *advice = wry_problem_advice(problem);
        return conclude(jig, outcome, sentence, advice);
    }
    g_autofree char *problem = g_strdup_printf("there is no job '%s'", job);
    return conclude(jig, WRY_OUTCOME_USAGE, problem, NULL);
}

void wry_plain_begin_run(struct wry_plain *jig, const char *name, unsigned jobs)
{
    wry_station_begin_run(station_of(jig), name, jobs);
    jig->in_run = true;
}

int wry_plain_end_run(struct wry_plain *jig)
{
    jig->in_run = false;
    return (int)wry_station_end_run(station_of(jig));
}

const char *wry_plain_text(struct wry_plain *jig, const char *name)
{
    return kept(jig, name);
}
