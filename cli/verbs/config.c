/* config: which values come from where. */
#include "wrytograph-host/config.h"

#include <json-glib/json-glib.h>

#include "verbs.h"
#include "views/json.h"
#include "views/table.h"

/* The address of a server may hold a password. */
static char *without_password(const char *value)
{
    g_autoptr(GRegex) user = g_regex_new("(://[^:/@]*:)[^@]*@", 0, 0, NULL);
    g_autoptr(GRegex) member = g_regex_new("(password=)[^&]*", 0, 0, NULL);
    g_autofree char *text = g_regex_replace(user, value, -1, 0, "\\1********@", 0, NULL);

    return g_regex_replace(member, text, -1, 0, "\\1********", 0, NULL);
}

static int run(struct app *app, void *values)
{
    const GPtrArray *entries = app->config;
    g_autofree char *path = wry_config_path();

    (void)values;
    struct table *table = table_new(app, "key", "value", "from", "meaning", NULL);
    json_begin_list(app->json, "values");
    for (guint i = 0; i < entries->len; i++) {
        const struct wry_config_entry *entry = g_ptr_array_index(entries, i);
        g_autofree char *shown = entry->value ? without_password(entry->value) : g_strdup("-");
        g_autofree char *from = entry->file ? g_strdup_printf("%s:%u", entry->file, entry->line)
                                            : g_strdup(entry->value ? entry->variable : "not set");
        table_row(table, entry->key, shown, from, entry->meaning, NULL);
        json_add_object(app->json, json_text("key", entry->key),
                        json_text("value", entry->value ? shown : NULL),
                        json_text("variable", entry->variable), json_text("file", entry->file),
                        json_number("line", entry->line));
    }
    json_builder_end_array(app->json);
    table_end(table, false);
    app_note(app,
             "Your file is %s; an option comes before a variable, a variable before the files.",
             path);
    return EXIT_DONE;
}

const struct verb verb_config = {
    .name = "config",
    .summary = "values that count for every command, and where they come from",
    .usage = "",
    .examples = {"wrytograph config"},
    .description =
        "Shows the values of the configuration files and of the environment, and which of them\n"
        "counts. The files are config.yaml in the folder wrytograph of the system's and the\n"
        "user's configuration folders (~/.config); docs/environment.md describes them.",
    .options = APP_NO_WORDS,
    .run = run,
};
