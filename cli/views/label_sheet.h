/* Labels on A4 sheets, as SVG pages or as one PDF (by rsvg-convert of librsvg). */
#pragma once

#include <glib.h>
#include <stdbool.h>

struct label_grid {
    unsigned columns, rows;
    unsigned first; /* place of the first label on the first sheet, from 1 on, row by row */
    double margin;  /* mm around the grid */
};

/* labels: SVG documents with a viewBox. The pages as SVG texts; free with g_ptr_array_unref. NULL
 * with error if a label is not such a document. */
GPtrArray *label_sheet_pages(const GPtrArray *labels, const struct label_grid *grid,
                             GError **error);

/* The pages, or single labels, as a PDF; free with g_free. NULL with error, also if the program is
 * not installed. */
char *label_sheet_pdf(const GPtrArray *pages, gsize *n, GError **error);
