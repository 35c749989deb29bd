/* A ledger in a PostgreSQL database. */
#include "store/ledger/ledger_postgres.h"

#include "ledger_migrations.h"
#include "postgres.h"
#include "store/file/error.h"
#include "store/ledger/ledger_columns.h"

/* Only one program at a time may change the schema. The number is arbitrary. */
#define SCHEMA_LOCK "SELECT pg_advisory_xact_lock(6018294471)"
#define SCHEMA_TABLE "wrytograph_schema"

#define UPGRADE_TIME 1200000000 /* us for a step of an upgrade, which may rewrite all rows */
#define ANSWER_TIME 30000000    /* us without an answer after which a server has failed */

struct ledger_postgres {
    struct postgres *server;
    char *name;
};

/* 0: there is no schema yet; -1: error. */
static int version_of(struct postgres *server, GError **error)
{
    int there = postgres_number(server, "SELECT count(to_regclass('" SCHEMA_TABLE "'))",
                                ANSWER_TIME, error);

    return there <= 0 ? there
                      : postgres_number(server, "SELECT max(version) FROM " SCHEMA_TABLE,
                                        ANSWER_TIME, error);
}

static bool apply(struct postgres *server, int version, int known, GError **error)
{
    bool good =
        version > 0 || postgres_execute(server,
                                        "CREATE TABLE " SCHEMA_TABLE
                                        " (version integer PRIMARY KEY, since timestamptz NOT NULL "
                                        "DEFAULT now())",
                                        ANSWER_TIME, error);

    for (int i = version; i < known && good; i++) {
        g_autofree char *mark =
            g_strdup_printf("INSERT INTO " SCHEMA_TABLE " (version) VALUES (%d)", i + 1);
        good = postgres_execute(server, ledger_postgres_migrations[i], UPGRADE_TIME, error) &&
               postgres_execute(server, mark, ANSWER_TIME, error);
    }
    return good;
}

static bool migrate(const struct ledger_postgres *ledger, GError **error)
{
    struct postgres *server = ledger->server;
    int known = 0, version = version_of(server, error);

    while (ledger_postgres_migrations[known])
        known++;
    if (version >= 0 && version < known) {
        if (!postgres_execute(server, "BEGIN", ANSWER_TIME, error) ||
            !postgres_execute(server, SCHEMA_LOCK, UPGRADE_TIME, error))
            return false;
        version = version_of(server, error);
        if (version < 0 || !apply(server, version, known, error) ||
            !postgres_execute(server, "COMMIT", ANSWER_TIME, error))
            return false;
        version = MAX(version, known);
    }
    if (version > known)
        store_error(error, WRY_STORE_ERROR_DAMAGED,
                    "%s: this ledger has schema %d, made by a newer version of this program, which "
                    "knows schemas up to %d",
                    ledger->name, version, known);
    return version == known;
}

struct ledger_postgres *ledger_postgres_open(const char *address, int64_t deadline, GError **error)
{
    struct ledger_postgres *ledger = g_new0(struct ledger_postgres, 1);

    ledger->name = postgres_name(address);
    ledger->server = postgres_open(address, deadline, error);
    if (ledger->server &&
        postgres_execute(ledger->server, "SET client_min_messages = warning; SET timezone = 'UTC'",
                         ANSWER_TIME, error) &&
        migrate(ledger, error))
        return ledger;
    ledger_postgres_close(ledger);
    return NULL;
}

void ledger_postgres_close(struct ledger_postgres *ledger)
{
    if (!ledger)
        return;
    postgres_close(ledger->server);
    g_free(ledger->name);
    g_free(ledger);
}

bool ledger_postgres_is_exposed(const struct ledger_postgres *ledger)
{
    return postgres_is_exposed(ledger->server);
}

