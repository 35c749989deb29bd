/* The columns of a run, in the same order for all databases. */
#pragma once

#include "wrytograph-host/ledger.h"

enum {
    LEDGER_COLUMNS = 33,
};

extern const struct wry_ledger_column ledger_columns[LEDGER_COLUMNS];

/* The member for a text column. */
char **ledger_text(struct wry_ledger_run *run, const struct wry_ledger_column *column);

/* Sets the member of a column from its text, which may be NULL. */
void ledger_take_value(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                       const char *text);

/* The same without copying: the text must outlive the run. */
void ledger_lend_value(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                       const char *text);

/* An array of struct wry_ledger_run; free with g_ptr_array_unref. */
GPtrArray *ledger_runs_new(void);
/* A wry_ledger_take that adds a copy to such an array. */
bool ledger_collect(void *context, const struct wry_ledger_run *run);

/* "id, kind, …" */
char *ledger_column_names(void);
/* Their names for SELECT; brief: as in the filter. stamp: SQL that formats a time, with %s for the
 * column; NULL: the column itself. */
char *ledger_read_names(bool brief, const char *stamp);

/* SQL for a filter: "WHERE began >= $1 AND …", and its values in the same order. mark: '?' or '$'.
 * Rows that lists do not show are excluded. */
struct ledger_where {
    GString *text;
    GPtrArray *values; /* char * */
    GString *order;    /* for ORDER BY: the latest first */
};
struct ledger_where ledger_where(const struct wry_ledger_filter *filter, char mark);

/* SQL for the different values of a field; forms: only those that contain one of so many texts, its
 * first values. */
char *ledger_values_query(enum wry_ledger_field field, unsigned forms, char mark, unsigned most);
/* The part as the field may have it, in one or two forms, of which the number is returned; 0 for
 * NULL. Free both with g_free. */
unsigned ledger_values_part(enum wry_ledger_field field, const char *part, char *forms[2]);

void ledger_where_clear(struct ledger_where *where);
