/* The configuration files. */
#include "wrytograph-host/config.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>

#include "base/folders.h"
#include "base/yaml_text.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph-host/units.h"

enum kind {
    TEXT,
    FOLDER,  /* a path */
    LEDGER,  /* a path, or the address of a server */
    SPEED,   /* baud */
    SWITCH,  /* true or false */
    COLOURS, /* auto or never */
};

static const struct {
    const char *key, *variable, *meaning;
    enum kind kind;
} keys[] = {
    {"link", "WRYTOGRAPH_LINK", "the link to the board", TEXT},
    {"wiring", "WRYTOGRAPH_WIRING", "the wiring of the adapter", TEXT},
    {"speed", "WRYTOGRAPH_SPEED", "the highest speed in baud", SPEED},
    {"ledger", "WRYTOGRAPH_LEDGER", "where jobs are recorded", LEDGER},
    {"operator", "WRYTOGRAPH_OPERATOR", "who does the work, for the ledger", TEXT},
    {"backups", "WRYTOGRAPH_BACKUPS", "the folder of backups", FOLDER},
    {"shelf", "WRYTOGRAPH_SHELF", "the folder of the shelf", FOLDER},
    {"bench", "WRYTOGRAPH_BENCH", "the folder of simulated boards", FOLDER},
    {"colours", "NO_COLOR", "auto, or never", COLOURS},
    {"bell", "WRYTOGRAPH_BELL", "ring the bell after each board", SWITCH},
};

/* A file that is being read, into the entries. */
struct reader {
    GPtrArray *entries;
    char *folder; /* of the file */
};

static void free_entry(gpointer data)
{
    struct wry_config_entry *entry = data;

    g_free(entry->value);
    g_free(entry->file);
    g_free(entry);
}

static char *whole_path(const struct reader *reader, const char *path)
{
    if (g_str_has_prefix(path, "~/"))
        return g_build_filename(g_get_home_dir(), path + 2, NULL);
    return g_canonicalize_filename(path, reader->folder);
}

static gboolean take_value(struct yaml_text *yaml, const struct reader *reader, size_t n,
                           const yaml_node_t *node, char **value)
{
    const char *text = yaml_text_of(node);
    struct yaml_place place = yaml_text_place(node);
    uint32_t speed;

    *value = NULL;
    if (node->type != YAML_SCALAR_NODE || text[0] == '\0')
        return yaml_text_complain(yaml, place, "'%s' needs a value", keys[n].key);
    switch (keys[n].kind) {
    case FOLDER:
        *value = whole_path(reader, text);
        break;
    case LEDGER:
        *value = strstr(text, "://") ? g_strdup(text) : whole_path(reader, text);
        break;
    case SPEED:
        if (!wry_units_parse_speed(text, &speed))
            return yaml_text_complain(yaml, place, "'%s' is not a speed in baud", text);
        *value = g_strdup(text);
        break;
    case SWITCH:
        if (strcmp(text, "true") != 0 && strcmp(text, "false") != 0)
            return yaml_text_complain(yaml, place, "'%s' is true or false", keys[n].key);
        *value = g_strdup(text);
        break;
    case COLOURS:
        if (strcmp(text, "auto") != 0 && strcmp(text, "never") != 0)
            return yaml_text_complain(yaml, place, "'%s' is auto or never", keys[n].key);
        *value = g_strdup(text);
        break;
    case TEXT:
        *value = g_strdup(text);
        break;
    }
    return TRUE;
}

