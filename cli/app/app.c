/* Options, failure and output that every verb shares. */
#include "app.h"

#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

int app_fail(struct app *app, enum exit_code code, const char *next_step, const char *format, ...)
{
    va_list arguments;

    g_free(app->message);
    g_free(app->next_step);
    va_start(arguments, format);
    app->message = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    app->next_step = g_strdup(next_step);
    app->code = (int)code;
    return app->code;
}

static volatile sig_atomic_t interrupted;
static const struct termios *volatile terminal_before;

void app_restore_at_once(const struct termios *before)
{
    terminal_before = before;
}

static void on_interrupt(int signal_number)
{
    static const char text[] = "\nEnded at once. What was not finished is safe to repeat.\n";

    (void)signal_number;
    /* Asked twice: nothing more is waited for. */
    if (interrupted) {
        if (terminal_before)
            tcsetattr(STDIN_FILENO, TCSANOW, (const struct termios *)terminal_before);
        (void)!write(STDERR_FILENO, text, sizeof text - 1);
        _exit(EXIT_STOPPED);
    }
    interrupted = 1;
}

bool app_interrupted(void)
{
    struct sigaction action = {.sa_handler = on_interrupt, .sa_flags = SA_RESTART};
    static bool installed;

    if (!installed) {
        static const int unless_ignored[] = {SIGHUP, SIGQUIT}; /* as nohup and '&' do */
        sigaction(SIGINT, &action, NULL);
        sigaction(SIGTERM, &action, NULL);
        for (size_t i = 0; i < G_N_ELEMENTS(unless_ignored); i++) {
            struct sigaction before;
            if (sigaction(unless_ignored[i], NULL, &before) == 0 && before.sa_handler != SIG_IGN)
                sigaction(unless_ignored[i], &action, NULL);
        }
        installed = true;
    }
    return interrupted != 0;
}

static bool asked(void *context)
{
    (void)context;
    return app_interrupted();
}

struct wry_stop app_stop(void)
{
    return (struct wry_stop){.asked = asked};
}

static const char common_help[] =
    "Sizes are written 4MiB, 4M, 32Mbit or 0x400000; offsets 0x4000 or 16K.\n"
    "Exit codes: 0 done and checked, 1 internal, 2 usage, 3 bad input file, 4 no answer,\n"
    "5 wrong board or image, 6 content differs, 7 link lost, 8 flash failed, 9 stopped.";

/* The verbs' help names them, and --help-link says what they do: they are the same for each. */
static char *name_options(const GOptionEntry *entries)
{
    GString *names = g_string_new("Of the link, as --help-link explains: ");

    for (; entries->long_name; entries++)
        g_string_append_printf(names, "--%s%s", entries->long_name,
                               entries[1].long_name ? ", " : "");
    g_string_append(names, ".\n\n");
    return g_string_free(names, FALSE);
}

