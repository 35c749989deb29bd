/* The columns of a run. */
#include "store/ledger/ledger_columns.h"

#include <math.h>
#include <stddef.h>
#include <string.h>

enum {
    UUID_LENGTH = 36, /* characters (RFC 9562, section 4) */
};

#define COLUMN(kind, member)                                                                       \
    {                                                                                              \
#member, kind, offsetof(struct wry_ledger_run, member)                                     \
    }

const struct wry_ledger_column ledger_columns[LEDGER_COLUMNS] = {
    COLUMN(WRY_LEDGER_TEXT, id),
    COLUMN(WRY_LEDGER_TEXT, kind),
    COLUMN(WRY_LEDGER_TIME, began),
    COLUMN(WRY_LEDGER_TIME, ended),
    COLUMN(WRY_LEDGER_TEXT, computer),
    COLUMN(WRY_LEDGER_TEXT, username),
    COLUMN(WRY_LEDGER_TEXT, program),
    COLUMN(WRY_LEDGER_TEXT, link),
    COLUMN(WRY_LEDGER_TEXT, board),
    COLUMN(WRY_LEDGER_TEXT, chip),
    COLUMN(WRY_LEDGER_NUMBER, flash),
    COLUMN(WRY_LEDGER_TEXT, card),
    COLUMN(WRY_LEDGER_TEXT, card_version),
    COLUMN(WRY_LEDGER_TEXT, card_sha256),
    COLUMN(WRY_LEDGER_TEXT, kit_sha256),
    COLUMN(WRY_LEDGER_TEXT, signer),
    COLUMN(WRY_LEDGER_TEXT, outcome),
    COLUMN(WRY_LEDGER_NUMBER, exit_code),
    COLUMN(WRY_LEDGER_TEXT, failed_at),
    COLUMN(WRY_LEDGER_TEXT, reason),
    COLUMN(WRY_LEDGER_REAL, seconds),
    COLUMN(WRY_LEDGER_NUMBER, bytes),
    COLUMN(WRY_LEDGER_JSON, steps),
    COLUMN(WRY_LEDGER_JSON, contents),
    COLUMN(WRY_LEDGER_TEXT, heard),
    COLUMN(WRY_LEDGER_TEXT, backup_file),
    COLUMN(WRY_LEDGER_TEXT, backup_sha256),
    COLUMN(WRY_LEDGER_TEXT, lot),
    COLUMN(WRY_LEDGER_NUMBER, lot_row),
    COLUMN(WRY_LEDGER_TEXT, name),
    {"operator", WRY_LEDGER_TEXT, offsetof(struct wry_ledger_run, operator_)},
    COLUMN(WRY_LEDGER_TEXT, firmware),
    COLUMN(WRY_LEDGER_TEXT, advice),
};

static void *member(const struct wry_ledger_run *run, const struct wry_ledger_column *column)
{
    return (char *)run + column->offset;
}

char **ledger_text(struct wry_ledger_run *run, const struct wry_ledger_column *column)
{
    return member(run, column);
}

static bool is_text(const struct wry_ledger_column *column)
{
    return column->type <= WRY_LEDGER_JSON;
}

void wry_ledger_run_free(struct wry_ledger_run *run)
{
    if (!run)
        return;
    for (size_t i = 0; i < LEDGER_COLUMNS; i++) {
        if (is_text(&ledger_columns[i]))
            g_free(*ledger_text(run, &ledger_columns[i]));
    }
    g_free(run);
}

char *wry_ledger_run_value(const struct wry_ledger_run *run, const struct wry_ledger_column *column)
{
    char real[G_ASCII_DTOSTR_BUF_SIZE];

    switch (column->type) {
    case WRY_LEDGER_NUMBER:
        /* Negative numbers mean: unknown. */
        if (*(int64_t *)member(run, column) < 0)
            return NULL;
        return g_strdup_printf("%" G_GINT64_FORMAT, *(int64_t *)member(run, column));
    case WRY_LEDGER_REAL:
        return g_strdup(g_ascii_formatd(real, sizeof real, "%.3f", *(double *)member(run, column)));
    default:
        return g_strdup(*(char **)member(run, column));
    }
}

