/* A ledger in a PostgreSQL database. */
#include "ledger_server.h"

#include <errno.h>
#include <libpq-fe.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "error.h"
#include "ledger_columns.h"
#include "ledger_migrations.h"

/* One program at a time changes the schema: any number that others do not use. */
#define SCHEMA_LOCK "SELECT pg_advisory_xact_lock(6018294471)"
#define SCHEMA_TABLE "wrytograph_schema"

struct ledger_server {
    PGconn *connection;
    char *name;
};

bool ledger_server_is_address(const char *address)
{
    return g_str_has_prefix(address, "postgresql://") || g_str_has_prefix(address, "postgres://");
}

char *ledger_server_name(const char *address)
{
    g_autoptr(GString) name = g_string_new(NULL);
    PQconninfoOption *options = PQconninfoParse(address, NULL);
    const char *host = NULL, *port = NULL, *database = NULL;

    for (const PQconninfoOption *o = options; o && o->keyword; o++) {
        if (strcmp(o->keyword, "host") == 0 && o->val)
            host = o->val;
        else if (strcmp(o->keyword, "port") == 0 && o->val)
            port = o->val;
        else if (strcmp(o->keyword, "dbname") == 0 && o->val)
            database = o->val;
    }
    g_string_append_printf(name, "postgresql://%s%s%s/%s", host ? host : "", port ? ":" : "",
                           port ? port : "", database ? database : "");
    PQconninfoFree(options);
    return g_string_free(g_steal_pointer(&name), FALSE);
}

static bool fail(const struct ledger_server *server, const char *what, GError **error)
{
    g_autofree char *text = g_strstrip(g_strdup(what));

    /* Several lines of a server are one sentence here. */
    g_strdelimit(text, "\r\n\t", ' ');
    g_set_error(error, STORE_ERROR, STORE_ERROR_FILE, "%s: %s", server->name, text);
    return false;
}

static bool fail_late(const struct ledger_server *server, GError **error)
{
    return fail(server, "no answer in time", error);
}

/* Until the socket is ready; false at the deadline. */
static bool wait_for(const struct ledger_server *server, short events, int64_t deadline)
{
    for (;;) {
        struct pollfd socket = {.fd = PQsocket(server->connection), .events = events};
        int64_t left = deadline - g_get_monotonic_time();
        if (socket.fd < 0 || left <= 0)
            return false;
        int ready = poll(&socket, 1, (int)MIN(left / 1000 + 1, 1000));
        if (ready > 0)
            return true;
        if (ready < 0 && errno != EINTR)
            return false;
    }
}

static bool connect_to(struct ledger_server *server, const char *address, int64_t deadline,
                       GError **error)
{
    PQconninfoOption *options = PQconninfoParse(address, NULL);

    /* What libpq says of it would show a password. */
    if (!options) {
        g_set_error(error, STORE_ERROR, STORE_ERROR_DAMAGED,
                    "the ledger's address cannot be read: it is written "
                    "postgresql://USER@HOST:PORT/DATABASE");
        return false;
    }
    PQconninfoFree(options);
    server->connection = PQconnectStart(address);
    if (!server->connection)
        return fail(server, "out of memory", error);
    PostgresPollingStatusType state = PGRES_POLLING_WRITING;
    while (PQstatus(server->connection) != CONNECTION_BAD && state != PGRES_POLLING_OK) {
        if (!wait_for(server, state == PGRES_POLLING_READING ? POLLIN : POLLOUT, deadline))
            return fail_late(server, error);
        state = PQconnectPoll(server->connection);
    }
    if (PQstatus(server->connection) != CONNECTION_OK)
        return fail(server, PQerrorMessage(server->connection), error);
    PQsetnonblocking(server->connection, 1);
    return true;
}

/* The next result of what was sent; *result NULL at its end. */
static bool next_result(struct ledger_server *server, int64_t deadline, PGresult **result,
                        GError **error)
{
    PGconn *connection = server->connection;

    while (PQflush(connection) > 0) {
        if (!wait_for(server, POLLIN | POLLOUT, deadline))
            return fail_late(server, error);
        if (!PQconsumeInput(connection))
            return fail(server, PQerrorMessage(connection), error);
    }
    while (PQisBusy(connection)) {
        if (!wait_for(server, POLLIN, deadline))
            return fail_late(server, error);
        if (!PQconsumeInput(connection))
            return fail(server, PQerrorMessage(connection), error);
    }
    *result = PQgetResult(connection);
    return true;
}

static bool is_good(const PGresult *result)
{
    ExecStatusType status = PQresultStatus(result);

    return status == PGRES_COMMAND_OK || status == PGRES_TUPLES_OK || status == PGRES_SINGLE_TUPLE;
}

