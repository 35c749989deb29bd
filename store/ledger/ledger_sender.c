/* Sending rows from the outbox to the server. */
#include "store/ledger/ledger_sender.h"

#include "store/file/error.h"
#include "store/ledger/ledger_postgres.h"

enum {
    ROWS_AT_ONCE = 100,
};

#define SEND_TIME 5000000  /* us to connect */
#define END_TIME 200000    /* us to wait for an idle thread to end */
#define PAUSE_TIME 5000000 /* us of pause after a failure */

struct ledger_sender {
    gint references;
    char *address, *outbox;
    GMutex lock;
    GCond changed;
    unsigned asked, done; /* numbers of requests made and handled */
    bool ends, over;      /* over: the thread has ended, or was never started */
    char *problem;        /* error of the last attempt; NULL = none */
    bool exposed;
};

static void sender_unref(struct ledger_sender *sender)
{
    if (!g_atomic_int_dec_and_test(&sender->references))
        return;
    g_mutex_clear(&sender->lock);
    g_cond_clear(&sender->changed);
    g_free(sender->address);
    g_free(sender->outbox);
    g_free(sender->problem);
    g_free(sender);
}

static bool drop(struct ledger_sqlite *outbox, const GPtrArray *runs, GError **error)
{
    bool good = ledger_sqlite_begin(outbox, error);

    for (guint i = 0; i < runs->len && good; i++) {
        const struct wry_ledger_run *run = g_ptr_array_index(runs, i);
        good = ledger_sqlite_drop(outbox, run->id, error);
    }
    return ledger_sqlite_finish(outbox, good, error);
}

/* One attempt to empty an outbox. */
struct sending {
    struct ledger_postgres *server;
    struct ledger_sqlite *outbox;
    const char *mark;
    bool singly;   /* send row by row: one of them may be what ends the connection */
    bool lost;     /* the connection was lost */
    GError *error; /* first error; NULL: all rows were accepted */
};

static void keep_first(struct sending *s, GError *error)
{
    if (s->error)
        g_clear_error(&error);
    else
        s->error = error;
}

/* Sends one row. False if the outbox failed or the connection is lost. */
static bool put_one(struct sending *s, const struct wry_ledger_run *run)
{
    g_autoptr(GPtrArray) one = g_ptr_array_new();
    GError *refusal = NULL, *failure = NULL;

    g_ptr_array_add(one, (gpointer)run);
    enum ledger_sent sent = ledger_postgres_put(s->server, one, &refusal);
    bool kept = sent == LEDGER_SENT
                    ? drop(s->outbox, one, &failure)
                    : ledger_sqlite_refuse(s->outbox, run->id, s->mark,
                                           refusal ? refusal->message : "no reason was given",
                                           sent == LEDGER_REFUSED, &failure);
    s->lost = sent == LEDGER_UNSENT;
    /* A rejected row is set aside and no longer waits. */
    if (refusal && sent == LEDGER_REFUSED)
        g_clear_error(&refusal);
    if (refusal)
        keep_first(s, refusal);
    if (failure)
        keep_first(s, failure);
    return kept && !s->lost;
}

/* Sends all at once, which is faster; if that is rejected, one by one, so that a rejected row does
 * not hold up the others. */
static bool put_all(struct sending *s, const GPtrArray *runs)
{
    GError *error = NULL;
    enum ledger_sent sent =
        s->singly ? LEDGER_FAILED : ledger_postgres_put(s->server, runs, &error);
    bool good = true;

    if (sent == LEDGER_UNSENT) {
        s->lost = true;
        keep_first(s, error);
        return false;
    }
    g_clear_error(&error);
    if (sent == LEDGER_SENT && !drop(s->outbox, runs, &error)) {
        keep_first(s, error);
        return false;
    }
    for (guint i = 0; sent != LEDGER_SENT && i < runs->len && good; i++)
        good = put_one(s, g_ptr_array_index(runs, i));
    return good;
}

/* Sends until all waiting rows were tried. True if each is stored or set aside. */
static bool send_rows(struct sending *s)
{
    for (bool good = true; good;) {
        g_autoptr(GPtrArray) runs =
            ledger_sqlite_waiting(s->outbox, s->mark, ROWS_AT_ONCE, s->error ? NULL : &s->error);
        if (!runs || runs->len == 0)
            break;
        good = put_all(s, runs);
    }
    return s->error == NULL;
}

bool ledger_sender_send(const char *address, struct ledger_sqlite *outbox, GError **error)
{
    g_autofree char *mark = g_uuid_string_random();
    bool sent = false, again = ledger_sqlite_take_up(outbox, error);

    /* A row that ends the connection is not tried again: the loop ends. */
    for (unsigned attempt = 0; again && !sent; attempt++) {
        struct sending s = {.outbox = outbox, .mark = mark, .singly = attempt > 0};
        s.server = ledger_postgres_open(address, g_get_monotonic_time() + SEND_TIME, &s.error);
        sent = s.server && send_rows(&s);
        again = s.server && s.lost;
        if (!sent && (!again || !s.server))
            g_propagate_error(error, g_steal_pointer(&s.error));
        g_clear_error(&s.error);
        ledger_postgres_close(s.server);
    }
    if (sent && ledger_sqlite_count_waiting(outbox, error) != 0) {
        g_clear_error(error);
        store_error(error, WRY_STORE_ERROR_FILE,
                    "the connection ended at some rows, which were skipped");
        sent = false;
    }
    return sent;
}

