/* A result as a list of facts. */
#include "facts.h"

#include "json.h"

void facts_line(const struct facts *facts, const char *word, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    app_print_hanging(facts->app, (unsigned)facts->width + 1, "%-*s %s", facts->width, word, text);
}

void facts_add(const struct facts *facts, const char *word, const char *member, const char *text)
{
    if (text && word)
        facts_line(facts, word, "%s", text);
    if (text && member)
        json_add(facts->app->json, json_text(member, text));
}
