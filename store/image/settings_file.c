/* Settings, from YAML or a block, and into a block. */
#include "store/image/settings_file.h"

#include <errno.h>
#include <math.h>
#include <string.h>

#include "base/words_distance.h"
#include "base/yaml_members.h"
#include "store/file/error.h"
#include "wrytograph-host/text_file.h"

enum {
    NEAREST_MOST = 2, /* most letters by which a misspelled key may differ */
};

struct entry {
    struct wry_setting setting; /* its key and bytes point to the following members */
    char *key;
    GBytes *value; /* for texts and bytes; otherwise NULL */
};

struct settings {
    GPtrArray *entries; /* struct entry, in the order of the file */
};

static const struct {
    const char *name;
    uint8_t type;
} types[] = {
    {"text", WRY_SETTING_TEXT},       {"integer", WRY_SETTING_INTEGER}, {"real", WRY_SETTING_REAL},
    {"boolean", WRY_SETTING_BOOLEAN}, {"bytes", WRY_SETTING_BYTES},
};

static const char *type_name(uint8_t type)
{
    for (size_t i = 0; i < G_N_ELEMENTS(types); i++) {
        if (types[i].type == type)
            return types[i].name;
    }
    return "unknown";
}

static void free_entry(void *item)
{
    struct entry *entry = item;

    g_free(entry->key);
    g_clear_pointer(&entry->value, g_bytes_unref);
    g_free(entry);
}

static struct settings *settings_new(void)
{
    struct settings *settings = g_new0(struct settings, 1);

    settings->entries = g_ptr_array_new_with_free_func(free_entry);
    return settings;
}

void settings_free(struct settings *settings)
{
    if (!settings)
        return;
    g_ptr_array_unref(settings->entries);
    g_free(settings);
}

static void point(struct entry *entry)
{
    gsize n = 0;

    entry->setting.key = entry->key;
    entry->setting.key_length = (uint8_t)strlen(entry->key);
    entry->setting.bytes = entry->value ? g_bytes_get_data(entry->value, &n) : NULL;
    entry->setting.length = (uint16_t)n;
}

static bool parse_integer(const char *text, int64_t *value)
{
    bool negative = text[0] == '-';
    const char *digits = text + (negative || text[0] == '+');
    bool hex = g_ascii_strncasecmp(digits, "0x", 2) == 0;
    char *end;

    if (!g_ascii_isxdigit(digits[hex ? 2 : 0]))
        return false;
    /* 0123 is decimal to some and octal to others, so it counts as text. */
    if (!hex && digits[0] == '0' && digits[1] != '\0')
        return false;
    errno = 0;
    guint64 number = g_ascii_strtoull(digits, &end, hex ? 16 : 10);
    uint64_t most = (uint64_t)INT64_MAX + negative;
    if (*end != '\0' || errno != 0 || number > most)
        return false;
    *value = negative ? (int64_t)(0 - number) : (int64_t)number;
    return true;
}

static bool parse_real(const char *text, double *value)
{
    char *end;

    const char *digits = text + strspn(text, "+-");

    if (!g_ascii_isdigit(text[0]) && !strchr("+-.", text[0]))
        return false;
    if (digits[0] == '0' && g_ascii_isdigit(digits[1]))
        return false;
    *value = g_ascii_strtod(text, &end);
    return end != text && *end == '\0' && isfinite(*value);
}

/* Pairs of hexadecimal digits, with or without spaces between them. */
static GBytes *parse_bytes(const char *text)
{
    g_autoptr(GByteArray) bytes = g_byte_array_new();

    while (*text) {
        if (*text == ' ' || *text == '\n') {
            text++;
            continue;
        }
        if (!g_ascii_isxdigit(text[0]) || !g_ascii_isxdigit(text[1]))
            return NULL;
        uint8_t byte =
            (uint8_t)(g_ascii_xdigit_value(text[0]) << 4 | g_ascii_xdigit_value(text[1]));
        g_byte_array_append(bytes, &byte, 1);
        text += 2;
    }
    return g_byte_array_free_to_bytes(g_steal_pointer(&bytes));
}

