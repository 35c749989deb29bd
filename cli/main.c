/* The command: finds the verb, runs it, and prints the result. */
#include <fcntl.h>
#include <json-glib/json-glib.h>
#include <locale.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "app/app.h"
#include "app/options.h"
#include "app/suggest.h"
#include "verbs/station_options.h"
#include "verbs/verbs.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/json_stream.h"
#include "views/output_file.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/config.h"
#include "wrytograph/message.h"
#include "wrytograph/version.h"

enum {
    SUMMARY_COLUMN = 13, /* of a verb's summary, and of its further lines */
};

static void print_help(FILE *to)
{
    app_put_hanging(to, 0,
                    "Backs up, erases, writes, restores and verifies flash on Wi-Fi "
                    "microcontroller boards over a serial link.");
    fputs("\nusage: wrytograph VERB [OPTIONS] [ARGUMENTS]\n\nverbs, in the order of the work:\n",
          to);
    for (const struct verb *const *verb = verbs; *verb; verb++) {
        g_autofree char *line = g_strdup_printf("  %-10s %s", (*verb)->name, (*verb)->summary);
        app_put_hanging(to, SUMMARY_COLUMN, line);
    }
    app_put_hanging(to, 0, "");
    app_put_hanging(to, 0, "'wrytograph help VERB' explains a verb.");
    app_put_hanging(to, 0, "To try it without hardware:");
    app_put_hanging(to, 4, "  wrytograph bench add gauge-1 --chip turnstone-t2 --flash 4MiB");
    app_put_hanging(to, 4, "  wrytograph identify --link bench:gauge-1");
}

/* Without a link, the time is that of the command. */
static void add_took(const struct app *app)
{
    const struct wry_spent *spent = &app->spent;
    double seconds = (double)(g_get_monotonic_time() - app->begun) / 1e6;

    json_begin_object(app->json, "took");
    json_add(app->json, json_real("seconds", app->linked ? spent->seconds : seconds),
             json_if(spent->connecting > 0, json_real("connecting_seconds", spent->connecting)),
             json_number("bytes_sent", (int64_t)spent->bytes_sent),
             json_number("bytes_received", (int64_t)spent->bytes_received),
             json_if(app->simulated, json_flag("simulated", true)));
    json_builder_end_object(app->json);
}

/* Prints one JSON document, for success and failure alike. */
static void print_json(struct app *app, int code)
{
    add_took(app);
    json_add(app->json, json_number("exit_code", code), json_text("error", app->message),
             json_text("next_step", app->next_step));
    json_stream_finish(app);
}

static void say_failure(const struct app *app)
{
    if (!app->message || app->told)
        return;
    app_note(app, "wrytograph%s%s: %s", app->verb ? " " : "", app->verb ? app->verb->name : "",
             app->message);
    if (app->next_step && app->next_step[0])
        app_note(app, "%s", app->next_step);
}

static int finish(struct app *app, int code)
{
    station_end(app);
    fflush(stdout);
    app->failing = true;
    say_failure(app);
    app->failing = false;
    if (app->left_loading)
        app_note(app, "The board is still in loading mode: 'wrytograph start' runs the firmware.");
    if (app->json_wanted)
        print_json(app, code);
    int reason = output_file_reason(stdout);
    if (reason != 0 && code == EXIT_DONE) {
        app_note(app,
                 "wrytograph %s: done, but the result could not be written to the standard "
                 "output: %s",
                 app->verb ? app->verb->name : "", g_strerror(reason));
        code = EXIT_INTERNAL;
    }
    g_clear_pointer(&app->config, g_ptr_array_unref);
    g_object_unref(app->json);
    g_strfreev(app->rest);
    options_free(common_options, app);
    g_free(app->message);
    g_free(app->next_step);
    g_free(app);
    return code;
}

/* Opens missing standard files, so that no other file becomes the standard output by chance. */
static void hold_standard_files(void)
{
    for (int file = open("/dev/null", O_RDWR); file >= 0; file = open("/dev/null", O_RDWR)) {
        if (file > STDERR_FILENO) {
            close(file);
            return;
        }
    }
}

/* --json counts even if the options cannot be parsed. */
static bool wants_json(int argc, char **argv)
{
    for (int i = 1; i < argc && g_strcmp0(argv[i], "--") != 0; i++) {
        if (g_strcmp0(argv[i], "--json") == 0)
            return true;
    }
    return false;
}

/* The first line is the version only, for scripts; then what it can do. */
static void print_version(void)
{
    g_autoptr(GError) error = NULL;
    bool known = wry_chips_load_folders(&error);
    g_autofree char *chips = wry_chips_names();

    printf("wrytograph %s\n", WRY_VERSION_TEXT);
    printf("links     serial devices, rfc2217://, tcp://, bench: (protocol %u)\n",
           WRY_PROTOCOL_VERSION);
    puts("content   deflate, LZMA and difference streams; raw, Intel HEX, S-records");
    puts("ledgers   SQLite files, postgresql://");
    puts("kits      ZIP, SHA-256, Ed25519");
    printf("chips     %s\n", chips);
    if (WRY_LEFT_OUT[0])
        printf("without   %s\n", WRY_LEFT_OUT);
    if (!known)
        fprintf(stderr, "%s\n", error->message);
}

