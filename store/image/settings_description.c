/* Settings descriptions: reading them, and checking settings by them. */
#include "store/image/settings_description.h"

#include <string.h>

#include "base/words_distance.h"
#include "base/yaml_members.h"
#include "store/file/error.h"
#include "store/image/settings_entry.h"

enum {
    NEAREST_MOST = 2, /* most letters by which a misspelled key may differ */
};

struct settings_description {
    GPtrArray *rules; /* struct settings_rule, in the order of the file */
    bool others;      /* keys without a rule are allowed */
};

static void free_rule(void *item)
{
    struct settings_rule *rule = item;

    g_free(rule->key);
    g_strfreev(rule->one_of);
    g_free(rule->unit);
    g_free(rule->help);
    g_free(rule);
}

void settings_description_free(struct settings_description *description)
{
    if (!description)
        return;
    g_ptr_array_unref(description->rules);
    g_free(description);
}

/* A rule being read: its limits are numbers of its type, which may come after them. */
struct rule_reader {
    struct settings_rule *rule;
    const yaml_node_t *least, *most;
};

static gboolean take_type(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct settings_rule *rule = ((struct rule_reader *)field->target)->rule;
    const char *text = yaml_text_of(field->value);

    rule->type = settings_type_by_name(text);
    return rule->type != 0 ||
           yaml_field_complain(yaml, field,
                               "'%s' is not a type: text, integer, real, boolean or bytes", text);
}

static gboolean take_limit(struct yaml_text *yaml, const struct yaml_field *field)
{
    (void)yaml;
    *(const yaml_node_t **)(void *)((char *)field->target + field->member->at) = field->value;
    return TRUE;
}

static gboolean take_secret(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct yaml_field inner = *field;

    inner.target = ((struct rule_reader *)field->target)->rule;
    return yaml_take_bool(yaml, &inner);
}

static gboolean take_line(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct yaml_field inner = *field;

    inner.target = ((struct rule_reader *)field->target)->rule;
    return yaml_take_line(yaml, &inner);
}

static gboolean take_length(struct yaml_text *yaml, const struct yaml_field *field)
{
    static const struct yaml_range lengths = {0, WRY_SETTINGS_VALUE_MAX, sizeof(uint32_t)};
    const struct yaml_member member = {field->member->name, yaml_take_number, field->member->at,
                                       &lengths};
    struct yaml_field inner = *field;

    inner.member = &member;
    inner.target = ((struct rule_reader *)field->target)->rule;
    return yaml_take_number(yaml, &inner);
}

static gboolean take_word(struct yaml_text *yaml, const yaml_node_t *item, void *context)
{
    if (item->type != YAML_SCALAR_NODE)
        return yaml_text_complain(yaml, yaml_text_place(item), "'one-of' is a list of texts");
    g_ptr_array_add(context, g_strdup(yaml_text_of(item)));
    return TRUE;
}

static gboolean take_one_of(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct settings_rule *rule = ((struct rule_reader *)field->target)->rule;
    GPtrArray *words = g_ptr_array_new();

    if (field->value->type != YAML_SEQUENCE_NODE)
        yaml_field_complain(yaml, field, "'one-of' is a list of texts, such as [A, B, C]");
    else if (yaml_text_items(yaml, field->value, take_word, words) && words->len == 0)
        yaml_field_complain(yaml, field, "'one-of' is empty, so no value would be allowed");
    bool taken = words->len > 0;
    g_ptr_array_add(words, NULL);
    g_strfreev(rule->one_of);
    rule->one_of = (char **)g_ptr_array_free(words, FALSE);
    return taken;
}

