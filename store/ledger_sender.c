/* From this computer's file to the server. */
#include "ledger_sender.h"

#include "error.h"
#include "ledger_server.h"

enum {
    ROWS_AT_ONCE = 100,
};

#define SEND_TIME 5000000  /* us for what was asked for once */
#define END_TIME 200000    /* us for a thread that is not at work to end */
#define PAUSE_TIME 5000000 /* us for which a server that failed is left alone */

struct ledger_sender {
    gint references;
    char *address, *outbox;
    GMutex lock;
    GCond changed;
    unsigned asked, done; /* done: up to this one, well or not */
    bool ends, over;      /* over: the thread has ended, or never could begin */
};

static void sender_unref(struct ledger_sender *sender)
{
    if (!g_atomic_int_dec_and_test(&sender->references))
        return;
    g_mutex_clear(&sender->lock);
    g_cond_clear(&sender->changed);
    g_free(sender->address);
    g_free(sender->outbox);
    g_free(sender);
}

static bool drop(struct ledger_lite *outbox, const GPtrArray *runs, GError **error)
{
    bool good = ledger_lite_begin(outbox, error);

    for (guint i = 0; i < runs->len && good; i++) {
        const struct wry_ledger_run *run = g_ptr_array_index(runs, i);
        good = ledger_lite_drop(outbox, run->id, error);
    }
    return good && ledger_lite_commit(outbox, error);
}

/* One by one, so that what the server refuses keeps nothing else from it. */
static bool put_each(struct ledger_server *server, struct ledger_lite *outbox, GPtrArray *runs,
                     int64_t deadline, GError **error)
{
    for (guint i = 0; i < runs->len; i++) {
        const struct wry_ledger_run *run = g_ptr_array_index(runs, i);
        g_autoptr(GPtrArray) one = g_ptr_array_new();
        g_autoptr(GError) inner = NULL;
        g_ptr_array_add(one, (gpointer)run);
        enum ledger_sent sent = ledger_server_put(server, one, deadline, &inner);
        bool good = sent == LEDGER_SENT      ? drop(outbox, one, error)
                    : sent == LEDGER_REFUSED ? ledger_lite_refuse(outbox, run->id, error)
                                             : false;
        if (sent == LEDGER_UNSENT)
            g_propagate_error(error, g_steal_pointer(&inner));
        if (!good)
            return false;
    }
    return true;
}

static bool send_rows(struct ledger_server *server, struct ledger_lite *outbox, int64_t deadline,
                      GError **error)
{
    for (;;) {
        g_autoptr(GPtrArray) runs = ledger_lite_waiting(outbox, ROWS_AT_ONCE, error);
        g_autoptr(GError) inner = NULL;
        if (!runs || runs->len == 0)
            return runs != NULL;
        enum ledger_sent sent = ledger_server_put(server, runs, deadline, &inner);
        if (sent == LEDGER_UNSENT) {
            g_propagate_error(error, g_steal_pointer(&inner));
            return false;
        }
        bool good = sent == LEDGER_SENT ? drop(outbox, runs, error)
                                        : put_each(server, outbox, runs, deadline, error);
        if (!good)
            return false;
    }
}

bool ledger_sender_send(const char *address, struct ledger_lite *outbox, int64_t deadline,
                        GError **error)
{
    struct ledger_server *server = ledger_server_open(address, deadline, error);
    bool sent = server && send_rows(server, outbox, deadline, error);

    ledger_server_close(server);
    return sent;
}

/* Waits until there is something to do; the number of what was asked. False at the end. */
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

static gpointer run_sender(gpointer data)
{
    struct ledger_sender *sender = data;
    struct ledger_lite *outbox = ledger_lite_open(sender->outbox, NULL);
    struct ledger_server *server = NULL;
    int64_t left_alone = 0;
    unsigned asked;

    while (outbox && next(sender, &asked)) {
        int64_t now = g_get_monotonic_time();
        bool sent = now < left_alone;
        /* A connection that broke is made anew at once; a server that is not there gets a pause. */
        for (unsigned i = 0; i < 2 && !sent; i++) {
            if (!server)
                server = ledger_server_open(sender->address, now + SEND_TIME, NULL);
            sent = server && send_rows(server, outbox, now + SEND_TIME, NULL);
            if (!sent)
                g_clear_pointer(&server, ledger_server_close);
        }
        if (!sent)
            left_alone = g_get_monotonic_time() + PAUSE_TIME;
        finish(sender, asked);
    }
    ledger_server_close(server);
    ledger_lite_close(outbox);
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
    sender->asked = 1; /* what an earlier program has left */
    g_thread_unref(g_thread_new("ledger", run_sender, sender));
    return sender;
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
    /* One that has nothing to do ends at once, and not in the middle of the process's own end. */
    int64_t end = g_get_monotonic_time() + END_TIME;
    while (!sender->over && g_cond_wait_until(&sender->changed, &sender->lock, end))
        ;
    g_mutex_unlock(&sender->lock);
    sender_unref(sender);
}
