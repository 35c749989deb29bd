/* Settings in memory. */
#include "store/image/settings.h"

#include <errno.h>
#include <math.h>
#include <string.h>

#include "base/words_distance.h"
#include "store/file/error.h"
#include "store/image/settings_entry.h"

enum {
    NEAREST_MOST = 2, /* most letters by which a misspelled key may differ */
};

static const struct {
    const char *name;
    uint8_t type;
} types[] = {
    {"text", WRY_SETTING_TEXT},       {"integer", WRY_SETTING_INTEGER}, {"real", WRY_SETTING_REAL},
    {"boolean", WRY_SETTING_BOOLEAN}, {"bytes", WRY_SETTING_BYTES},
};

const char *settings_type_name(uint8_t type)
{
    for (size_t i = 0; i < G_N_ELEMENTS(types); i++) {
        if (types[i].type == type)
            return types[i].name;
    }
    return "unknown";
}

uint8_t settings_type_by_name(const char *name)
{
    for (size_t i = 0; i < G_N_ELEMENTS(types); i++) {
        if (strcmp(types[i].name, name) == 0)
            return types[i].type;
    }
    return 0;
}

struct entry *settings_entry_new(const char *key)
{
    struct entry *entry = g_new0(struct entry, 1);

    entry->key = g_strdup(key);
    return entry;
}

void settings_entry_free(struct entry *entry)
{
    g_free(entry->key);
    g_clear_pointer(&entry->value, g_bytes_unref);
    g_free(entry);
}

struct settings *settings_new(void)
{
    struct settings *settings = g_new0(struct settings, 1);

    settings->entries = g_ptr_array_new_with_free_func((GDestroyNotify)settings_entry_free);
    return settings;
}

void settings_free(struct settings *settings)
{
    if (!settings)
        return;
    g_ptr_array_unref(settings->entries);
    g_free(settings);
}

void settings_entry_point(struct entry *entry)
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

uint8_t settings_type_of(const char *text)
{
    int64_t integer;
    double real;

    if (strcmp(text, "true") == 0 || strcmp(text, "false") == 0)
        return WRY_SETTING_BOOLEAN;
    if (parse_integer(text, &integer))
        return WRY_SETTING_INTEGER;
    return parse_real(text, &real) ? WRY_SETTING_REAL : WRY_SETTING_TEXT;
}

bool settings_entry_take(struct entry *entry, const char *text)
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

struct settings *settings_from_block(const uint8_t *bytes, const struct wry_settings_head *head)
{
    struct settings *settings = settings_new();
    struct wry_setting setting;
    size_t at = WRY_SETTINGS_HEAD_SIZE;

    while (wry_settings_next(bytes, head, &at, &setting)) {
        g_autofree char *key = g_strndup(setting.key, setting.key_length);
        struct entry *entry = settings_entry_new(key);
        entry->setting = setting;
        if (setting.type == WRY_SETTING_TEXT || setting.type == WRY_SETTING_BYTES)
            entry->value = g_bytes_new(setting.bytes, setting.length);
        settings_entry_point(entry);
        g_ptr_array_add(settings->entries, entry);
    }
    return settings;
}

struct entry *settings_find(const struct settings *settings, const char *key)
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

    return settings_find(settings, key);
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
                settings_type_name(entry->setting.type),
                zero ? " (an integer has no leading zeros)" : "");
}

/* Puts the entry in the place of the old one, or at the end. */
static void put(struct settings *settings, struct entry *entry)
{
    struct entry *old = settings_find(settings, entry->key);
    guint at = settings->entries->len;

    settings_entry_point(entry);
    if (old && g_ptr_array_find(settings->entries, old, &at))
        g_ptr_array_remove_index(settings->entries, at);
    g_ptr_array_insert(settings->entries, (gint)at, entry);
}

gboolean settings_set(struct settings *settings, const struct settings_change *change,
                      GError **error)
{
    const char *key = change->key;
    const struct entry *old = settings_find(settings, key);
    struct entry *entry = settings_entry_new(key);

    entry->setting.type = change->type > 0 ? change->type
                          : old            ? old->setting.type
                                           : settings_type_of(change->value);
    entry->setting.secret = (old && old->setting.secret) || change->secret;
    if (!wry_settings_key_is_fit(key, strlen(key))) {
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "'%s' is not a key: a letter, then up to %u letters, digits, '-' and '_'", key,
                    WRY_SETTINGS_KEY_MAX - 1);
    } else if (!old && !change->is_new) {
        fail_unknown(settings, key, error);
    } else if (!settings_entry_take(entry, change->value)) {
        fail_type(key, entry, change->value, error);
    } else {
        put(settings, entry);
        return TRUE;
    }
    settings_entry_free(entry);
    return FALSE;
}

gboolean settings_unset(struct settings *settings, const char *key, GError **error)
{
    if (g_ptr_array_remove(settings->entries, settings_find(settings, key)))
        return TRUE;
    fail_unknown(settings, key, error);
    return FALSE;
}

static struct entry *copy_entry(const struct entry *entry)
{
    struct entry *copy = settings_entry_new(entry->key);

    copy->setting = entry->setting;
    copy->line = entry->line;
    copy->value = entry->value ? g_bytes_ref(entry->value) : NULL;
    settings_entry_point(copy);
    return copy;
}

void settings_merge(struct settings *settings, const struct settings *from, bool exactly)
{
    for (guint i = exactly ? settings->entries->len : 0; i > 0; i--) {
        if (!settings_has(from, settings_at(settings, i - 1)))
            g_ptr_array_remove_index(settings->entries, i - 1);
    }
    for (guint i = 0; i < from->entries->len; i++) {
        const struct entry *entry = g_ptr_array_index(from->entries, i);
        struct entry *copy = copy_entry(entry);
        copy->setting.secret |= settings_is_secret(settings, entry->key);
        put(settings, copy);
    }
}

struct settings *settings_copy(const struct settings *settings)
{
    struct settings *copy = settings_new();

    settings_merge(copy, settings, false);
    return copy;
}

bool settings_equal(const struct settings *a, const struct settings *b)
{
    bool equal = a->entries->len == b->entries->len;

    for (guint i = 0; i < a->entries->len && equal; i++) {
        const struct wry_setting *setting = settings_at(a, i);
        equal =
            settings_holds(b, setting) && find_like(b, setting)->setting.secret == setting->secret;
    }
    return equal;
}

bool settings_is_secret(const struct settings *settings, const char *key)
{
    const struct entry *entry = settings_find(settings, key);

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

const struct wry_setting *settings_get(const struct settings *settings, const char *key)
{
    const struct entry *entry = settings_find(settings, key);

    return entry ? &entry->setting : NULL;
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