/* Members that must not be NULL, even if the table was made by somebody else. */
static bool is_needed(const struct wry_ledger_column *column)
{
    return column->offset == offsetof(struct wry_ledger_run, id) ||
           column->offset == offsetof(struct wry_ledger_run, kind) ||
           column->offset == offsetof(struct wry_ledger_run, began) ||
           column->offset == offsetof(struct wry_ledger_run, outcome);
}

static void take_number(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                        const char *text)
{
    double real = text ? g_ascii_strtod(text, NULL) : 0;

    if (column->type == WRY_LEDGER_NUMBER)
        *(int64_t *)member(run, column) = text ? g_ascii_strtoll(text, NULL, 10) : -1;
    else
        *(double *)member(run, column) = isfinite(real) ? real : 0;
}

void ledger_lend_value(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                       const char *text)
{
    static char nothing[1];

    if (is_text(column))
        *ledger_text(run, column) = text || !is_needed(column) ? (char *)text : nothing;
    else
        take_number(run, column, text);
}

void ledger_take_value(struct wry_ledger_run *run, const struct wry_ledger_column *column,
                       const char *text)
{
    char *copy = NULL;

    if (!is_text(column)) {
        take_number(run, column, text);
        return;
    }
    if (text || is_needed(column))
        copy = g_utf8_make_valid(text ? text : "", -1);
    g_free(*ledger_text(run, column));
    *ledger_text(run, column) = copy;
}

const struct wry_ledger_column *wry_ledger_column_at(size_t n)
{
    return n < LEDGER_COLUMNS ? &ledger_columns[n] : NULL;
}

GPtrArray *ledger_runs_new(void)
{
    return g_ptr_array_new_with_free_func((GDestroyNotify)wry_ledger_run_free);
}

struct wry_ledger_run *wry_ledger_run_copy(const struct wry_ledger_run *run)
{
    struct wry_ledger_run *copy = g_new0(struct wry_ledger_run, 1);

    for (size_t i = 0; i < LEDGER_COLUMNS; i++) {
        g_autofree char *value = wry_ledger_run_value(run, &ledger_columns[i]);
        ledger_take_value(copy, &ledger_columns[i], value);
    }
    return copy;
}

bool ledger_collect(void *context, const struct wry_ledger_run *run)
{
    g_ptr_array_add(context, wry_ledger_run_copy(run));
    return true;
}

char *ledger_column_names(void)
{
    GString *names = g_string_new(NULL);

    for (size_t i = 0; i < LEDGER_COLUMNS; i++)
        g_string_append_printf(names, "%s%s", i > 0 ? ", " : "", ledger_columns[i].name);
    return g_string_free(names, FALSE);
}

static bool is_long(const struct wry_ledger_column *column)
{
    return column->offset == offsetof(struct wry_ledger_run, steps) ||
           column->offset == offsetof(struct wry_ledger_run, heard);
}

char *ledger_read_names(bool brief, const char *stamp)
{
    GString *names = g_string_new(NULL);

    for (size_t i = 0; i < LEDGER_COLUMNS; i++) {
        const struct wry_ledger_column *column = &ledger_columns[i];
        g_auto(GStrv) parts =
            g_strsplit(stamp && column->type == WRY_LEDGER_TIME ? stamp : "%s", "%s", 2);
        if (i > 0)
            g_string_append(names, ", ");
        if (brief && is_long(column))
            g_string_append(names, "NULL");
        else
            g_string_append_printf(names, "%s%s%s", parts[0], column->name, parts[1]);
    }
    return g_string_free(names, FALSE);
}

static void add(struct ledger_where *where, char mark, const char *condition, const char *value)
{
    if (!value)
        return;
    g_string_append(where->text, where->text->len == 0 ? " WHERE " : " AND ");
    g_ptr_array_add(where->values, g_strdup(value));
    g_string_append_printf(where->text, "%s %c%u", condition, mark, where->values->len);
}