/* The type of an unquoted value. */
static uint8_t type_of(const char *text)
{
    int64_t integer;
    double real;

    if (strcmp(text, "true") == 0 || strcmp(text, "false") == 0)
        return WRY_SETTING_BOOLEAN;
    if (parse_integer(text, &integer))
        return WRY_SETTING_INTEGER;
    return parse_real(text, &real) ? WRY_SETTING_REAL : WRY_SETTING_TEXT;
}

/* Parses the text as a value of the entry's type. */
static bool take_text(struct entry *entry, const char *text)
{
    struct wry_setting *setting = &entry->setting;
    GBytes *value = NULL;

    switch (setting->type) {
    case WRY_SETTING_INTEGER:
        return parse_integer(text, &setting->integer);
    case WRY_SETTING_REAL:
        return parse_real(text, &setting->real);
    case WRY_SETTING_BOOLEAN:
        setting->boolean = strcmp(text, "true") == 0;
        return setting->boolean || strcmp(text, "false") == 0;
    case WRY_SETTING_BYTES:
        value = parse_bytes(text);
        break;
    default:
        if (g_utf8_validate(text, -1, NULL))
            value = g_bytes_new(text, strlen(text));
        break;
    }
    if (!value || g_bytes_get_size(value) > WRY_SETTINGS_VALUE_MAX) {
        g_clear_pointer(&value, g_bytes_unref);
        return false;
    }
    g_clear_pointer(&entry->value, g_bytes_unref);
    entry->value = value;
    return true;
}

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

    for (size_t i = 0; i < G_N_ELEMENTS(types); i++) {
        if (strcmp(text, types[i].name) == 0)
            reader->type = types[i].type;
    }
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
    struct entry *entry = g_new0(struct entry, 1);
    entry->key = g_strdup(name);
    entry->setting.secret = reader.secret;
    entry->setting.type = reader.type > 0 ? reader.type
                          : reader.quoted ? WRY_SETTING_TEXT
                                          : type_of(text);
    g_ptr_array_add(settings->entries, entry);
    bool taken = take_text(entry, text);
    point(entry);
    return taken ||
           yaml_text_complain(yaml, reader.at, "'%s': its value is not of type %s, or too long",
                              name, type_name(entry->setting.type));
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

struct settings *settings_from_block(const uint8_t *bytes, const struct wry_settings_head *head)
{
    struct settings *settings = settings_new();
    struct wry_setting setting;
    size_t at = WRY_SETTINGS_HEAD_SIZE;

    while (wry_settings_next(bytes, head, &at, &setting)) {
        struct entry *entry = g_new0(struct entry, 1);
        entry->setting = setting;
        entry->key = g_strndup(setting.key, setting.key_length);
        if (setting.type == WRY_SETTING_TEXT || setting.type == WRY_SETTING_BYTES)
            entry->value = g_bytes_new(setting.bytes, setting.length);
        point(entry);
        g_ptr_array_add(settings->entries, entry);
    }
    return settings;
}

static struct entry *find(const struct settings *settings, const char *key)
{
    for (guint i = 0; i < settings->entries->len; i++) {
        struct entry *entry = g_ptr_array_index(settings->entries, i);
        if (strcmp(entry->key, key) == 0)
            return entry;
    }
    return NULL;
}

static bool same_value(const struct wry_setting *a, const struct wry_setting *b)
{
    return a->type == b->type && a->boolean == b->boolean && a->integer == b->integer &&
           a->real == b->real && a->length == b->length &&
           (a->length == 0 || memcmp(a->bytes, b->bytes, a->length) == 0);
}

static struct entry *find_like(const struct settings *settings, const struct wry_setting *setting)
{
    g_autofree char *key = g_strndup(setting->key, setting->key_length);

    return find(settings, key);
}

bool settings_has(const struct settings *settings, const struct wry_setting *setting)
{
    return find_like(settings, setting) != NULL;
}

bool settings_holds(const struct settings *settings, const struct wry_setting *setting)
{
    const struct entry *entry = find_like(settings, setting);

    return entry && same_value(&entry->setting, setting);
}

/* A key that is only truncated counts as near. */
static unsigned how_far(const char *key, const char *meant)
{
    size_t shorter = MIN(strlen(key), strlen(meant));
    bool begins = shorter >= 2 && g_ascii_strncasecmp(key, meant, shorter) == 0;

    return begins ? 1 : words_distance(key, meant);
}

