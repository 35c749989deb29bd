/* settings: shows, changes, saves and loads settings, of a board or in a file. */
#include "wrytograph-host/settings.h"

#include <string.h>

#include "hidden_value.h"
#include "station_options.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/settings_view.h"
#include "views/words.h"

struct settings_options {
    char *in, *output, *region, *from_file, *from_env;
    gboolean new_keys, exactly, with_secrets, replace, without_backup;
};

/* What a subverb does with the options. */
struct command {
    struct app *app;
    const struct settings_options *own;
    struct wry_settings_options options;
    struct wry_setting_change *changes; /* those of options */
    char *hidden;
};

static int usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph settings --help'.", "%s", what);
}

static size_t argument_count(const struct app *app)
{
    return g_strv_length(app->rest) - 1;
}

/* REGION/KEY in place. */
static void split_region(char *text, struct wry_setting_change *change)
{
    char *slash = strchr(text, '/');

    change->key = slash ? slash + 1 : text;
    if (!slash)
        return;
    *slash = '\0';
    change->region = text;
}

static struct wry_setting_change *begin_changes(struct command *command)
{
    size_t count = argument_count(command->app);

    command->changes = g_new0(struct wry_setting_change, count + 1);
    command->options.changes = command->changes;
    command->options.change_count = count;
    for (size_t i = 0; i < count; i++)
        command->changes[i].region = command->own->region;
    return command->changes;
}

static int parse_set(struct command *command)
{
    struct app *app = command->app;

    if (!app->rest[1])
        return usage_error(app, "'settings set' takes KEY=VALUE");
    struct wry_setting_change *change = begin_changes(command);
    for (char **text = app->rest + 1; *text; text++, change++) {
        char *equals = strchr(*text, '=');
        if (!equals || equals == *text)
            return app_fail(app, EXIT_USAGE, "Write it as KEY=VALUE, such as datum_mm=-1827.",
                            "'%s' is not a setting and its value", *text);
        *equals = '\0';
        change->act = command->own->new_keys ? WRY_SETTING_ADD : WRY_SETTING_SET;
        change->value = equals + 1;
        split_region(*text, change);
    }
    return EXIT_DONE;
}

static int parse_unset(struct command *command)
{
    struct app *app = command->app;

    if (!app->rest[1])
        return usage_error(app, "'settings unset' takes the keys to remove");
    struct wry_setting_change *change = begin_changes(command);
    for (char **text = app->rest + 1; *text; text++, change++) {
        change->act = WRY_SETTING_UNSET;
        split_region(*text, change);
    }
    return EXIT_DONE;
}

static int parse_hide(struct command *command)
{
    struct app *app = command->app;
    const struct settings_options *own = command->own;

    if (argument_count(app) != 1)
        return usage_error(app, "'settings hide' takes one key");
    if (strchr(app->rest[1], '='))
        return app_fail(app, EXIT_USAGE,
                        "Give the key alone; its value is asked for, or read by --from-file or "
                        "--from-env.",
                        "a secret value does not belong in a command line");
    if (own->from_file && own->from_env)
        return usage_error(app, "--from-file and --from-env together");
    struct wry_setting_change *change = begin_changes(command);
    change->act = WRY_SETTING_HIDE;
    split_region(app->rest[1], change);
    command->hidden = hidden_value_get(app, change->key, own->from_file, own->from_env);
    change->value = command->hidden;
    return command->hidden ? EXIT_DONE : app->code;
}

static int parse_file(struct command *command)
{
    struct app *app = command->app;
    bool save = strcmp(app->rest[0], "save") == 0;

    if (argument_count(app) != 1)
        return usage_error(app, save ? "'settings save' takes the settings file to write"
                                     : "'settings load' takes a settings file");
    if (save)
        command->options.save = app->rest[1];
    else
        command->options.load = app->rest[1];
    return EXIT_DONE;
}

static int parse_show(struct command *command)
{
    return command->app->rest[1] ? usage_error(command->app, "'settings show' takes no keys")
                                 : EXIT_DONE;
}

static const struct subverb {
    const char *name;
    int (*parse)(struct command *command);
    bool changes;
} subverbs[] = {
    {"show", parse_show, false}, {"set", parse_set, true},    {"unset", parse_unset, true},
    {"hide", parse_hide, true},  {"save", parse_file, false}, {"load", parse_file, true},
};

static const struct subverb *find_subverb(const char *name)
{
    for (size_t i = 0; name && i < G_N_ELEMENTS(subverbs); i++) {
        if (strcmp(subverbs[i].name, name) == 0)
            return &subverbs[i];
    }
    return NULL;
}

static void print_saved(const struct command *command)
{
    app_outcome(command->app, true, "Settings saved to %s%s.", command->options.save,
                command->own->with_secrets ? ", secret values included: keep it safe" : "");
}

/* What happened, or would. */
static void print_result(const struct command *command, const struct wry_settings_result *result,
                         bool changes)
{
    struct app *app = command->app;

    if (!changes) {
        settings_view_show(app, result);
        if (command->options.save)
            print_saved(command);
        return;
    }
    if (!result->changed) {
        app_outcome(app, true, "Nothing to change: the settings have these values already.");
        return;
    }
    settings_view_changes(app, result);
    if (app->dry_run) {
        app_print(app, "Nothing was changed (--dry-run).");
    } else if (command->own->in) {
        app_outcome(app, true, "Changed, in %s; %s is as before.", command->own->output,
                    command->own->in);
    } else {
        g_autofree char *duration = words_duration(app->station, result->done.seconds);
        app_outcome(app, true, "Changed, and verified by the board's SHA-256 %s.", duration);
    }
}

