/* A PostgreSQL server, which is not trusted. */
#include "postgres.h"

#include <errno.h>
#include <limits.h>
#include <poll.h>
#include <string.h>

#include "meter.h"
#include "store/file/error.h"

enum {
    ANSWER_MOST = 1 << 20, /* most bytes from one row to the next: rows have some kilobytes */
    EMPTY_MOST = 1000,     /* most results without a row for one statement */
    MESSAGE_MOST = 600,    /* most characters of a server's message */
};

struct postgres {
    PGconn *connection;
    struct meter *meter;
    uint64_t counted; /* bytes received when the last row was passed on */
    char *name, *password;
    char state[6];
};

/* Addresses. */

static const char *const schemes[] = {"postgresql:", "postgres:"};

static bool has_scheme(const char *address)
{
    for (size_t i = 0; i < G_N_ELEMENTS(schemes); i++) {
        if (g_ascii_strncasecmp(address, schemes[i], strlen(schemes[i])) == 0)
            return true;
    }
    return false;
}

/* True for "KEYWORD = …" with a keyword of libpq. */
static bool is_keyword_list(const char *address)
{
    const char *equals = strchr(address, '=');

    if (equals && !pq_library_load(NULL))
        return true; /* not known: it may have a password */
    PQconninfoOption *options = equals ? PQconndefaults() : NULL;
    g_autofree char *word =
        equals ? g_strstrip(g_strndup(address, (gsize)(equals - address))) : NULL;
    bool found = false;

    for (const PQconninfoOption *o = options; o && o->keyword && !found; o++)
        found = g_ascii_strcasecmp(o->keyword, word) == 0;
    if (options)
        PQconninfoFree(options);
    return found;
}

bool postgres_is_address(const char *address)
{
    return has_scheme(address) || strstr(address, "://") || is_keyword_list(address);
}

bool postgres_is_built(GError **error)
{
    return pq_library_load(error);
}

/* libpq requires the scheme in lower case. */
static PQconninfoOption *parse(const char *address, char **normal)
{
    const char *colon = has_scheme(address) ? strchr(address, ':') : NULL;
    g_autofree char *scheme =
        colon ? g_ascii_strdown(address, (gssize)(colon - address)) : g_strdup("");
    g_autofree char *text = g_strconcat(scheme, colon ? colon : address, NULL);
    PQconninfoOption *options = pq_library_load(NULL) ? PQconninfoParse(text, NULL) : NULL;

    if (normal)
        *normal = g_steal_pointer(&text);
    return options;
}

static const char *value_of(const PQconninfoOption *options, const char *keyword)
{
    for (const PQconninfoOption *o = options; o && o->keyword; o++) {
        if (strcmp(o->keyword, keyword) == 0)
            return o->val;
    }
    return NULL;
}

char *postgres_name(const char *address)
{
    PQconninfoOption *options = parse(address, NULL);
    const char *host = value_of(options, "host"), *port = value_of(options, "port");
    const char *database = value_of(options, "dbname");
    char *name;

    if (!host)
        host = value_of(options, "hostaddr");
    name = g_strdup_printf("postgresql://%s%s%s/%s", host ? host : "", port ? ":" : "",
                           port ? port : "", database ? database : "");
    if (options)
        PQconninfoFree(options);
    return name;
}

/* Failing. */

bool postgres_fail(const struct postgres *server, const char *what, GError **error)
{
    g_autofree char *valid = g_utf8_make_valid(what, -1);
    g_autoptr(GString) text = g_string_new(g_strstrip(valid));

    /* Joins the lines of a message, and hides a password that it may repeat. */
    g_strdelimit(text->str, "\r\n\t", ' ');
    if (server->password && server->password[0] != '\0')
        g_string_replace(text, server->password, "********", 0);
    if (g_utf8_strlen(text->str, -1) > MESSAGE_MOST) {
        const char *end = g_utf8_offset_to_pointer(text->str, MESSAGE_MOST);
        g_string_truncate(text, (gsize)(end - text->str));
        g_string_append(text, "…");
    }
    return store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", server->name, text->str);
}