static const struct yaml_member rule_rows[] = {
    {"type", take_type, 0, NULL},
    {"least", take_limit, offsetof(struct rule_reader, least), NULL},
    {"most", take_limit, offsetof(struct rule_reader, most), NULL},
    {"shortest", take_length, offsetof(struct settings_rule, shortest), NULL},
    {"longest", take_length, offsetof(struct settings_rule, longest), NULL},
    {"one-of", take_one_of, 0, NULL},
    {"secret", take_secret, offsetof(struct settings_rule, secret), NULL},
    {"unit", take_line, offsetof(struct settings_rule, unit), NULL},
    {"help", take_line, offsetof(struct settings_rule, help), NULL},
};
static const struct yaml_members rule_members = {"a key", rule_rows, G_N_ELEMENTS(rule_rows), NULL};

/* Reads a limit as a number of the rule's type. */
static gboolean settle_limit(struct yaml_text *yaml, const struct settings_rule *rule,
                             const yaml_node_t *node, int64_t *integer, double *real)
{
    struct entry entry = {.setting = {.type = rule->type}};
    bool number = rule->type == WRY_SETTING_INTEGER || rule->type == WRY_SETTING_REAL;

    if (!number)
        return yaml_text_complain(yaml, yaml_text_place(node),
                                  "'%s' is no number: use shortest and longest, or one-of",
                                  rule->key);
    if (!settings_entry_take(&entry, yaml_text_of(node)))
        return yaml_text_complain(yaml, yaml_text_place(node), "'%s' is not of type %s",
                                  yaml_text_of(node), settings_type_name(rule->type));
    *integer = entry.setting.integer;
    *real = entry.setting.real;
    return TRUE;
}

static gboolean settle(struct yaml_text *yaml, const struct rule_reader *reader,
                       struct yaml_place at)
{
    struct settings_rule *rule = reader->rule;
    bool sized = rule->type == WRY_SETTING_TEXT || rule->type == WRY_SETTING_BYTES;

    if (rule->type == 0)
        return yaml_text_complain(yaml, at, "'%s' needs a type", rule->key);
    rule->has_least = reader->least != NULL;
    rule->has_most = reader->most != NULL;
    if (reader->least && !settle_limit(yaml, rule, reader->least, &rule->least, &rule->least_real))
        return FALSE;
    if (reader->most && !settle_limit(yaml, rule, reader->most, &rule->most, &rule->most_real))
        return FALSE;
    if (rule->has_least && rule->has_most &&
        (rule->least > rule->most || rule->least_real > rule->most_real))
        return yaml_text_complain(yaml, at, "'%s': least is more than most", rule->key);
    if (!sized && (rule->shortest > 0 || rule->longest > 0))
        return yaml_text_complain(yaml, at,
                                  "'%s' is of type %s: only texts and bytes have a length",
                                  rule->key, settings_type_name(rule->type));
    if (rule->longest > 0 && rule->shortest > rule->longest)
        return yaml_text_complain(yaml, at, "'%s': shortest is more than longest", rule->key);
    if (rule->one_of && rule->type != WRY_SETTING_TEXT)
        return yaml_text_complain(yaml, at, "'%s' is of type %s: only texts have one-of", rule->key,
                                  settings_type_name(rule->type));
    return TRUE;
}

static gboolean take_rule(struct yaml_text *yaml, const yaml_node_t *key, const yaml_node_t *value,
                          void *context)
{
    struct settings_description *description = context;
    const char *name = yaml_text_of(key);
    struct rule_reader reader = {.rule = g_new0(struct settings_rule, 1)};

    reader.rule->key = g_strdup(name);
    g_ptr_array_add(description->rules, reader.rule);
    if (!wry_settings_key_is_fit(name, strlen(name)))
        return yaml_text_complain(
            yaml, yaml_text_place(key),
            "'%s' is not a key: a letter, then up to %u letters, digits, '-' and '_'", name,
            WRY_SETTINGS_KEY_MAX - 1);
    if (value->type != YAML_MAPPING_NODE)
        return yaml_text_complain(yaml, yaml_text_place(value),
                                  "'%s': a key is described as {type: …}", name);
    return yaml_members_read(yaml, value, &rule_members, &reader) &&
           settle(yaml, &reader, yaml_text_place(value));
}