static char *put_statement(void)
{
    static const char *const casts[] = {[WRY_LEDGER_TEXT] = "text",
                                        [WRY_LEDGER_TIME] = "timestamptz",
                                        [WRY_LEDGER_JSON] = "json",
                                        [WRY_LEDGER_NUMBER] = "bigint",
                                        [WRY_LEDGER_REAL] = "double precision"};
    g_autofree char *names = ledger_column_names();
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "INSERT INTO run (%s) VALUES (", names);
    for (int i = 0; i < LEDGER_COLUMNS; i++)
        g_string_append_printf(text, "%s$%d::%s", i > 0 ? ", " : "", i + 1,
                               i == 0 ? "uuid" : casts[ledger_columns[i].type]);
    g_string_append(text, ") ON CONFLICT (id) DO NOTHING");
    return g_string_free(text, FALSE);
}

static bool put_one(struct postgres *server, const char *text, const struct wry_ledger_run *row,
                    GError **error)
{
    char *values[LEDGER_COLUMNS];

    for (int i = 0; i < LEDGER_COLUMNS; i++)
        values[i] = wry_ledger_run_value(row, &ledger_columns[i]);
    bool good =
        postgres_put(server, text, LEDGER_COLUMNS, (const char *const *)values, ANSWER_TIME, error);
    for (int i = 0; i < LEDGER_COLUMNS; i++)
        g_free(values[i]);
    return good;
}

/* Classes of SQLSTATE caused by the server's state and not by the row (PostgreSQL, appendix A):
 * connection, transaction state, rollback, resources, object state, operator, system, internal. */
static bool is_of_server(const char *state)
{
    static const char *const classes[] = {"08", "25", "40", "53", "55", "57", "58", "XX"};

    for (size_t i = 0; i < G_N_ELEMENTS(classes); i++) {
        if (g_str_has_prefix(state, classes[i]))
            return true;
    }
    return false;
}

enum ledger_sent ledger_postgres_put(struct ledger_postgres *ledger, const GPtrArray *runs,
                                     GError **error)
{
    struct postgres *server = ledger->server;
    g_autofree char *text = put_statement();
    bool good = postgres_execute(server, "BEGIN", ANSWER_TIME, error);

    for (guint i = 0; i < runs->len && good; i++)
        good = put_one(server, text, g_ptr_array_index(runs, i), error);
    if (good && postgres_execute(server, "COMMIT", ANSWER_TIME, error))
        return LEDGER_SENT;
    g_autofree char *state = g_strdup(postgres_state(server));
    if (state[0] == '\0' || !postgres_execute(server, "ROLLBACK", ANSWER_TIME, NULL))
        return LEDGER_UNSENT;
    return is_of_server(state) ? LEDGER_FAILED : LEDGER_REFUSED;
}

struct visit {
    wry_ledger_take take;
    void *context;
};

static bool take_row(void *context, const PGresult *result)
{
    const struct visit *visit = context;
    struct wry_ledger_run *row = g_new0(struct wry_ledger_run, 1);

    for (int i = 0; i < LEDGER_COLUMNS; i++)
        ledger_take_value(row, &ledger_columns[i],
                          PQgetisnull(result, 0, i) ? NULL : PQgetvalue(result, 0, i));
    bool more = visit->take(visit->context, row);
    wry_ledger_run_free(row);
    return more;
}

bool ledger_postgres_each(struct ledger_postgres *ledger, const struct wry_ledger_filter *filter,
                          wry_ledger_take take, void *context, GError **error)
{
    /* Returns times as the benches wrote them. */
    g_autofree char *names =
        ledger_read_names(filter->brief, "to_char(%s, 'YYYY-MM-DD\"T\"HH24:MI:SS.MS\"Z\"')");
    struct ledger_where where = ledger_where(filter, '$');
    g_autoptr(GString) text = g_string_new(NULL);
    struct visit visit = {take, context};

    g_string_append_printf(text, "SELECT %s FROM run%s ORDER BY %s", names, where.text->str,
                           where.order->str);
    if (filter->most > 0)
        g_string_append_printf(text, " LIMIT %u", filter->most);
    bool good = postgres_each(ledger->server, text->str, (int)where.values->len,
                              (const char *const *)where.values->pdata, LEDGER_COLUMNS, ANSWER_TIME,
                              take_row, &visit, error);
    ledger_where_clear(&where);
    return good;
}