/* Waits for a request; returns its number. False at the end. */
static bool next(struct ledger_sender *sender, unsigned *asked)
{
    g_mutex_lock(&sender->lock);
    while (!sender->ends && sender->asked == sender->done)
        g_cond_wait(&sender->changed, &sender->lock);
    *asked = sender->asked;
    bool ends = sender->ends;
    g_mutex_unlock(&sender->lock);
    return !ends;
}

static void finish(struct ledger_sender *sender, unsigned asked)
{
    g_mutex_lock(&sender->lock);
    sender->done = asked;
    g_cond_broadcast(&sender->changed);
    g_mutex_unlock(&sender->lock);
}

static void set_problem(struct ledger_sender *sender, const struct ledger_postgres *server,
                        GError *error)
{
    g_mutex_lock(&sender->lock);
    g_free(sender->problem);
    sender->problem = error ? g_strdup(error->message) : NULL;
    sender->exposed = sender->exposed || (server && ledger_postgres_is_exposed(server));
    g_mutex_unlock(&sender->lock);
}

/* Reconnects at once if the connection broke. */
static bool send_twice(struct ledger_sender *sender, struct ledger_sqlite *outbox,
                       struct ledger_postgres **server)
{
    g_autofree char *mark = g_uuid_string_random();
    bool sent = false;

    for (unsigned i = 0; i < 2 && !sent; i++) {
        struct sending s = {.outbox = outbox, .mark = mark, .singly = i > 0};
        if (!*server)
            *server =
                ledger_postgres_open(sender->address, g_get_monotonic_time() + SEND_TIME, &s.error);
        s.server = *server;
        sent = s.server && send_rows(&s);
        set_problem(sender, s.server, s.error);
        if (!sent)
            g_clear_pointer(server, ledger_postgres_close);
        g_clear_error(&s.error);
    }
    return sent;
}

static gpointer run_sender(gpointer data)
{
    struct ledger_sender *sender = data;
    struct ledger_sqlite *outbox = ledger_sqlite_open(sender->outbox, NULL);
    struct ledger_postgres *server = NULL;
    int64_t left_alone = 0;
    unsigned asked;

    while (outbox && next(sender, &asked)) {
        /* Pauses after a server could not be reached. */
        if (g_get_monotonic_time() >= left_alone && !send_twice(sender, outbox, &server))
            left_alone = g_get_monotonic_time() + PAUSE_TIME;
        finish(sender, asked);
    }
    ledger_postgres_close(server);
    ledger_sqlite_close(outbox);
    g_mutex_lock(&sender->lock);
    sender->over = true;
    g_cond_broadcast(&sender->changed);
    g_mutex_unlock(&sender->lock);
    sender_unref(sender);
    return NULL;
}

struct ledger_sender *ledger_sender_new(const char *address, const char *outbox)
{
    struct ledger_sender *sender = g_new0(struct ledger_sender, 1);

    sender->references = 2;
    sender->address = g_strdup(address);
    sender->outbox = g_strdup(outbox);
    g_mutex_init(&sender->lock);
    g_cond_init(&sender->changed);
    sender->asked = 1; /* send what earlier processes left */
    GThread *thread = g_thread_try_new("ledger", run_sender, sender, NULL);
    if (thread)
        g_thread_unref(thread);
    /* Without a thread, rows wait for the next run. */
    sender->over = thread == NULL;
    sender->references -= thread == NULL;
    return sender;
}

char *ledger_sender_problem(struct ledger_sender *sender)
{
    g_mutex_lock(&sender->lock);
    char *problem = g_strdup(sender->problem);
    g_mutex_unlock(&sender->lock);
    return problem;
}

bool ledger_sender_is_exposed(struct ledger_sender *sender)
{
    g_mutex_lock(&sender->lock);
    bool exposed = sender->exposed;
    g_mutex_unlock(&sender->lock);
    return exposed;
}

void ledger_sender_ask(struct ledger_sender *sender, int64_t time)
{
    int64_t end = g_get_monotonic_time() + time;

    g_mutex_lock(&sender->lock);
    unsigned mine = ++sender->asked;
    g_cond_broadcast(&sender->changed);
    while (sender->done < mine && !sender->over &&
           g_cond_wait_until(&sender->changed, &sender->lock, end))
        ;
    g_mutex_unlock(&sender->lock);
}

void ledger_sender_free(struct ledger_sender *sender)
{
    if (!sender)
        return;
    g_mutex_lock(&sender->lock);
    sender->ends = true;
    g_cond_broadcast(&sender->changed);
    /* An idle thread ends at once, before the process does. */
    int64_t end = g_get_monotonic_time() + END_TIME;
    while (!sender->over && g_cond_wait_until(&sender->changed, &sender->lock, end))
        ;
    g_mutex_unlock(&sender->lock);
    sender_unref(sender);
}
