/* Options by table, on GLib's parser. */
#include "options.h"

#include <stdio.h>
#include <string.h>

#include "app.h"
#include "suggest.h"

static const char common_help[] =
    "Write sizes as 4MiB, 4M, 32Mbit or 0x400000, offsets as 0x4000 or 16K.\n"
    "Exit codes: 0 done and verified, 1 internal, 2 usage, 3 bad input file, 4 no answer,\n"
    "5 wrong board or image, 6 content differs, 7 link lost, 8 flash failed, 9 stopped.";

/* What an option of OPTION_CALL is for: GLib hands it to the callback. */
struct call {
    const struct option *rows;
    void *values;
};

static gboolean on_call(const char *name, const char *value, gpointer data, GError **error)
{
    const struct call *call = data;

    (void)error;
    for (const struct option *row = call->rows; row->name; row++) {
        if (row->take && strcmp(name + 2, row->name) == 0)
            row->take(call->values, value);
    }
    return TRUE;
}

static GOptionEntry entry_of(const struct option *row, void *values)
{
    static const GOptionArg types[] = {
        [OPTION_FLAG] = G_OPTION_ARG_NONE,          [OPTION_NUMBER] = G_OPTION_ARG_INT,
        [OPTION_TEXT] = G_OPTION_ARG_STRING,        [OPTION_FILE] = G_OPTION_ARG_FILENAME,
        [OPTION_TEXTS] = G_OPTION_ARG_STRING_ARRAY, [OPTION_CALL] = G_OPTION_ARG_CALLBACK,
    };
    /* GLib takes functions and data through one pointer to data. */
    const union {
        GOptionArgFunc function;
        gpointer data;
    } hook = {on_call};

    return (GOptionEntry){.long_name = row->name,
                          .short_name = row->brief,
                          .arg = types[row->type],
                          .arg_data = row->take ? hook.data : (char *)values + row->at,
                          .description = row->help,
                          .arg_description = row->value};
}

static bool is_of_link(const struct option *row)
{
    return row->when == APP_LINK || row->when == APP_LINKS;
}

static bool is_wanted(const struct option *row, unsigned options)
{
    return row->when == 0 || ((row->when & options) != 0 && (row->unless & options) == 0);
}

static bool is_usual(const struct verb *verb, const char *name)
{
    for (const char *const *usual = verb->usual; *usual; usual++) {
        if (strcmp(*usual, name) == 0)
            return true;
    }
    return false;
}

static void add_row(GOptionGroup *group, const struct option *row, void *values)
{
    GOptionEntry entries[2] = {entry_of(row, values), G_OPTION_ENTRY_NULL};

    g_option_group_add_entries(group, entries);
}

/* Adds the rows of a table to group, without the usual ones and those of the link. */
static void add_rows(GOptionGroup *group, const struct option *rows, void *values,
                     const struct verb *verb, unsigned options)
{
    for (const struct option *row = rows; row && row->name; row++) {
        if (is_wanted(row, options) && !is_of_link(row) && !is_usual(verb, row->name))
            add_row(group, row, values);
    }
}

/* The usual options first. about_link: only the link's options are explained, all of them. */
static void add_usual(GOptionGroup *group, struct app *app, void *values, bool about_link)
{
    const struct verb *verb = app->verb;

    for (const char *const *usual = verb->usual; *usual; usual++) {
        for (const struct option *row = verb->own; row && row->name; row++) {
            if (strcmp(row->name, *usual) == 0)
                add_row(group, row, values);
        }
        for (const struct option *row = common_options; row->name; row++) {
            if (strcmp(row->name, *usual) == 0 && is_wanted(row, verb->options) &&
                !(about_link && is_of_link(row)))
                add_row(group, row, app);
        }
    }
}