const char *settings_nearest(const struct settings *settings, const char *key)
{
    const char *nearest = NULL;
    unsigned least = NEAREST_MOST + 1;

    for (guint i = 0; i < settings->entries->len; i++) {
        const struct entry *entry = g_ptr_array_index(settings->entries, i);
        unsigned distance = how_far(entry->key, key);
        if (distance < least) {
            least = distance;
            nearest = entry->key;
        }
    }
    return nearest;
}

static void fail_unknown(const struct settings *settings, const char *key, GError **error)
{
    const char *nearest = settings_nearest(settings, key);

    store_error(error, WRY_STORE_ERROR_NONE, "there is no setting '%s'%s%s%s", key,
                nearest ? "; did you mean '" : "", nearest ? nearest : "", nearest ? "'?" : "");
}

static void fail_type(const char *key, const struct entry *entry, const char *value, GError **error)
{
    bool zero = entry->setting.type == WRY_SETTING_INTEGER && value[0] == '0';

    store_error(error, WRY_STORE_ERROR_DAMAGED,
                "'%s' is %s %s here, and the new value is not one, or too long%s", key,
                entry->setting.type == WRY_SETTING_INTEGER ? "an" : "a",
                type_name(entry->setting.type), zero ? " (an integer has no leading zeros)" : "");
}

gboolean settings_set(struct settings *settings, const char *key, const char *value, bool is_new,
                      bool *changed, GError **error)
{
    struct entry *old = find(settings, key);
    struct entry *entry = g_new0(struct entry, 1);

    entry->key = g_strdup(key);
    entry->setting.type = old ? old->setting.type : type_of(value);
    entry->setting.secret = old && old->setting.secret;
    if (!wry_settings_key_is_fit(key, strlen(key))) {
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "'%s' is not a key: a letter, then up to %u letters, digits, '-' and '_'", key,
                    WRY_SETTINGS_KEY_MAX - 1);
    } else if (!old && !is_new) {
        fail_unknown(settings, key, error);
    } else if (!take_text(entry, value)) {
        fail_type(key, entry, value, error);
    } else {
        guint at = settings->entries->len;
        point(entry);
        *changed = !old || !same_value(&old->setting, &entry->setting);
        if (old && g_ptr_array_find(settings->entries, old, &at))
            g_ptr_array_remove_index(settings->entries, at);
        g_ptr_array_insert(settings->entries, (gint)at, entry);
        return TRUE;
    }
    free_entry(entry);
    return FALSE;
}

bool settings_is_secret(const struct settings *settings, const char *key)
{
    const struct entry *entry = find(settings, key);

    return entry && entry->setting.secret;
}

size_t settings_make(const struct settings *settings, uint32_t generation, uint8_t *bytes,
                     size_t room)
{
    struct wry_settings_writer writer;

    wry_settings_begin(&writer, bytes, room);
    for (guint i = 0; i < settings->entries->len; i++)
        wry_settings_add(&writer, settings_at(settings, i));
    return wry_settings_end(&writer, generation);
}

guint settings_count(const struct settings *settings)
{
    return settings->entries->len;
}

const struct wry_setting *settings_at(const struct settings *settings, guint i)
{
    return &((const struct entry *)g_ptr_array_index(settings->entries, i))->setting;
}

static char *bytes_text(const struct wry_setting *setting)
{
    GString *text = g_string_new(NULL);

    for (uint16_t i = 0; i < setting->length; i++)
        g_string_append_printf(text, "%s%02X", i > 0 ? " " : "", setting->bytes[i]);
    return g_string_free(text, FALSE);
}

char *settings_text(const struct wry_setting *setting)
{
    char number[G_ASCII_DTOSTR_BUF_SIZE];

    if (setting->secret)
        return g_strdup("********");
    switch (setting->type) {
    case WRY_SETTING_INTEGER:
        return g_strdup_printf("%" G_GINT64_FORMAT, setting->integer);
    case WRY_SETTING_REAL:
        return g_strdup(g_ascii_formatd(number, sizeof number, "%.10g", setting->real));
    case WRY_SETTING_BOOLEAN:
        return g_strdup(setting->boolean ? "true" : "false");
    case WRY_SETTING_BYTES:
        return bytes_text(setting);
    default:
        return setting->length > 0 ? g_strndup((const char *)setting->bytes, setting->length)
                                   : g_strdup("");
    }
}