static gboolean take_rules(struct yaml_text *yaml, const struct yaml_field *field)
{
    return field->value->type == YAML_MAPPING_NODE
               ? yaml_text_each(yaml, field->value, take_rule, field->target)
               : yaml_field_complain(yaml, field,
                                     "'settings-description' has lines of KEY: {type: …}");
}

static gboolean take_others(struct yaml_text *yaml, const struct yaml_field *field)
{
    struct settings_description *description = field->target;
    const char *text = yaml_text_of(field->value);

    description->others = strcmp(text, "allowed") == 0;
    return description->others || strcmp(text, "refused") == 0 ||
           yaml_field_complain(yaml, field, "'others' is allowed or refused, not '%s'", text);
}

static const struct yaml_member root_rows[] = {
    {"settings-description", take_rules, 0, NULL},
    {"others", take_others, 0, NULL},
};
static const struct yaml_members root_members = {"a settings description", root_rows,
                                                 G_N_ELEMENTS(root_rows), NULL};

static gboolean read_root(struct yaml_text *yaml, const yaml_node_t *root, void *context)
{
    struct settings_description *description = context;

    if (!yaml_members_read(yaml, root, &root_members, description))
        return FALSE;
    return description->rules->len > 0 ||
           yaml_text_complain(yaml, YAML_TEXT_START, "no key is described");
}

struct settings_description *settings_description_load(const char *path, GError **error)
{
    struct settings_description *description = g_new0(struct settings_description, 1);

    description->rules = g_ptr_array_new_with_free_func(free_rule);
    if (yaml_text_load(path, "a settings description", read_root, description, error))
        return description;
    settings_description_free(description);
    return NULL;
}

bool settings_description_is_one(const char *path)
{
    return yaml_text_has_key(path, "settings-description");
}

guint settings_description_count(const struct settings_description *description)
{
    return description ? description->rules->len : 0;
}

const struct settings_rule *settings_description_at(const struct settings_description *description,
                                                    guint i)
{
    return g_ptr_array_index(description->rules, i);
}

const struct settings_rule *
settings_description_find(const struct settings_description *description, const char *key)
{
    for (guint i = 0; i < settings_description_count(description); i++) {
        const struct settings_rule *rule = settings_description_at(description, i);
        if (strcmp(rule->key, key) == 0)
            return rule;
    }
    return NULL;
}

gboolean settings_description_knows(const struct settings_description *description, const char *key,
                                    GError **error)
{
    const char *nearest = NULL;
    unsigned least = NEAREST_MOST + 1;

    if (!description || description->others || settings_description_find(description, key))
        return TRUE;
    for (guint i = 0; i < description->rules->len; i++) {
        const struct settings_rule *rule = settings_description_at(description, i);
        unsigned distance = words_distance(rule->key, key);
        if (distance < least) {
            least = distance;
            nearest = rule->key;
        }
    }
    return store_error(error, WRY_STORE_ERROR_DAMAGED,
                       nearest ? "the settings description has no key '%s'; did you mean '%s'?"
                               : "the settings description has no key '%s': add it there if the "
                                 "firmware knows it",
                       key, nearest);
}

/* "from -5000 to 5000 mm" */
static char *range_text(const struct settings_rule *rule)
{
    bool real = rule->type == WRY_SETTING_REAL;
    GString *text = g_string_new(NULL);
    char number[G_ASCII_DTOSTR_BUF_SIZE];

    if (rule->has_least)
        g_string_append_printf(
            text, "%s%s", rule->has_most ? "from " : "at least ",
            real ? g_ascii_formatd(number, sizeof number, "%.10g", rule->least_real) : "");
    if (rule->has_least && !real)
        g_string_append_printf(text, "%" G_GINT64_FORMAT, rule->least);
    if (rule->has_most)
        g_string_append_printf(
            text, "%s%s", rule->has_least ? " to " : "at most ",
            real ? g_ascii_formatd(number, sizeof number, "%.10g", rule->most_real) : "");
    if (rule->has_most && !real)
        g_string_append_printf(text, "%" G_GINT64_FORMAT, rule->most);
    if (rule->unit)
        g_string_append_printf(text, " %s", rule->unit);
    return g_string_free(text, FALSE);
}

