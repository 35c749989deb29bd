/* A list of what is wrong in files, in the order found. */
#ifndef WRY_BASE_DIAGNOSTICS_H
#define WRY_BASE_DIAGNOSTICS_H

#include "wrytograph-host/diagnostic.h"

/* Of struct wry_diagnostic; free with g_ptr_array_unref. */
GPtrArray *diagnostics_new(void);

/* Takes over text. */
void diagnostics_add(GPtrArray *mistakes, const char *file, unsigned line, unsigned column,
                     char *text);

#endif
