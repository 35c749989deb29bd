/* The columns of a run, in one order for all databases. */
#ifndef WRY_STORE_LEDGER_COLUMNS_H
#define WRY_STORE_LEDGER_COLUMNS_H

#include "wrytograph-host/ledger.h"

enum {
    LEDGER_COLUMNS = 27,
};

extern const struct wry_ledger_column ledger_columns[LEDGER_COLUMNS];

/* Of a text column. */
char **ledger_text(struct wry_ledger_run *run, const struct wry_ledger_column *column);

/* From such a text, or NULL. */
void ledger_take_value(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                       const char *text);

/* The same without a copy: the text is still its owner's. */
void ledger_lend_value(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                       const char *text);

/* struct wry_ledger_run; free with g_ptr_array_unref. */
GPtrArray *ledger_runs_new(void);
/* A wry_ledger_take that adds a copy to such an array. */
bool ledger_collect(void *context, const struct wry_ledger_run *run);

/* "id, kind, …" */
char *ledger_column_names(void);
/* To read them; brief: as in the filter. stamp: how the database writes a time, with %s for the
 * column; NULL: as it is. */
char *ledger_read_names(bool brief, const char *stamp);

/* Conditions of a filter: "WHERE began >= $1 AND …", values in the same order. mark: '?' or '$';
 * rows that are shown in no list are left out. */
struct ledger_where {
    GString *text;
    GPtrArray *values; /* char * */
};
struct ledger_where ledger_where(const struct wry_ledger_filter *filter, char mark);
void ledger_where_clear(struct ledger_where *where);

#endif