/* Examples, then what the verb does. Free with g_free. */
static char *summary_of(const struct verb *verb)
{
    GString *text = g_string_new(verb->examples[0] ? "Examples:\n" : "");

    for (const char *const *example = verb->examples; *example; example++)
        g_string_append_printf(text, "  %s\n", *example);
    g_string_append_printf(text, "%s%s", text->len > 0 ? "\n" : "", verb->description);
    return g_string_free(text, FALSE);
}

/* A verb's help only names them; --help-link explains them. */
static char *link_names(const struct verb *verb)
{
    GString *names = g_string_new("More options of the link, explained by --help-link: ");
    const char *between = "";

    for (const struct option *row = common_options; row->name; row++) {
        if (!is_of_link(row) || !is_wanted(row, verb->options) || is_usual(verb, row->name))
            continue;
        g_string_append_printf(names, "%s--%s", between, row->name);
        between = ", ";
    }
    g_string_append(names, ".\n\n");
    return g_string_free(names, FALSE);
}

/* Returns the group, which belongs to the context; NULL if the verb has no link. */
static GOptionGroup *add_link(GOptionContext *context, struct app *app, bool about_link)
{
    if (!(app->verb->options & APP_LINK))
        return NULL;
    GOptionGroup *group = g_option_group_new("link", "Options of the link:", "", NULL, NULL);
    g_autofree char *names = link_names(app->verb);
    g_autofree char *description = g_strconcat(names, common_help, NULL);

    for (const struct option *row = common_options; row->name; row++) {
        if (is_of_link(row) && is_wanted(row, app->verb->options) &&
            (about_link || !is_usual(app->verb, row->name)))
            add_row(group, row, app);
    }
    g_option_context_add_group(context, group);
    g_option_context_set_description(context, description);
    return group;
}

static bool is_among(int argc, char **argv, const char *option)
{
    for (int i = 1; i < argc && g_strcmp0(argv[i], "--") != 0; i++) {
        if (g_strcmp0(argv[i], option) == 0)
            return true;
    }
    return false;
}

static bool is_given_twice(int argc, char **argv, const struct option *row)
{
    unsigned times = 0;
    size_t n = strlen(row->name);

    for (int i = 1; i < argc && strcmp(argv[i], "--") != 0; i++) {
        bool spelled = g_str_has_prefix(argv[i], "--") && strncmp(argv[i] + 2, row->name, n) == 0 &&
                       (argv[i][n + 2] == '\0' || argv[i][n + 2] == '=');
        times += spelled || (row->brief && argv[i][0] == '-' && argv[i][1] == row->brief);
    }
    return times > 1;
}

/* An option that takes one value must not be given twice: the first would vanish without a word. */
static const char *find_repeated(int argc, char **argv, const struct option *rows, unsigned options)
{
    for (const struct option *row = rows; row && row->name; row++) {
        if ((row->type == OPTION_TEXT || row->type == OPTION_FILE) && is_wanted(row, options) &&
            is_given_twice(argc, argv, row))
            return row->name;
    }
    return NULL;
}

/* Where the text of an option begins, after "  --name=VALUE   "; 0 for other lines. */
static unsigned text_column(const char *line)
{
    const char *gap = g_str_has_prefix(line, "  -") ? strstr(line + 2, "  ") : NULL;

    return gap ? (unsigned)(gap - line + (long)strspn(gap, " ")) : 0;
}

static void put_help(const char *help)
{
    g_auto(GStrv) lines = g_strsplit(help, "\n", -1);

    for (char **line = lines; *line; line++) {
        if (line[1])
            app_put_hanging(stdout, text_column(*line), *line);
    }
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
    put_help(help->str);
}

static void add_names(GPtrArray *names, const struct option *rows, unsigned options)
{
    for (const struct option *row = rows; row && row->name; row++) {
        if (is_wanted(row, options))
            g_ptr_array_add(names, (gpointer)row->name);
    }
}

/* The option that an unknown one may stand for; NULL if there is none. The words that serial
 * programs usually have for the link and its speed are known, too. */
