/* Lines that were typed. */
#include "typed.h"

#include <stdint.h>
#include <string.h>

enum {
    TYPED_MOST = 512, /* bytes of a line that are remembered */
    LINES_MOST = 200,
    DELETE = 0x7F,
};

struct typed {
    GString *line;
    GPtrArray *lines; /* the latest last */
    guint at;         /* index of the line that was had again; lines->len: none */
};

struct typed *typed_new(void)
{
    struct typed *typed = g_new0(struct typed, 1);

    typed->line = g_string_new(NULL);
    typed->lines = g_ptr_array_new_with_free_func(g_free);
    return typed;
}

void typed_free(struct typed *typed)
{
    g_string_free(typed->line, TRUE);
    g_ptr_array_unref(typed->lines);
    g_free(typed);
}

static bool follows_in_character(char byte)
{
    return ((uint8_t)byte & 0xC0) == 0x80;
}

static void take_back(GString *line)
{
    bool followed = true;

    while (line->len > 0 && followed) {
        followed = follows_in_character(line->str[line->len - 1]);
        g_string_truncate(line, line->len - 1);
    }
}

void typed_key(struct typed *typed, char key)
{
    if (key == DELETE || key == '\b')
        take_back(typed->line);
    else if ((uint8_t)key >= 0x20 && typed->line->len < TYPED_MOST)
        g_string_append_c(typed->line, key);
}

const char *typed_line(const struct typed *typed)
{
    return typed->line->str;
}

void typed_end(struct typed *typed)
{
    GPtrArray *lines = typed->lines;
    const char *last = lines->len > 0 ? g_ptr_array_index(lines, lines->len - 1) : "";

    if (typed->line->len > 0 && strcmp(last, typed->line->str) != 0)
        g_ptr_array_add(lines, g_strdup(typed->line->str));
    if (lines->len > LINES_MOST)
        g_ptr_array_remove_index(lines, 0);
    typed->at = lines->len;
    g_string_truncate(typed->line, 0);
}

void typed_recall(struct typed *typed, bool back, GString *keys)
{
    guint count = typed->lines->len;

    if (back ? typed->at == 0 : typed->at == count)
        return;
    typed->at = back ? typed->at - 1 : typed->at + 1;
    const char *line = typed->at < count ? g_ptr_array_index(typed->lines, typed->at) : "";
    while (typed->line->len > 0) {
        g_string_append_c(keys, DELETE);
        take_back(typed->line);
    }
    g_string_assign(typed->line, line);
    g_string_append(keys, line);
}