static bool take_value(void *context, const PGresult *result)
{
    g_ptr_array_add(context, g_utf8_make_valid(PQgetvalue(result, 0, 0), -1));
    return true;
}

bool ledger_postgres_values(struct ledger_postgres *ledger, enum wry_ledger_field field,
                            const char *part, unsigned most, GPtrArray *found, GError **error)
{
    char *forms[2];
    unsigned count = ledger_values_part(field, part, forms);
    g_autofree char *text = ledger_values_query(field, count, '$', most);

    bool good = postgres_each(ledger->server, text, (int)count, (const char *const *)forms, 1,
                              ANSWER_TIME, take_value, found, error);
    g_free(forms[0]);
    g_free(forms[1]);
    return good;
}

/* Rows of a table of boards. */

struct claim_visit {
    bool (*take)(void *context, const struct row_claim *claim);
    void *context;
};

enum { CLAIM_ROW, CLAIM_BOARD, CLAIM_MARK, CLAIM_COMPUTER, CLAIM_COLUMNS };

static bool take_claim(void *context, const PGresult *result)
{
    const struct claim_visit *visit = context;
    char *texts[CLAIM_COLUMNS];

    for (int i = 0; i < CLAIM_COLUMNS; i++)
        texts[i] = g_utf8_make_valid(PQgetvalue(result, 0, i), -1);
    const struct row_claim claim = {
        .row = (unsigned)g_ascii_strtoull(texts[CLAIM_ROW], NULL, 10),
        .board = texts[CLAIM_BOARD],
        .mark = texts[CLAIM_MARK],
        .computer = texts[CLAIM_COMPUTER],
    };
    bool more = visit->take(visit->context, &claim);
    for (int i = 0; i < CLAIM_COLUMNS; i++)
        g_free(texts[i]);
    return more;
}

bool ledger_postgres_each_claim(struct ledger_postgres *ledger, const char *lot,
                                bool (*take)(void *context, const struct row_claim *claim),
                                void *context, GError **error)
{
    struct claim_visit visit = {take, context};

    return postgres_each(ledger->server,
                         "SELECT lot_row, board, mark, computer FROM row_claim WHERE lot = $1", 1,
                         &lot, CLAIM_COLUMNS, ANSWER_TIME, take_claim, &visit, error);
}

static bool take_any(void *context, const PGresult *result)
{
    (void)result;
    *(bool *)context = true;
    return true;
}

bool ledger_postgres_claim(struct ledger_postgres *ledger, const char *lot,
                           const struct row_claim *claim, bool *added, GError **error)
{
    g_autofree char *row = g_strdup_printf("%u", claim->row);
    const char *const values[] = {lot, row, claim->board, claim->mark, claim->computer};

    *added = false;
    return postgres_each(ledger->server,
                         "INSERT INTO row_claim (lot, lot_row, board, mark, computer) "
                         "VALUES ($1, $2::bigint, $3, $4, $5) ON CONFLICT DO NOTHING RETURNING 1",
                         (int)G_N_ELEMENTS(values), values, 1, ANSWER_TIME, take_any, added, error);
}

bool ledger_postgres_unclaim(struct ledger_postgres *ledger, const char *lot, const char *board,
                             unsigned row, GError **error)
{
    g_autofree char *line = g_strdup_printf("%u", row);
    const char *const values[] = {lot, line, board};

    return postgres_put(ledger->server,
                        "DELETE FROM row_claim WHERE lot = $1 AND lot_row = $2::bigint AND board = "
                        "$3",
                        (int)G_N_ELEMENTS(values), values, ANSWER_TIME, error);
}