static const char *find_meant(const struct app *app, const char *given)
{
    static const char *const usual[][2] = {{"port", "link"}, {"device", "link"}, {"baud", "speed"}};
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    add_names(names, app->verb->own, 0);
    add_names(names, common_options, app->verb->options);
    for (size_t i = 0; i < G_N_ELEMENTS(usual); i++) {
        guint unused;
        if (strcmp(usual[i][0], given) == 0 &&
            g_ptr_array_find_with_equal_func(names, usual[i][1], g_str_equal, &unused))
            return usual[i][1];
    }
    return suggest_word(given, names);
}

/* Explains an option that the verb does not have. */
static void fail_unknown(struct app *app, const char *message, const char *next)
{
    const char *begin = strstr(message, "--");
    g_autofree char *given = begin ? g_strndup(begin + 2, strcspn(begin + 2, "= ")) : g_strdup("");
    const char *meant = find_meant(app, given);
    g_autofree char *text = meant ? g_strdup_printf("Did you mean --%s? %s", meant, next) : NULL;

    app_fail(app, EXIT_USAGE, text ? text : next, "%s", message);
}

static bool parse(struct app *app, GOptionContext *context, int argc, char **argv)
{
    bool json_wanted = app->json_wanted;
    g_autofree char *next = g_strdup_printf("See 'wrytograph %s --help'.", app->verb->name);
    g_autoptr(GError) error = NULL;

    if (!g_option_context_parse(context, &argc, &argv, &error)) {
        app->json_wanted = json_wanted; /* the parser takes back what it had set */
        if (g_error_matches(error, G_OPTION_ERROR, G_OPTION_ERROR_UNKNOWN_OPTION))
            fail_unknown(app, error->message, next);
        else
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

bool options_parse(struct app *app, int argc, char **argv, void *values)
{
    const struct verb *verb = app->verb;
    struct call call = {.rows = verb->own, .values = values};
    GOptionEntry rest[] = {
        {G_OPTION_REMAINING, 0, 0, G_OPTION_ARG_FILENAME_ARRAY, &app->rest, NULL, NULL},
        G_OPTION_ENTRY_NULL};
    g_autoptr(GOptionContext) context = g_option_context_new(verb->usage);
    GOptionGroup *group = g_option_group_new("verb", "", "", &call, NULL);
    g_autofree char *summary = summary_of(verb);

    g_option_context_set_help_enabled(context, FALSE);
    g_option_context_set_summary(context, summary);
    g_option_context_set_description(context, common_help);
    g_option_context_set_main_group(context, group);
    bool about_link = (verb->options & APP_LINK) != 0 && is_among(argc, argv, "--help-link");
    add_usual(group, app, values, about_link);
    add_rows(group, verb->own, values, verb, 0);
    add_rows(group, common_options, app, verb, verb->options);
    g_option_group_add_entries(group, rest);
    GOptionGroup *link = add_link(context, app, about_link);
    if (about_link || is_among(argc, argv, "--help") || is_among(argc, argv, "-h")) {
        print_help(context, app, about_link ? link : NULL);
        app->code = EXIT_DONE;
        return false;
    }
    const char *repeated = find_repeated(argc, argv, common_options, verb->options);
    if (!repeated)
        repeated = find_repeated(argc, argv, verb->own, 0);
    if (repeated) {
        app_fail(app, EXIT_USAGE, "Give it once.", "--%s was given twice", repeated);
        return false;
    }
    return parse(app, context, argc, argv);
}

void options_free(const struct option *rows, void *values)
{
    for (const struct option *row = rows; row && row->name; row++) {
        char *at = (char *)values + row->at;
        if (row->type == OPTION_TEXT || row->type == OPTION_FILE)
            g_clear_pointer((char **)(void *)at, g_free);
        else if (row->type == OPTION_TEXTS)
            g_clear_pointer((char ***)(void *)at, g_strfreev);
    }
}