/* Returns their group, which is the context's. */
static GOptionGroup *add_link_options(GOptionContext *context, struct app *app, bool many)
{
    GOptionEntry link[] = {
        {"link", 'l', 0, many ? G_OPTION_ARG_STRING_ARRAY : G_OPTION_ARG_STRING,
         many ? (gpointer)&app->links : (gpointer)&app->link,
         "A device path, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME; else WRYTOGRAPH_LINK",
         "ADDRESS"},
        {"wiring", 0, 0, G_OPTION_ARG_STRING, &app->wiring_name,
         "How reset and boot strap are wired: rts-reset (usual), dtr-reset, either with -inverted, "
         "or none",
         "NAME"},
        {"by-hand", 0, 0, G_OPTION_ARG_NONE, &app->by_hand,
         "Loading mode is entered by hand: says what to do, and calls until the board answers",
         NULL},
        {"call-speed", 0, 0, G_OPTION_ARG_STRING, &app->call_speed,
         "Speed at which the loader is called first; else 115200", "BAUD"},
        {"wait", 0, 0, G_OPTION_ARG_STRING, &app->wait, "How long to call with --by-hand; else 60s",
         "TIME"},
        {"patience", 0, 0, G_OPTION_ARG_STRING, &app->patience,
         "How long a lost link may take to come back; else 10s", "TIME"},
        {"stay", 0, 0, G_OPTION_ARG_NONE, &app->stay,
         "Leave the board in loading mode, so that the next verb starts at once; else verbs that "
         "only read let it run again",
         NULL},
        {"speed", 's', 0, G_OPTION_ARG_STRING, &app->speed,
         "Go no faster than this; else as fast as both sides can", "BAUD"},
        {"expect-chip", 0, 0, G_OPTION_ARG_STRING, &app->expect_chip,
         "Refuse any other chip, such as turnstone-t2", "CHIP"},
        {"expect-flash", 0, 0, G_OPTION_ARG_STRING, &app->expect_flash,
         "Refuse any other flash size", "SIZE"},
        G_OPTION_ENTRY_NULL};

    GOptionGroup *group = g_option_group_new("link", "Options of the link:", "", NULL, NULL);
    g_autofree char *names = name_options(link);
    g_autofree char *description = g_strconcat(names, common_help, NULL);

    g_option_group_add_entries(group, link);
    g_option_context_add_group(context, group);
    g_option_context_set_description(context, description);
    return group;
}