/* Runs one statement; its result, or NULL. state gets the SQLSTATE of a refusal. */
static PGresult *run(struct ledger_server *server, const char *text, int count,
                     const char *const *values, int64_t deadline, char state[6], GError **error)
{
    PGresult *kept = NULL, *result = NULL;
    bool good = PQsendQueryParams(server->connection, text, count, NULL, values, NULL, NULL, 0) ||
                fail(server, PQerrorMessage(server->connection), error);

    while (good && (good = next_result(server, deadline, &result, error)) && result) {
        PQclear(kept);
        kept = result;
    }
    if (good && kept && is_good(kept))
        return kept;
    const char *found = kept ? PQresultErrorField(kept, PG_DIAG_SQLSTATE) : NULL;
    if (state && found)
        g_strlcpy(state, found, 6);
    if (good)
        fail(server, kept ? PQresultErrorMessage(kept) : "no result", error);
    PQclear(kept);
    return NULL;
}

static bool execute(struct ledger_server *server, const char *text, int64_t deadline,
                    GError **error)
{
    PGresult *result = run(server, text, 0, NULL, deadline, NULL, error);

    PQclear(result);
    return result != NULL;
}

/* Several statements in one text, without values. */
static bool execute_all(struct ledger_server *server, const char *text, int64_t deadline,
                        GError **error)
{
    PGresult *result = NULL;
    bool good = PQsendQuery(server->connection, text) ||
                fail(server, PQerrorMessage(server->connection), error);
    bool done = good;

    while (good && (good = next_result(server, deadline, &result, error)) && result) {
        if (done && !is_good(result))
            done = fail(server, PQresultErrorMessage(result), error);
        PQclear(result);
    }
    return good && done;
}

/* 0: there is no schema yet; -1: that cannot be told. */
static int version_of(struct ledger_server *server, int64_t deadline, GError **error)
{
    PGresult *there = run(server, "SELECT to_regclass('" SCHEMA_TABLE "') IS NOT NULL", 0, NULL,
                          deadline, NULL, error);
    int version = -1;

    if (there && strcmp(PQgetvalue(there, 0, 0), "t") != 0)
        version = 0;
    PGresult *found = there && version < 0 ? run(server, "SELECT max(version) FROM " SCHEMA_TABLE,
                                                 0, NULL, deadline, NULL, error)
                                           : NULL;
    if (found)
        version = (int)strtol(PQgetvalue(found, 0, 0), NULL, 10);
    PQclear(found);
    PQclear(there);
    return version;
}

static bool apply(struct ledger_server *server, int version, int known, int64_t deadline,
                  GError **error)
{
    bool good = version > 0 || execute(server,
                                       "CREATE TABLE " SCHEMA_TABLE
                                       " (version integer PRIMARY KEY, since timestamptz NOT NULL "
                                       "DEFAULT now())",
                                       deadline, error);

    for (int i = version; i < known && good; i++) {
        g_autofree char *mark =
            g_strdup_printf("INSERT INTO " SCHEMA_TABLE " (version) VALUES (%d)", i + 1);
        good = execute_all(server, ledger_server_migrations[i], deadline, error) &&
               execute(server, mark, deadline, error);
    }
    return good;
}

static bool migrate(struct ledger_server *server, int64_t deadline, GError **error)
{
    int known = 0, version = version_of(server, deadline, error);

    while (ledger_server_migrations[known])
        known++;
    if (version >= 0 && version < known) {
        if (!execute(server, "BEGIN", deadline, error) ||
            !execute(server, SCHEMA_LOCK, deadline, error))
            return false;
        version = version_of(server, deadline, error);
        if (version < 0 || !apply(server, version, known, deadline, error) ||
            !execute(server, "COMMIT", deadline, error))
            return false;
        version = MAX(version, known);
    }
    if (version > known) {
        g_set_error(error, STORE_ERROR, STORE_ERROR_DAMAGED,
                    "%s: this ledger has schema %d, made by a newer version of this program, which "
                    "knows schemas up to %d",
                    server->name, version, known);
        return false;
    }
    return version >= 0;
}

struct ledger_server *ledger_server_open(const char *address, int64_t deadline, GError **error)
{
    struct ledger_server *server = g_new0(struct ledger_server, 1);

    server->name = ledger_server_name(address);
    if (connect_to(server, address, deadline, error) &&
        execute_all(server, "SET client_min_messages = warning; SET timezone = 'UTC'", deadline,
                    error) &&
        migrate(server, deadline, error))
        return server;
    ledger_server_close(server);
    return NULL;
}

