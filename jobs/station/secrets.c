/* Masking of secret settings. */
#include "jobs/station/secrets.h"

#include <string.h>

#include "store/image/settings_file.h"

enum {
    MASK_LENGTH = 8, /* independent of the secret's length, which is secret too */
};

static gint longest_first(gconstpointer a, gconstpointer b)
{
    size_t x = strlen(*(const char *const *)a), y = strlen(*(const char *const *)b);

    return x < y ? 1 : x > y ? -1 : 0;
}

void secrets_add(GPtrArray **secrets, const char *text)
{
    if (text[0] == '\0')
        return;
    if (!*secrets)
        *secrets = g_ptr_array_new_with_free_func(g_free);
    if (g_ptr_array_find_with_equal_func(*secrets, text, g_str_equal, NULL))
        return;
    g_ptr_array_add(*secrets, g_strdup(text));
    g_ptr_array_sort(*secrets, longest_first);
}

void secrets_learn(GPtrArray **secrets, const struct settings *settings)
{
    for (guint i = 0; settings && i < settings_count(settings); i++) {
        struct wry_setting open = *settings_at(settings, i);
        if (!open.secret)
            continue;
        open.secret = false;
        g_autofree char *text = settings_text(&open);
        secrets_add(secrets, text);
    }
}

static bool is_used(const GPtrArray *secrets, char c)
{
    for (guint i = 0; i < secrets->len; i++) {
        if (strchr(g_ptr_array_index(secrets, i), c))
            return true;
    }
    return false;
}

/* Appends a mask of stars, or of the first printable character that is in no secret. */
static void append_mask(const GPtrArray *secrets, GString *to)
{
    char c = '*';

    for (char next = '!'; is_used(secrets, c) && next <= '~'; next++)
        c = next;
    for (unsigned i = 0; i < MASK_LENGTH && !is_used(secrets, c); i++)
        g_string_append_c(to, c);
}

enum match {
    MATCH_NONE,
    MATCH_BEGUN, /* matches up to the end of the bytes */
    MATCH_WHOLE,
};

static enum match match(const char *secret, const char *text, size_t n, size_t *used)
{
    size_t i = 0, k = 0;

    while (secret[i] != '\0' && k < n) {
        if (text[k] == secret[i])
            i++;
        else if (i == 0 || (text[k] != '\r' && text[k] != '\n'))
            return MATCH_NONE;
        k++;
    }
    *used = k;
    return secret[i] == '\0' ? MATCH_WHOLE : MATCH_BEGUN;
}

/* Finds the longest secret at this position; MATCH_BEGUN if more bytes could make it longer.
 * *broken: the board inserted line ends. */
static enum match longest_match(const GPtrArray *secrets, const char *text, size_t n, bool ends,
                                size_t *used, bool *broken)
{
    for (guint i = 0; i < secrets->len; i++) {
        const char *secret = g_ptr_array_index(secrets, i);
        enum match found = match(secret, text, n, used);
        *broken = *used > strlen(secret);
        if (found == MATCH_WHOLE || (found == MATCH_BEGUN && !ends))
            return found;
    }
    return MATCH_NONE;
}

void secrets_put(const GPtrArray *secrets, GString *held, const void *bytes, size_t n, bool ends,
                 GString *to)
{
    size_t at = 0, used = 0;
    bool broken = false;

    g_string_append_len(held, bytes, (gssize)n);
    while (secrets && at < held->len) {
        enum match found =
            longest_match(secrets, held->str + at, held->len - at, ends, &used, &broken);
        if (found == MATCH_BEGUN)
            break;
        if (found == MATCH_NONE) {
            g_string_append_c(to, held->str[at++]);
            continue;
        }
        append_mask(secrets, to);
        if (broken)
            g_string_append_c(to, '\n');
        at += used;
    }
    if (!secrets) {
        g_string_append_len(to, held->str, (gssize)held->len);
        at = held->len;
    }
    g_string_erase(held, 0, (gssize)at);
}

char *secrets_apply(const GPtrArray *secrets, const char *text)
{
    GString *masked = g_string_new(NULL);
    g_autoptr(GString) held = g_string_new(NULL);

    secrets_put(secrets, held, text, strlen(text), true, masked);
    return g_string_free(masked, FALSE);
}

static size_t skip_end_of_secret(const GPtrArray *secrets, const char *text, size_t n)
{
    size_t most = 0;

    for (guint i = 0; i < secrets->len; i++) {
        const char *secret = g_ptr_array_index(secrets, i);
        size_t used;
        for (const char *end = secret + 1; *secret && *end; end++) {
            if (match(end, text, n, &used) == MATCH_WHOLE)
                most = MAX(most, used);
        }
    }
    return most;
}

GString *secrets_apply_to_bytes(const GPtrArray *secrets, const void *bytes, size_t n, bool is_cut)
{
    size_t skipped = secrets && is_cut ? skip_end_of_secret(secrets, bytes, n) : 0;
    g_autoptr(GString) held = g_string_new(NULL);
    GString *masked = g_string_new(NULL);

    secrets_put(secrets, held, (const char *)bytes + skipped, n - skipped, true, masked);
    return masked;
}