static bool fail_late(const struct postgres *server, GError **error)
{
    return postgres_fail(server, "no answer in time", error);
}

static bool fail_connection(const struct postgres *server, GError **error)
{
    return postgres_fail(server, PQerrorMessage(server->connection), error);
}

/* Connecting. */

/* Waits until the socket is ready; false at the deadline. */
static bool wait_for(const struct postgres *server, short events, int64_t deadline)
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

static void ignore_notice(void *context, const PGresult *notice)
{
    (void)context;
    (void)notice;
}

static bool connect_to(struct postgres *server, const char *address, int64_t deadline,
                       GError **error)
{
    g_autofree char *normal = NULL;

    if (!pq_library_load(error))
        return false;
    PQconninfoOption *options = parse(address, &normal);

    /* libpq's message would show a password. */
    if (!options)
        return store_error(error, WRY_STORE_ERROR_DAMAGED,
                           "the ledger's address cannot be read: it is written "
                           "postgresql://USER@HOST:PORT/DATABASE");
    server->password = g_strdup(value_of(options, "password"));
    PQconninfoFree(options);
    server->connection = PQconnectStart(normal);
    if (!server->connection)
        return postgres_fail(server, "out of memory", error);
    PQsetNoticeReceiver(server->connection, ignore_notice, NULL);
    PostgresPollingStatusType state = PGRES_POLLING_WRITING;
    while (PQstatus(server->connection) != CONNECTION_BAD && state != PGRES_POLLING_OK) {
        if (!wait_for(server, state == PGRES_POLLING_READING ? POLLIN : POLLOUT, deadline))
            return fail_late(server, error);
        state = PQconnectPoll(server->connection);
    }
    if (PQstatus(server->connection) != CONNECTION_OK)
        return fail_connection(server, error);
    PQsetnonblocking(server->connection, 1);
    server->meter = meter_insert(PQsocket(server->connection));
    return server->meter || postgres_fail(server, g_strerror(errno), error);
}

struct postgres *postgres_open(const char *address, int64_t deadline, GError **error)
{
    struct postgres *server = g_new0(struct postgres, 1);

    server->name = postgres_name(address);
    if (connect_to(server, address, deadline, error))
        return server;
    postgres_close(server);
    return NULL;
}

void postgres_close(struct postgres *server)
{
    if (!server)
        return;
    if (server->connection)
        PQfinish(server->connection);
    meter_free(server->meter);
    g_free(server->name);
    g_free(server->password);
    g_free(server);
}

bool postgres_is_exposed(const struct postgres *server)
{
    const char *host = PQhost(server->connection);

    if (PQsslInUse(server->connection) || !host || host[0] == '\0' || host[0] == '/' ||
        host[0] == '@')
        return false;
    return g_ascii_strcasecmp(host, "localhost") != 0 && !g_str_has_prefix(host, "127.") &&
           strcmp(host, "::1") != 0;
}

const char *postgres_state(const struct postgres *server)
{
    return server->state;
}

/* Answers. */

/* Fetches the next result; *result is NULL at the end. libpq keeps all of a result in memory, and
 * loses some of it if messages arrive in an order that no correct server produces (15.18: a
 * parameter description after a row description). */
static bool next_result(struct postgres *server, int64_t time, PGresult **result, GError **error)
{
    int64_t deadline = g_get_monotonic_time() + time;
    int unsent;

    *result = NULL;
    while ((unsent = PQflush(server->connection)) > 0 ||
           (unsent == 0 && PQisBusy(server->connection))) {
        if (!meter_exchange(server->meter, deadline))
            return fail_late(server, error);
        if (meter_received(server->meter) - server->counted > ANSWER_MOST)
            return postgres_fail(server, "its answer is too large for a ledger", error);
        if (!PQconsumeInput(server->connection))
            return fail_connection(server, error);
    }
    if (unsent < 0)
        return fail_connection(server, error);
    *result = PQgetResult(server->connection);
    return true;
}