/* Returns the group of the link's, or NULL. */
static GOptionGroup *add_options(GOptionContext *context, struct app *app, unsigned options)
{
    GOptionGroup *link = NULL;

    GOptionEntry bench[] = {{"bench", 0, 0, G_OPTION_ARG_FILENAME, &app->bench_folder,
                             "Folder of simulated boards; else WRYTOGRAPH_BENCH", "DIR"},
                            G_OPTION_ENTRY_NULL};
    GOptionEntry layout[] = {{"layout", 0, 0, G_OPTION_ARG_FILENAME, &app->layout_path,
                              "Regions from a YAML file; else from the board, else built in",
                              "FILE"},
                             G_OPTION_ENTRY_NULL};
    GOptionEntry format[] = {{"as", 0, 0, G_OPTION_ARG_STRING, &app->format,
                              "Take files for raw, hex or srec instead of looking at their content",
                              "FORMAT"},
                             G_OPTION_ENTRY_NULL};
    GOptionEntry header[] = {
        {"leave-header", 0, 0, G_OPTION_ARG_NONE, &app->leave_header,
         "Do not set the flash size in boot headers to that of the board", NULL},
        {"read-mode", 0, 0, G_OPTION_ARG_STRING, &app->read_mode,
         "Set the read mode in boot headers: over 1, 2 or 4 data lines, as the chip can", "LINES"},
        {"read-clock", 0, 0, G_OPTION_ARG_STRING, &app->read_clock,
         "Set the read clock in boot headers, in MHz, as the chip can", "MHZ"},
        G_OPTION_ENTRY_NULL};
    GOptionEntry writes[] = {
        {"set", 0, 0, G_OPTION_ARG_STRING_ARRAY, &app->set,
         "Change one setting of the board's settings block and keep the others; may be repeated. "
         "REGION/KEY=VALUE where several regions have one",
         "KEY=VALUE"},
        {"set-new", 0, 0, G_OPTION_ARG_STRING_ARRAY, &app->set_new,
         "The same, also for a setting that the block does not have yet", "KEY=VALUE"},
        {"any-content", 0, 0, G_OPTION_ARG_NONE, &app->any_content,
         "Take what is surely no firmware, too, or what the board would not start from", NULL},
        {"any-place", 0, 0, G_OPTION_ARG_NONE, &app->any_place,
         "Also across the ends of regions, over settings, and over the region table", NULL},
        {"from-another-board", 0, 0, G_OPTION_ARG_NONE, &app->from_another_board,
         "Also settings that are known to be another board's", NULL},
        G_OPTION_ENTRY_NULL};
    GOptionEntry every[] = {{"every-sector", 0, 0, G_OPTION_ARG_NONE, &app->every_sector,
                             "Write sectors that hold the right content already, too", NULL},
                            {"clear-protection", 0, 0, G_OPTION_ARG_NONE, &app->clear_protection,
                             "Clear the flash's block-protect bits first, for good, if any are set",
                             NULL},
                            G_OPTION_ENTRY_NULL};
    GOptionEntry known[] = {{"no-guess", 0, 0, G_OPTION_ARG_NONE, &app->no_guess,
                             "Make no use of what images and backups on this computer tell of the "
                             "board's content: slower, with the same result",
                             NULL},
                            G_OPTION_ENTRY_NULL};
    GOptionEntry listen[] = {{"listen", 0, 0, G_OPTION_ARG_NONE, &app->listen,
                              "Stay at the line, as 'wrytograph listen' does", NULL},
                             G_OPTION_ENTRY_NULL};
    GOptionEntry ledger[] = {{"ledger", 0, 0, G_OPTION_ARG_STRING, &app->ledger_name,
                              "Where this is put on record: a file, or postgresql://…; else "
                              "WRYTOGRAPH_LEDGER, else the user's own",
                              "LEDGER"},
                             G_OPTION_ENTRY_NULL};
    GOptionEntry dry_run[] = {{"dry-run", 'n', 0, G_OPTION_ARG_NONE, &app->dry_run,
                               "Say what would be done and stop there", NULL},
                              G_OPTION_ENTRY_NULL};
    GOptionEntry always[] = {
        {"json", 0, 0, G_OPTION_ARG_NONE, &app->json_wanted, "Print one JSON document on stdout",
         NULL},
        {G_OPTION_REMAINING, 0, 0, G_OPTION_ARG_FILENAME_ARRAY, &app->rest, NULL, NULL},
        G_OPTION_ENTRY_NULL};

    if (options & APP_LINK)
        link = add_link_options(context, app, options & APP_LINKS);
    if (options & (APP_IMAGES | APP_FORMAT))
        g_option_context_add_main_entries(context, format, NULL);
    if (options & APP_IMAGES)
        g_option_context_add_main_entries(context, header, NULL);
    if (options & APP_WRITES)
        g_option_context_add_main_entries(context, writes, NULL);
    if (options & (APP_IMAGES | APP_LAYOUT))
        g_option_context_add_main_entries(context, layout, NULL);
    if (options & APP_LISTEN)
        g_option_context_add_main_entries(context, listen, NULL);
    if (options & APP_EVERY)
        g_option_context_add_main_entries(context, every, NULL);
    if (options & APP_KNOWN)
        g_option_context_add_main_entries(context, known, NULL);
    if (options & (APP_LINK | APP_BENCH))
        g_option_context_add_main_entries(context, bench, NULL);
    if (options & APP_LEDGER)
        g_option_context_add_main_entries(context, ledger, NULL);
    if (options & APP_DRY_RUN)
        g_option_context_add_main_entries(context, dry_run, NULL);
    g_option_context_add_main_entries(context, always, NULL);
    return link;
}

static bool is_among(int argc, char **argv, const char *option)
{
    for (int i = 1; i < argc && g_strcmp0(argv[i], "--") != 0; i++) {
        if (g_strcmp0(argv[i], option) == 0)
            return true;
    }
    return false;
}

/* An option that takes one value must not be given twice: the first would vanish without a word. */
static const char *given_twice(int argc, char **argv, const char *name, char brief)
{
    unsigned times = 0;
    size_t n = strlen(name);

    for (int i = 1; i < argc && strcmp(argv[i], "--") != 0; i++) {
        bool spelled = g_str_has_prefix(argv[i], "--") && strncmp(argv[i] + 2, name, n) == 0 &&
                       (argv[i][n + 2] == '\0' || argv[i][n + 2] == '=');
        times += spelled || (brief && argv[i][0] == '-' && argv[i][1] == brief);
    }
    return times > 1 ? name : NULL;
}

