/* Settings files. */
#include "store/image/settings_file.h"

#include <string.h>

#include "base/yaml_members.h"
#include "store/file/error.h"
#include "store/image/settings_entry.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/text_file.h"

/* A value of the file being read. */
struct value_reader {
    const char *value, *env, *file;
    struct yaml_place at; /* position of the member with the value */
    uint8_t type;         /* 0: by its form */
    bool quoted, secret;
};

/* Reads value, env or file. */
static gboolean take_value(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct value_reader *reader = field->target;

    *(const char **)(void *)((char *)reader + field->member->at) = yaml_text_of(field->value);
    reader->at = yaml_text_place(field->value);
    reader->quoted = yaml_text_is_quoted(field->value) || !reader->value;
    return field->value->type == YAML_SCALAR_NODE ||
           yaml_text_complain(yaml, reader->at, "'%s' takes one value", field->member->name);
}

static gboolean take_type(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct value_reader *reader = field->target;
    const char *text = yaml_text_of(field->value);

    reader->type = settings_type_by_name(text);
    return reader->type != 0 ||
           yaml_field_complain(yaml, field,
                               "'%s' is not a type: text, integer, real, boolean or bytes", text);
}

static const struct yaml_member value_rows[] = {
    {"value", take_value, offsetof(struct value_reader, value), NULL},
    {"env", take_value, offsetof(struct value_reader, env), NULL},
    {"file", take_value, offsetof(struct value_reader, file), NULL},
    {"type", take_type, 0, NULL},
    {"secret", yaml_take_bool, offsetof(struct value_reader, secret), NULL},
};
static const struct yaml_members value_members = {"a setting", value_rows, G_N_ELEMENTS(value_rows),
                                                  "value, env or file, type and secret"};

/* The text of a value from its source; free with g_free. NULL after a complaint. */
static char *fetch(struct yaml_text *yaml, const struct value_reader *reader)
{
    g_autoptr(GError) inner = NULL;
    size_t n = 0;

    if ((reader->value != NULL) + (reader->env != NULL) + (reader->file != NULL) != 1) {
        yaml_text_complain(yaml, reader->at, "give one of value, env and file");
        return NULL;
    }
    if (reader->value)
        return g_strdup(reader->value);
    if (reader->env) {
        const char *found = g_getenv(reader->env);
        if (!found)
            yaml_text_complain(yaml, reader->at, "%s is not set in the environment", reader->env);
        return g_strdup(found);
    }
    g_autofree char *folder = g_path_get_dirname(yaml->path);
    g_autofree char *path = g_path_is_absolute(reader->file)
                                ? g_strdup(reader->file)
                                : g_build_filename(folder, reader->file, NULL);
    char *text = wry_text_file_read(path, WRY_TEXT_FILE_PLAIN, &n, &inner);
    if (!text) {
        yaml_text_complain(yaml, reader->at, "%s", inner->message);
        return NULL;
    }
    if (n > 0 && text[n - 1] == '\n')
        text[n - 1] = '\0';
    return text;
}

static gboolean take_setting(struct yaml_text *yaml, const yaml_node_t *key,
                             const yaml_node_t *value, void *context)
{
    struct settings *settings = context;
    struct value_reader reader = {.at = yaml_text_place(value),
                                  .quoted = yaml_text_is_quoted(value)};
    const char *name = yaml_text_of(key);

    if (!wry_settings_key_is_fit(name, strlen(name)))
        return yaml_text_complain(
            yaml, yaml_text_place(key),
            "'%s' is not a key: a letter, then up to %u letters, digits, '-' and '_'", name,
            WRY_SETTINGS_KEY_MAX - 1);
    if (value->type == YAML_SCALAR_NODE)
        reader.value = yaml_text_of(value);
    else if (value->type != YAML_MAPPING_NODE)
        return yaml_text_complain(yaml, reader.at, "'%s': a setting is one value", name);
    else if (!yaml_members_read(yaml, value, &value_members, &reader))
        return FALSE;
    g_autofree char *text = fetch(yaml, &reader);
    if (!text)
        return FALSE;
    struct entry *entry = settings_entry_new(name);
    entry->line = reader.at.line;
    entry->setting.secret = reader.secret;
    entry->setting.type = reader.type > 0 ? reader.type
                          : reader.quoted ? WRY_SETTING_TEXT
                                          : settings_type_of(text);
    g_ptr_array_add(settings->entries, entry);
    bool taken = settings_entry_take(entry, text);
    settings_entry_point(entry);
    return taken ||
           yaml_text_complain(yaml, reader.at, "'%s': its value is not of type %s, or too long",
                              name, settings_type_name(entry->setting.type));
}

static gboolean take_settings(struct yaml_text *yaml, const struct yaml_field *field)
{
    return field->value->type == YAML_MAPPING_NODE
               ? yaml_text_each(yaml, field->value, take_setting, field->target)
               : yaml_field_complain(yaml, field, "'settings' has lines of KEY: VALUE");
}

static const struct yaml_member root_rows[] = {{"settings", take_settings, 0, NULL}};
static const struct yaml_members root_members = {"a settings file", root_rows, 1, "'settings:'"};

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct settings *settings = context;

    if (!yaml_members_read(yaml, root, &root_members, settings))
        return FALSE;
    return settings->entries->len > 0 ||
           yaml_text_complain(yaml, YAML_TEXT_START, "there are no settings");
}