void ledger_server_close(struct ledger_server *server)
{
    if (!server)
        return;
    PQfinish(server->connection);
    g_free(server->name);
    g_free(server);
}

static char *put_statement(void)
{
    static const char *const casts[] = {[LEDGER_TEXT] = "text",
                                        [LEDGER_TIME] = "timestamptz",
                                        [LEDGER_JSON] = "jsonb",
                                        [LEDGER_NUMBER] = "bigint",
                                        [LEDGER_REAL] = "double precision"};
    g_autofree char *names = ledger_column_names();
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "INSERT INTO run (%s) VALUES (", names);
    for (int i = 0; i < LEDGER_COLUMNS; i++)
        g_string_append_printf(text, "%s$%d::%s", i > 0 ? ", " : "", i + 1,
                               i == 0 ? "uuid" : casts[ledger_columns[i].type]);
    g_string_append(text, ") ON CONFLICT (id) DO NOTHING");
    return g_string_free(text, FALSE);
}

static bool put_one(struct ledger_server *server, const struct wry_ledger_run *row,
                    int64_t deadline, char state[6], GError **error)
{
    g_autofree char *text = put_statement();
    char *values[LEDGER_COLUMNS];

    for (int i = 0; i < LEDGER_COLUMNS; i++)
        values[i] = ledger_value(row, &ledger_columns[i]);
    PGresult *result =
        run(server, text, LEDGER_COLUMNS, (const char *const *)values, deadline, state, error);
    for (int i = 0; i < LEDGER_COLUMNS; i++)
        g_free(values[i]);
    PQclear(result);
    return result != NULL;
}

enum ledger_sent ledger_server_put(struct ledger_server *server, const GPtrArray *runs,
                                   int64_t deadline, GError **error)
{
    char state[6] = "";
    bool good = execute(server, "BEGIN", deadline, error);

    for (guint i = 0; i < runs->len && good; i++)
        good = put_one(server, g_ptr_array_index(runs, i), deadline, state, error);
    if (good && execute(server, "COMMIT", deadline, error))
        return LEDGER_SENT;
    /* Classes of SQLSTATE: data exceptions, and violated constraints. */
    if (g_str_has_prefix(state, "22") || g_str_has_prefix(state, "23"))
        return execute(server, "ROLLBACK", deadline, NULL) ? LEDGER_REFUSED : LEDGER_UNSENT;
    return LEDGER_UNSENT;
}

static struct wry_ledger_run *take_row(const PGresult *result)
{
    struct wry_ledger_run *row = g_new0(struct wry_ledger_run, 1);

    for (int i = 0; i < LEDGER_COLUMNS; i++)
        ledger_take_value(row, &ledger_columns[i],
                          PQgetisnull(result, 0, i) ? NULL : PQgetvalue(result, 0, i));
    return row;
}

static bool visit(struct ledger_server *server, wry_ledger_take take, void *context,
                  int64_t deadline, GError **error)
{
    PGresult *result = NULL;
    bool good = true, more = true, told = false;

    while ((good = next_result(server, deadline, &result, told ? NULL : error)) && result) {
        if (!is_good(result) && !told) {
            fail(server, PQresultErrorMessage(result), error);
            told = true;
        }
        if (more && !told && PQntuples(result) > 0) {
            struct wry_ledger_run *row = take_row(result);
            more = take(context, row);
            wry_ledger_run_free(row);
        }
        PQclear(result);
    }
    return good && !told;
}

bool ledger_server_each(struct ledger_server *server, const struct wry_ledger_filter *filter,
                        wry_ledger_take take, void *context, int64_t deadline, GError **error)
{
    /* Times as they were written on a bench. */
    g_autofree char *names =
        ledger_read_names(filter->brief, "to_char(%s, 'YYYY-MM-DD\"T\"HH24:MI:SS.MS\"Z\"')");
    struct ledger_where where = ledger_where(filter, '$');
    g_autoptr(GString) text = g_string_new(NULL);

    g_string_append_printf(text, "SELECT %s FROM run%s ORDER BY began DESC", names,
                           where.text->str);
    if (filter->most > 0)
        g_string_append_printf(text, " LIMIT %u", filter->most);
    bool sent = PQsendQueryParams(server->connection, text->str, (int)where.values->len, NULL,
                                  (const char *const *)where.values->pdata, NULL, NULL, 0) &&
                PQsetSingleRowMode(server->connection);
    ledger_where_clear(&where);
    return sent ? visit(server, take, context, deadline, error)
                : fail(server, PQerrorMessage(server->connection), error);
}
