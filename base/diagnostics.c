/* Lists of mistakes. */
#include "diagnostics.h"

static void free_mistake(void *item)
{
    struct wry_diagnostic *mistake = item;

    g_free(mistake->file);
    g_free(mistake->text);
    g_free(mistake);
}

GPtrArray *diagnostics_new(void)
{
    return g_ptr_array_new_with_free_func(free_mistake);
}

void diagnostics_add(GPtrArray *mistakes, const char *file, unsigned line, unsigned column,
                     char *text)
{
    struct wry_diagnostic *mistake = g_new0(struct wry_diagnostic, 1);

    mistake->file = g_strdup(file);
    mistake->line = line;
    mistake->column = column;
    mistake->text = text;
    g_ptr_array_add(mistakes, mistake);
}