static const char *find_repeated(int argc, char **argv, const GOptionEntry *own, bool many)
{
    static const char *const common[] = {
        "link", "bench",  "speed",       "wiring",       "wait",      "patience",   "call-speed",
        "as",   "layout", "expect-chip", "expect-flash", "read-mode", "read-clock", "ledger"};
    const char *repeated = NULL;

    for (size_t i = many ? 1 : 0; i < G_N_ELEMENTS(common) && !repeated; i++)
        repeated = given_twice(argc, argv, common[i], i == 0 ? 'l' : i == 2 ? 's' : 0);
    for (; own && own->long_name && !repeated; own++) {
        if (own->long_name[0] &&
            (own->arg == G_OPTION_ARG_STRING || own->arg == G_OPTION_ARG_FILENAME))
            repeated = given_twice(argc, argv, own->long_name, own->short_name);
    }
    return repeated;
}

/* group: only what its options do; NULL: the verb's own help. */
static void print_help(GOptionContext *context, const struct app *app, GOptionGroup *group)
{
    g_autofree char *name = g_strdup_printf("wrytograph %s", app->verb->name);

    g_set_prgname(name);
    if (group) {
        g_option_context_set_summary(context, NULL);
        g_option_context_set_description(context, common_help);
    }
    g_autofree char *text = g_option_context_get_help(context, group == NULL, group);
    g_autoptr(GString) help = g_string_new(text);
    g_string_replace(help, "Application Options:", "Options:", 1);
    fputs(help->str, stdout);
}

static bool parse(struct app *app, GOptionContext *context, int argc, char **argv)
{
    bool json_wanted = app->json_wanted;
    g_autofree char *next = g_strdup_printf("See 'wrytograph %s --help'.", app->verb->name);
    g_autoptr(GError) error = NULL;

    if (!g_option_context_parse(context, &argc, &argv, &error)) {
        app->json_wanted = json_wanted; /* the parser takes back what it had set */
        app_fail(app, EXIT_USAGE, next, "%s", error->message);
        return false;
    }
    if (!app->rest)
        app->rest = g_new0(char *, 1);
    if ((app->verb->options & APP_NO_WORDS) && app->rest[0]) {
        app_fail(app, EXIT_USAGE, next, "'%s' was not expected", app->rest[0]);
        return false;
    }
    return true;
}

bool app_parse(struct app *app, int argc, char **argv, const GOptionEntry *own)
{
    return app_parse_with(app, argc, argv, own, NULL);
}

bool app_parse_with(struct app *app, int argc, char **argv, const GOptionEntry *own,
                    GOptionGroup *group)
{
    g_autoptr(GOptionContext) context = g_option_context_new(app->verb->usage);

    g_option_context_set_help_enabled(context, FALSE);
    g_option_context_set_summary(context, app->verb->description);
    g_option_context_set_description(context, common_help);
    if (group)
        g_option_context_set_main_group(context, group);
    if (own)
        g_option_context_add_main_entries(context, own, NULL);
    GOptionGroup *link = add_options(context, app, app->verb->options);
    bool about_link = link && is_among(argc, argv, "--help-link");
    if (about_link || is_among(argc, argv, "--help") || is_among(argc, argv, "-h")) {
        print_help(context, app, about_link ? link : NULL);
        app->code = EXIT_DONE;
        return false;
    }
    const char *repeated = find_repeated(argc, argv, own, app->verb->options & APP_LINKS);
    if (repeated) {
        app_fail(app, EXIT_USAGE, "It takes one value. Say it once.", "--%s was given twice",
                 repeated);
        return false;
    }
    return parse(app, context, argc, argv);
}