static gboolean take_key(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                         void *context)
{
    const struct reader *reader = context;
    g_autoptr(GString) known = g_string_new(NULL);

    for (size_t i = 0; i < G_N_ELEMENTS(keys); i++) {
        struct wry_config_entry *entry = g_ptr_array_index(reader->entries, i);
        char *text;
        g_string_append_printf(known, "%s%s", i > 0 ? ", " : "", keys[i].key);
        if (strcmp(yaml_text_of(key), keys[i].key) != 0)
            continue;
        if (!take_value(yaml, reader, i, value, &text))
            return FALSE;
        g_free(entry->value);
        g_free(entry->file);
        entry->value = text;
        entry->file = g_strdup(yaml->path);
        entry->line = yaml_text_place(key).line;
        return TRUE;
    }
    return yaml_text_complain(yaml, yaml_text_place(key), "there is no '%s' here; keys are %s",
                              yaml_text_of(key), known->str);
}

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    return yaml_text_each(yaml, root, take_key, context);
}

/* True if the file has only comments and empty lines: everything is as usual. */
static bool says_nothing(const char *path)
{
    size_t n = 0;
    g_autofree char *text = wry_text_file_read(path, WRY_TEXT_FILE_YAML, &n, NULL);
    g_auto(GStrv) lines = text ? g_strsplit(text, "\n", -1) : NULL;

    for (char **line = lines; line && *line; line++) {
        const char *first = g_strchug(*line);
        if (first[0] != '\0' && first[0] != '#' && first[0] != '\r')
            return false;
    }
    return lines != NULL;
}

/* One that cannot be looked at is not missing: reading it then says why. */
static bool is_missing(const char *path)
{
    GStatBuf about;

    return g_stat(path, &about) != 0 && (errno == ENOENT || errno == ENOTDIR);
}

static gboolean read_file(GPtrArray *entries, const char *path, GError **error)
{
    g_autofree char *folder = g_path_get_dirname(path);
    struct reader reader = {.entries = entries, .folder = folder};

    if (is_missing(path) || says_nothing(path))
        return TRUE;
    return yaml_text_load(path, "a configuration", read_root, &reader, error);
}

char *wry_config_path(void)
{
    return folders_user(FOLDER_CONFIG, "config.yaml");
}

/* The environment comes before the files; an empty variable counts as not set. */
static void look_at_environment(GPtrArray *entries)
{
    for (size_t i = 0; i < G_N_ELEMENTS(keys); i++) {
        struct wry_config_entry *entry = g_ptr_array_index(entries, i);
        const char *value = g_getenv(entry->variable);
        if (!value || value[0] == '\0')
            continue;
        g_clear_pointer(&entry->file, g_free);
        g_free(entry->value);
        entry->value = g_strdup(keys[i].kind == COLOURS ? "never" : value);
    }
}

GPtrArray *wry_config_read(GError **error)
{
    g_autoptr(GPtrArray) entries = g_ptr_array_new_with_free_func(free_entry);
    const char *const *folders = g_get_system_config_dirs();
    g_autofree char *own = wry_config_path();
    unsigned count = 0;

    for (size_t i = 0; i < G_N_ELEMENTS(keys); i++) {
        struct wry_config_entry *entry = g_new0(struct wry_config_entry, 1);
        entry->key = keys[i].key;
        entry->variable = keys[i].variable;
        entry->meaning = keys[i].meaning;
        g_ptr_array_add(entries, entry);
    }
    while (folders[count])
        count++;
    /* The first folder is the most important one (XDG Base Directory Specification). */
    while (count > 0) {
        g_autofree char *path =
            g_build_filename(folders[--count], "wrytograph", "config.yaml", NULL);
        if (!read_file(entries, path, error))
            return NULL;
    }
    if (!read_file(entries, own, error))
        return NULL;
    look_at_environment(entries);
    return g_steal_pointer(&entries);
}

void wry_config_apply(const GPtrArray *entries)
{
    for (guint i = 0; i < entries->len; i++) {
        const struct wry_config_entry *entry = g_ptr_array_index(entries, i);
        bool usual = keys[i].kind == COLOURS && g_strcmp0(entry->value, "never") != 0;
        if (entry->file && !usual)
            g_setenv(entry->variable, entry->value, TRUE);
    }
}