static void add_text(struct ledger_where *where, const char *condition)
{
    g_string_append_printf(where->text, "%s%s", where->text->len == 0 ? " WHERE " : " AND ",
                           condition);
}

/* Few runs are of another outcome or kind than this: they have an index, which the database uses if
 * the condition says so. */
static void add_rare(struct ledger_where *where, char mark, const char *column, const char *value,
                     const char *usual)
{
    g_autofree char *condition = g_strdup_printf("%s =", column);

    add(where, mark, condition, value);
    if (value && strcmp(value, usual) != 0)
        g_string_append_printf(where->text, " AND %s != '%s'", column, usual);
}

/* The first or last UUID that begins so, or with digit '\0' the beginning alone; hyphens may be
 * missing. Free with g_free. */
static char *complete_id(const char *beginning, char digit)
{
    GString *id = g_string_new(NULL);

    for (;;) {
        while (*beginning == '-')
            beginning++;
        if (id->len == UUID_LENGTH || (*beginning == '\0' && digit == '\0'))
            break;
        if (id->len == 8 || id->len == 13 || id->len == 18 || id->len == 23)
            g_string_append_c(id, '-');
        g_string_append_c(id, *beginning ? *beginning++ : digit);
    }
    return g_string_free(id, FALSE);
}

/* As a range: an index does not help a pattern. A file may have ids that are no UUIDs. */
static void add_id(struct ledger_where *where, char mark, const char *beginning)
{
    bool server = mark == '$';

    if (!beginning)
        return;
    g_autofree char *first = complete_id(beginning, server ? '0' : '\0');
    g_autofree char *last = complete_id(beginning, 'f');
    add(where, mark, "id >=", first);
    g_string_append(where->text, server ? "::uuid" : "");
    add(where, mark, "id <=", last);
    g_string_append(where->text, server ? "::uuid" : "");
}

/* Runs that no later one of the same board replaces; the index of boards finds later ones. */
static void add_latest(struct ledger_where *where, enum wry_ledger_latest latest)
{
    static const char *const counts[] = {
        [WRY_LEDGER_LATEST_RUN] =
            "%skind NOT IN ('backup', 'label') AND %soutcome NOT IN ('refused', 'running')",
        [WRY_LEDGER_LATEST_FIRMWARE] = "%sfirmware IS NOT NULL AND %soutcome = 'passed'"};
    g_autoptr(GString) own = g_string_new(NULL), later = g_string_new(NULL);

    if (latest == WRY_LEDGER_EVERY_RUN)
        return;
    g_string_append(own, counts[latest]);
    g_string_replace(own, "%s", "", 0);
    g_string_append(later, counts[latest]);
    g_string_replace(later, "%s", "later.", 0);
    add_text(where, own->str);
    add_text(where, "board IS NOT NULL AND NOT EXISTS (SELECT 1 FROM run AS later WHERE "
                    "later.board = run.board AND later.began > run.began AND ");
    g_string_append_printf(where->text, "%s)", later->str);
}

/*
 * On the server, a value that many runs have, all of them old: for the latest runs the planner
 * prefers the index of times, and reads a million rows to find one. With a range in place of the
 * equal sign, and this order, only the index of values and times fits. The card is compared by the
 * server's own rules, in which its index is.
 */
static void add_by_index(struct ledger_where *where, const char *key, const char *form,
                         const char *value)
{
    g_autoptr(GString) order = g_string_new(NULL);

    if (!value)
        return;
    for (unsigned i = 0; i < 2; i++) {
        g_autoptr(GString) condition = g_string_new(NULL);
        g_autofree char *mark = NULL;
        g_ptr_array_add(where->values, g_strdup(value));
        mark = g_strdup_printf("$%u", where->values->len);
        g_string_printf(condition, "%s %s ", key, i == 0 ? ">=" : "<=");
        g_string_append(condition, form);
        g_string_replace(condition, "%s", mark, 1);
        add_text(where, condition->str);
    }
    g_string_printf(order, "%s DESC, ", key);
    g_string_prepend(where->order, order->str);
}