static int use_board(struct command *command, bool changes)
{
    struct app *app = command->app;
    struct wry_settings_result result = {0};
    int code = station_make(app);

    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome =
        changes ? wry_station_change_settings(app->station, &command->options, &result)
                : wry_station_read_settings(app->station, &command->options, &result);
    if (result.blocks)
        settings_view_json(app->json, &result);
    if (outcome == WRY_OUTCOME_DONE)
        print_result(command, &result, changes);
    wry_settings_result_clear(&result);
    return station_conclude(app, outcome);
}

static int use_file(struct command *command, bool changes)
{
    struct app *app = command->app;
    struct wry_settings_result result = {0};
    GError *error = NULL;
    int code = EXIT_DONE;

    if (changes && !command->own->output && !app->dry_run)
        return app_fail(app, EXIT_USAGE,
                        "Give --output NEW for the changed file: the old one stays as it is.",
                        "changing settings in a file needs another file to write to");
    if (wry_settings_in_file(command->own->in, &command->options, &result, &error)) {
        settings_view_json(app->json, &result);
        print_result(command, &result, changes);
    } else {
        code = explain_error(app, error);
    }
    wry_settings_result_clear(&result);
    return code;
}

static int check_options(struct app *app, const struct settings_options *own,
                         const struct subverb *subverb)
{
    if (own->output && (!own->in || !subverb->changes))
        return usage_error(app, "--output is for changes in a file (--in)");
    if ((own->from_file || own->from_env) && strcmp(subverb->name, "hide") != 0)
        return usage_error(app, "--from-file and --from-env are for 'settings hide'");
    if (own->exactly && strcmp(subverb->name, "load") != 0)
        return usage_error(app, "--exactly is for 'settings load'");
    if (own->with_secrets && strcmp(subverb->name, "save") != 0)
        return usage_error(app, "--with-secrets is for 'settings save'");
    if (own->new_keys && strcmp(subverb->name, "set") != 0)
        return usage_error(app, "--new is for 'settings set'");
    if (own->in && app->link)
        return usage_error(app, "--in and --link together: a file or a board");
    return EXIT_DONE;
}

static int run(struct app *app, void *values)
{
    const struct settings_options *own = values;
    const struct subverb *subverb = find_subverb(app->rest[0]);
    struct command command = {.app = app,
                              .own = own,
                              .options = {.region = own->region,
                                          .exactly = own->exactly,
                                          .without_backup = own->without_backup,
                                          .dry_run = app->dry_run,
                                          .with_secrets = own->with_secrets,
                                          .replace = own->replace,
                                          .output = own->output,
                                          .layout_file = app->layout_path,
                                          .settings_description = app->settings_description}};

    if (!subverb)
        return usage_error(app, app->rest[0] ? "'settings' takes show, set, unset, hide, save or "
                                               "load"
                                             : "choose show, set, unset, hide, save or load");
    int code = check_options(app, own, subverb);
    if (code == EXIT_DONE)
        code = subverb->parse(&command);
    if (code == EXIT_DONE)
        code =
            own->in ? use_file(&command, subverb->changes) : use_board(&command, subverb->changes);
    if (command.hidden)
        explicit_bzero(command.hidden, strlen(command.hidden));
    g_free(command.hidden);
    g_free(command.changes);
    return code;
}

#define AT(member) offsetof(struct settings_options, member)

static const struct option own[] = {
    OPTION(FILE, "in", in, "FILE",
           "The settings in this file instead of a board's: a backup, a plain binary of a flash or "
           "of a settings region, or a settings file"),
    OPTION(FILE, "output", output, "FILE", "The changed file; the one after --in stays as it is",
           .brief = 'o'),
    OPTION(TEXT, "region", region, "NAME", "The settings of this region, if several have some"),
    OPTION(FLAG, "new", new_keys, NULL, "set: keys that are not there yet are added"),
    OPTION(FILE, "from-file", from_file, "FILE", "hide: the value is in this file"),
    OPTION(TEXT, "from-env", from_env, "NAME", "hide: the value is in this environment variable"),
    OPTION(FLAG, "exactly", exactly, NULL, "load: settings that are not in the file are removed"),
    OPTION(FLAG, "with-secrets", with_secrets, NULL, "save: with the values of secret settings"),
    OPTION(FLAG, "replace", replace, NULL, "Replace an existing file"),
    OPTION(FLAG, "without-backup", without_backup, NULL,
           "Even if settings would be lost that no known backup of this board has"),
    {.name = NULL},
};

const struct verb verb_settings = {
    .name = "settings",
    .summary = "show and change the settings of a board, or in a file",
    .usage = "show | set KEY=VALUE… | unset KEY… | hide KEY | save FILE.yaml | load FILE.yaml",
    .examples = {"wrytograph settings show", "wrytograph settings set datum_mm=-1801"},
    .usual = {"link", "dry-run", "in", "region", "new"},
    .description =
        "Settings are keys and values in a region of the flash. Each change is written as a\n"
        "new block beside the old one and verified; everything else in the flash stays as it\n"
        "is, and what changes is printed. Secret values are never shown: 'hide' asks for one\n"
        "without showing it. 'load' takes over what is in a settings file, 'save' writes one.\n"
        "REGION/KEY names the region if several have settings.",
    .options = APP_LINK | APP_DRY_RUN | APP_LAYOUT | APP_LEDGER | APP_SETTINGS,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct settings_options),
    .run = run,
};