/* Checks a result; stores the SQLSTATE of an error. Takes no ownership. */
static bool check_status(struct postgres *server, const PGresult *result, GError **error)
{
    ExecStatusType status = PQresultStatus(result);
    const char *state = PQresultErrorField(result, PG_DIAG_SQLSTATE);

    if (status == PGRES_COMMAND_OK || status == PGRES_TUPLES_OK || status == PGRES_SINGLE_TUPLE)
        return true;
    /* COPY and the like, which were not requested, have no message. */
    if (status != PGRES_FATAL_ERROR)
        return postgres_fail(server, "its answer does not match the request", error);
    g_strlcpy(server->state, state && strlen(state) == 5 ? state : "", sizeof server->state);
    return postgres_fail(server, PQresultErrorMessage(result), error);
}

/* Fetches all results. take: called for each row, or NULL. */
static bool finish(struct postgres *server, int columns, int64_t time,
                   bool (*take)(void *context, const PGresult *row), void *context, GError **error)
{
    unsigned empty = 0;
    bool good = true, more = true;
    PGresult *result = NULL;

    server->state[0] = '\0';
    server->counted = meter_received(server->meter);
    while (more) {
        if (!next_result(server, time, &result, good ? error : NULL))
            return false;
        if (!result)
            break;
        if (PQntuples(result) == 0 && ++empty > EMPTY_MOST && good)
            more = good = postgres_fail(server, "its answer does not end", error);
        if (good)
            good = check_status(server, result, error);
        int rows = PQntuples(result);
        if (good && take && rows > 0 && (rows != 1 || PQnfields(result) != columns))
            good = postgres_fail(server, "its answer has other columns than requested", error);
        if (good && take && rows > 0) {
            more = take(context, result);
            server->counted = meter_received(server->meter);
        }
        ExecStatusType status = PQresultStatus(result);
        PQclear(result);
        /* libpq returns this result repeatedly until data is copied. */
        if (status == PGRES_COPY_IN || status == PGRES_COPY_OUT || status == PGRES_COPY_BOTH)
            return false;
    }
    /* A broken connection ends the results early. */
    if (good && PQstatus(server->connection) != CONNECTION_OK)
        return fail_connection(server, error);
    return good;
}

bool postgres_execute(struct postgres *server, const char *text, int64_t time, GError **error)
{
    if (!PQsendQuery(server->connection, text))
        return fail_connection(server, error);
    return finish(server, 0, time, NULL, NULL, error);
}

bool postgres_put(struct postgres *server, const char *text, int count, const char *const *values,
                  int64_t time, GError **error)
{
    if (!PQsendQueryParams(server->connection, text, count, NULL, values, NULL, NULL, 0))
        return fail_connection(server, error);
    return finish(server, 0, time, NULL, NULL, error);
}

bool postgres_each(struct postgres *server, const char *text, int count, const char *const *values,
                   int columns, int64_t time, bool (*take)(void *context, const PGresult *row),
                   void *context, GError **error)
{
    if (!PQsendQueryParams(server->connection, text, count, NULL, values, NULL, NULL, 0) ||
        !PQsetSingleRowMode(server->connection))
        return fail_connection(server, error);
    return finish(server, columns, time, take, context, error);
}

struct number {
    int value;
    unsigned rows;
};

static bool take_number(void *context, const PGresult *row)
{
    struct number *number = context;
    guint64 value = 0;

    number->rows++;
    if (!PQgetisnull(row, 0, 0) &&
        g_ascii_string_to_unsigned(PQgetvalue(row, 0, 0), 10, 0, INT_MAX, &value, NULL))
        number->value = (int)value;
    return true;
}

int postgres_number(struct postgres *server, const char *text, int64_t time, GError **error)
{
    struct number number = {.value = -1};

    if (!postgres_each(server, text, 0, NULL, 1, time, take_number, &number, error))
        return -1;
    if (number.rows != 1 || number.value < 0) {
        postgres_fail(server, "its answer is not the requested number", error);
        return -1;
    }
    return number.value;
}