struct ledger_where ledger_where(const struct wry_ledger_filter *filter, char mark)
{
    struct ledger_where where = {g_string_new(NULL), g_ptr_array_new_with_free_func(g_free),
                                 g_string_new("began DESC")};
    bool server = mark == '$';

    add(&where, mark, "board =", filter->board);
    if (server)
        add_by_index(&where, "lower(card)", "lower(%s)", filter->card);
    else
        add(&where, mark, "card =", filter->card);
    add_rare(&where, mark, "outcome", filter->outcome, "passed");
    add_rare(&where, mark, "kind", filter->kind, "card");
    add(&where, mark, "lot =", filter->lot);
    if (server)
        add_by_index(&where, "firmware", "%s", filter->firmware);
    else
        add(&where, mark, "firmware =", filter->firmware);
    add(&where, mark, "began >=", filter->since);
    add(&where, mark, "began <", filter->until);
    add_id(&where, mark, filter->id);
    add_latest(&where, filter->latest);
    return where;
}

void ledger_where_clear(struct ledger_where *where)
{
    g_string_free(where->text, TRUE);
    g_string_free(where->order, TRUE);
    g_ptr_array_unref(where->values);
}

/* Boards are many: their index is read once, in order, and compared without patterns, which take
 * three times as long. The others are few: the index is entered once for each. */
char *ledger_values_query(enum wry_ledger_field field, unsigned forms, char mark, unsigned most)
{
    static const char *const names[] = {[WRY_LEDGER_BOARDS] = "board",
                                        [WRY_LEDGER_CARDS] = "card",
                                        [WRY_LEDGER_LOTS] = "lot",
                                        [WRY_LEDGER_FIRMWARES] = "firmware"};
    const char *name = names[field], *find = mark == '$' ? "strpos" : "instr";
    bool is_board = field == WRY_LEDGER_BOARDS;
    /* The server's index of cards is in lower case. */
    bool lower = field == WRY_LEDGER_CARDS && mark == '$';
    g_autofree char *key = lower ? g_strdup_printf("lower(%s)", name) : g_strdup(name);
    GString *text = g_string_new(NULL);

    if (is_board)
        g_string_append(text, "SELECT DISTINCT board FROM run WHERE board IS NOT NULL");
    else
        g_string_append_printf(
            text,
            "WITH RECURSIVE known(value) AS (SELECT min(%s) FROM run WHERE %s IS NOT NULL "
            "UNION ALL SELECT (SELECT min(%s) FROM run WHERE %s > known.value) FROM known "
            "WHERE known.value IS NOT NULL) SELECT value FROM known WHERE value IS NOT NULL",
            key, name, key, key);
    for (unsigned i = 0; i < forms; i++)
        g_string_append_printf(text, "%s%s(%s, %c%u) > 0%s", i == 0 ? " AND (" : " OR ", find,
                               is_board ? "board" : "lower(value)", mark, i + 1,
                               i + 1 == forms ? ")" : "");
    g_string_append(text, " ORDER BY 1");
    if (most > 0)
        g_string_append_printf(text, " LIMIT %u", most);
    return g_string_free(text, FALSE);
}

/* Digits with a colon before every second one from the given one on. */
static char *with_colons(const char *digits, unsigned first)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; digits[i]; i++) {
        if (i > 0 && i % 2 == first % 2)
            g_string_append_c(text, ':');
        g_string_append_c(text, digits[i]);
    }
    return g_string_free(text, FALSE);
}

unsigned ledger_values_part(enum wry_ledger_field field, const char *part, char *forms[2])
{
    g_autofree char *upper = part ? g_ascii_strup(part, -1) : NULL;

    forms[0] = forms[1] = NULL;
    if (!upper)
        return 0;
    if (field != WRY_LEDGER_BOARDS) {
        forms[0] = g_utf8_strdown(part, -1);
        return 1;
    }
    if (strchr(upper, ':')) {
        forms[0] = g_steal_pointer(&upper);
        return 1;
    }
    forms[0] = with_colons(upper, 0);
    forms[1] = with_colons(upper, 1);
    return strcmp(forms[0], forms[1]) == 0 ? 1 : 2;
}