/* "8 to 63 bytes" */
static char *length_text(const struct settings_rule *rule)
{
    if (rule->longest == 0)
        return g_strdup_printf("at least %u bytes long", rule->shortest);
    if (rule->shortest == 0)
        return g_strdup_printf("at most %u bytes long", rule->longest);
    return g_strdup_printf("%u to %u bytes long", rule->shortest, rule->longest);
}

static bool in_range(const struct settings_rule *rule, const struct wry_setting *setting)
{
    if (rule->type == WRY_SETTING_REAL)
        return (!rule->has_least || setting->real >= rule->least_real) &&
               (!rule->has_most || setting->real <= rule->most_real);
    return (!rule->has_least || setting->integer >= rule->least) &&
           (!rule->has_most || setting->integer <= rule->most);
}

static bool length_fits(const struct settings_rule *rule, const struct wry_setting *setting)
{
    return setting->length >= rule->shortest &&
           (rule->longest == 0 || setting->length <= rule->longest);
}

static bool is_one_of(const struct settings_rule *rule, const struct entry *entry)
{
    g_autofree char *text = g_strndup((const char *)entry->setting.bytes, entry->setting.length);

    return !rule->one_of || g_strv_contains((const char *const *)rule->one_of, text);
}

/* What is wrong with a value; NULL: nothing. Free with g_free. */
static char *judge(const struct settings_rule *rule, const struct entry *entry)
{
    const struct wry_setting *setting = &entry->setting;
    bool sized = rule->type == WRY_SETTING_TEXT || rule->type == WRY_SETTING_BYTES;

    if (setting->type != rule->type)
        return g_strdup_printf("is described as %s, and this is %s", settings_type_name(rule->type),
                               settings_type_name(setting->type));
    if (!sized && !in_range(rule, setting)) {
        g_autofree char *range = range_text(rule);
        return g_strdup_printf("must be %s", range);
    }
    if (sized && !length_fits(rule, setting)) {
        g_autofree char *length = length_text(rule);
        return g_strdup_printf("must be %s", length);
    }
    if (rule->type == WRY_SETTING_TEXT && !is_one_of(rule, entry)) {
        g_autofree char *words = g_strjoinv(", ", rule->one_of);
        return g_strdup_printf("must be one of %s", words);
    }
    return NULL;
}

static gboolean check_entry(const struct settings_description *description, struct entry *entry,
                            GError **error)
{
    const struct settings_rule *rule = settings_description_find(description, entry->key);

    if (!rule)
        return settings_description_knows(description, entry->key, error);
    entry->setting.secret |= rule->secret;
    if (rule->type == WRY_SETTING_REAL && entry->setting.type == WRY_SETTING_INTEGER) {
        entry->setting.type = WRY_SETTING_REAL;
        entry->setting.real = (double)entry->setting.integer;
        entry->setting.integer = 0;
    }
    g_autofree char *wrong = judge(rule, entry);
    if (!wrong)
        return TRUE;
    g_autofree char *line = entry->line > 0 ? g_strdup_printf(" (line %u)", entry->line) : NULL;
    return store_error(error, WRY_STORE_ERROR_DAMAGED, "'%s'%s %s", entry->key, line ? line : "",
                       wrong);
}

gboolean settings_description_check(const struct settings_description *description,
                                    struct settings *settings, const char *const *keys,
                                    GError **error)
{
    gboolean fits = TRUE;

    for (guint i = 0; description && i < settings->entries->len && fits; i++) {
        struct entry *entry = g_ptr_array_index(settings->entries, i);
        if (!keys || g_strv_contains(keys, entry->key))
            fits = check_entry(description, entry, error);
    }
    return fits;
}
