/* Lists of mistakes in files, in the order found. */
#pragma once

#include "wrytograph-host/diagnostic.h"

/* A list of struct wry_diagnostic; free with g_ptr_array_unref. */
GPtrArray *diagnostics_new(void);

/* Adds a mistake; text (from g_malloc) is freed with it. */
void diagnostics_add(GPtrArray *mistakes, const char *file, unsigned line, unsigned column,
                     char *text);