/* Chips of the user's own: without them, their boards would be taken for unknown ones. */
static int learn_chips(struct app *app)
{
    g_autoptr(GError) error = NULL;
    bool known = wry_chips_load_folders(&error);

    for (char **file = app->chip_files; known && file && *file; file++)
        known = wry_chips_load(*file, &error) != NULL;
    return known ? EXIT_DONE : explain_error(app, g_steal_pointer(&error));
}

static int configure(struct app *app)
{
    GError *error = NULL;

    app->config = wry_config_read(&error);
    if (!app->config)
        return explain_error(app, error);
    wry_config_apply(app->config);
    return EXIT_DONE;
}

/* argv[0] is the verb. */
static int run(struct app *app, int argc, char **argv)
{
    const struct verb *verb = app->verb;
    void *values = g_malloc0(MAX(verb->size, 1));

    if (verb->defaults)
        memcpy(values, verb->defaults, verb->size);
    bool parsed = options_parse(app, argc, argv, values);
    int code = parsed ? configure(app) : app->code;
    if (parsed && code == EXIT_DONE)
        code = learn_chips(app);
    if (parsed && code == EXIT_DONE)
        code = verb->run(app, values);
    if (verb->clear)
        verb->clear(values);
    options_free(verb->own, values);
    g_free(values);
    return code;
}

static int fail_verb(struct app *app, const char *name)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    const char *meant;

    for (const struct verb *const *verb = verbs; *verb; verb++)
        g_ptr_array_add(names, (gpointer)(*verb)->name);
    meant = suggest_word(name, names);
    g_autofree char *next = meant ? g_strdup_printf("Did you mean 'wrytograph %s'?", meant)
                                  : g_strdup("See 'wrytograph --help'.");
    return name[0] == '-' ? app_fail(app, EXIT_USAGE, next, "no verb was given")
                          : app_fail(app, EXIT_USAGE, next, "there is no verb '%s'", name);
}

/* Options may come before the verb: moves the first word that is one to the front. 'help VERB' is
 * 'VERB --help'. */
static void sort_arguments(int argc, char **argv)
{
    static char help[] = "--help";
    int at = 1;

    if (g_strcmp0(argv[1], "help") == 0 && argc == 3 && verbs_find(argv[2])) {
        argv[1] = argv[2];
        argv[2] = help;
        return;
    }
    while (at < argc && argv[1][0] == '-' && !verbs_find(argv[at]))
        at++;
    if (at >= argc || at == 1)
        return;
    char *verb = argv[at];
    memmove(&argv[2], &argv[1], (size_t)(at - 1) * sizeof *argv);
    argv[1] = verb;
}

int main(int argc, char **argv)
{
    hold_standard_files();
    setlocale(LC_ALL, "");
    /* Numbers are printed with a decimal point in every locale. */
    setlocale(LC_NUMERIC, "C");
    /* Libraries would translate their part of the help and of messages: one language is better. */
    setlocale(LC_MESSAGES, "C");
    /* A file larger than a limit is an error to report, not a signal to die of. */
    signal(SIGXFSZ, SIG_IGN);
    if (argc < 2) {
        print_help(stderr);
        return EXIT_USAGE;
    }
    sort_arguments(argc, argv);
    if (g_strcmp0(argv[1], "--help") == 0 || g_strcmp0(argv[1], "-h") == 0 ||
        (g_strcmp0(argv[1], "help") == 0 && argc == 2)) {
        print_help(stdout);
        return EXIT_DONE;
    }
    if (g_strcmp0(argv[1], "--version") == 0) {
        print_version();
        return EXIT_DONE;
    }
    const struct verb *verb = verbs_find(argv[1]);
    /* A closed output must not end work on a board half-way. */
    if (verb && (verb->options & APP_LINK))
        signal(SIGPIPE, SIG_IGN);
    struct app *app = g_new0(struct app, 1);
    app->begun = g_get_monotonic_time();
    app->verb = verb;
    app->json_wanted = wants_json(argc, argv);
    app->json = json_builder_new();
    json_builder_begin_object(app->json);
    json_add(app->json, json_text("verb", verb ? verb->name : ""));
    /* 'help' with a word that is no verb: the word is what is wrong. */
    const char *name = g_strcmp0(argv[1], "help") == 0 ? argv[2] : argv[1];
    int code = verb ? run(app, argc - 1, argv + 1) : fail_verb(app, name);
    return finish(app, code);
}
