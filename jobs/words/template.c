/* Sentences with facts by name. */
#include "template.h"

#include <string.h>

static bool exists(template_fact *fact, const void *context, const char *name)
{
    g_autofree char *text = fact(context, name);

    return text != NULL;
}

const struct template_row *template_find(const struct template_row *rows, size_t n, int kind,
                                         template_fact *fact, const void *context)
{
    for (size_t i = 0; i < n; i++) {
        if (rows[i].kind == kind && (!rows[i].when || exists(fact, context, rows[i].when)))
            return &rows[i];
    }
    return NULL;
}

char *template_fill(const char *text, template_fact *fact, const void *context)
{
    if (!text)
        return NULL;
    GString *filled = g_string_new(NULL);
    for (const char *open; (open = strchr(text, '{')); text = strchr(open, '}') + 1) {
        g_autofree char *name = g_strndup(open + 1, strcspn(open + 1, "}"));
        g_autofree char *value = fact(context, name);
        g_string_append_len(filled, text, open - text);
        g_string_append(filled, value ? value : "");
    }
    g_string_append(filled, text);
    return g_string_free(filled, FALSE);
}