struct settings *settings_load(const char *path, GError **error)
{
    struct settings *settings = settings_new();

    if (yaml_text_load(path, "a settings file", read_root, settings, error))
        return settings;
    settings_free(settings);
    return NULL;
}

/* A text in double quotes, which YAML reads back (YAML 1.2, section 5.7). */
static void add_quoted(GString *text, const char *value)
{
    g_string_append_c(text, '"');
    for (const char *c = value; *c; c++) {
        if (*c == '"' || *c == '\\')
            g_string_append_printf(text, "\\%c", *c);
        else if ((unsigned char)*c < 0x20 || *c == 0x7F)
            g_string_append_printf(text, "\\x%02X", (unsigned char)*c);
        else
            g_string_append_c(text, *c);
    }
    g_string_append_c(text, '"');
}

/* A real with the fewest digits that read as the same; those that look like an integer get a
 * point. */
static void add_real(GString *text, double real)
{
    static const char *const formats[] = {"%.10g", "%.15g", "%.16g", "%.17g"};
    char number[G_ASCII_DTOSTR_BUF_SIZE];

    for (size_t i = 0; i < G_N_ELEMENTS(formats); i++) {
        g_ascii_formatd(number, sizeof number, formats[i], real);
        double read = g_ascii_strtod(number, NULL);
        if (!(read < real) && !(read > real))
            break;
    }
    g_string_append(text, number);
    if (settings_type_of(number) == WRY_SETTING_INTEGER)
        g_string_append(text, ".0");
}

/* A value as the file has it, which reads as the same type again. */
static void add_value(GString *text, const struct wry_setting *setting)
{
    struct wry_setting shown = *setting;

    shown.secret = false;
    g_autofree char *value = settings_text(&shown);
    if (setting->type == WRY_SETTING_TEXT)
        add_quoted(text, value);
    else if (setting->type == WRY_SETTING_REAL)
        add_real(text, setting->real);
    else
        g_string_append(text, value);
}

static void add_line(GString *text, const struct wry_setting *setting, bool with_secrets)
{
    bool is_long = setting->secret || setting->type == WRY_SETTING_BYTES;

    if (setting->secret && !with_secrets) {
        g_string_append_printf(text, "  # %.*s is secret, and not in this file\n",
                               setting->key_length, setting->key);
        return;
    }
    g_string_append_printf(text, "  %.*s: %s", setting->key_length, setting->key,
                           is_long ? "{value: " : "");
    add_value(text, setting);
    if (setting->type == WRY_SETTING_BYTES ||
        (setting->secret && setting->type != WRY_SETTING_TEXT))
        g_string_append_printf(text, ", type: %s", settings_type_name(setting->type));
    g_string_append_printf(text, "%s%s\n", setting->secret ? ", secret: true" : "",
                           is_long ? "}" : "");
}

gboolean settings_save(const struct settings *settings, const char *path, bool with_secrets,
                       bool replace, GError **error)
{
    g_autoptr(GString) text = g_string_new("settings:\n");
    guint shown = 0;

    for (guint i = 0; i < settings_count(settings); i++) {
        const struct wry_setting *setting = settings_at(settings, i);
        add_line(text, setting, with_secrets);
        shown += !setting->secret || with_secrets;
    }
    if (shown == 0)
        return store_error(error, WRY_STORE_ERROR_NONE, "there is no setting that is not secret");
    return wry_atomic_file_save(path, text->str, text->len, replace, error);
}

/* What is written about a value, without reading or judging it. */
static gboolean take_reference(struct yaml_text *yaml, const yaml_node_t *key,
                               const yaml_node_t *value, void *context)
{
    bool is_long = value->type == YAML_MAPPING_NODE;
    const yaml_node_t *file = is_long ? yaml_text_find(yaml, value, "file") : NULL;
    const yaml_node_t *secret = is_long ? yaml_text_find(yaml, value, "secret") : NULL;
    struct settings_reference *reference = g_new0(struct settings_reference, 1);

    reference->key = g_strdup(yaml_text_of(key));
    reference->file = file ? g_strdup(yaml_text_of(file)) : NULL;
    reference->secret = secret && strcmp(yaml_text_of(secret), "true") == 0;
    g_ptr_array_add(context, reference);
    return TRUE;
}

static gboolean read_references(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    const yaml_node_t *settings = yaml_text_find(yaml, root, "settings");

    return !settings || settings->type != YAML_MAPPING_NODE ||
           yaml_text_each(yaml, settings, take_reference, context);
}

static void free_reference(void *item)
{
    struct settings_reference *reference = item;

    g_free(reference->key);
    g_free(reference->file);
    g_free(reference);
}

GPtrArray *settings_references(const char *path, GError **error)
{
    GPtrArray *references = g_ptr_array_new_with_free_func(free_reference);

    if (yaml_text_load(path, "a settings file", read_references, references, error))
        return references;
    g_ptr_array_unref(references);
    return NULL;
}

bool settings_is_file(const char *path)
{
    return yaml_text_has_key(path, "settings");
}
