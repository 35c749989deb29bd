/* The ledger, as a file or on a server. */
#include "store/ledger/ledger.h"

#include <sodium.h>
#include <string.h>

#include "base/folder_names.h"
#include "base/folders.h"
#include "base/process_mark.h"
#include "base/sized.h"
#include "store/file/error.h"
#include "store/ledger/ledger_columns.h"
#include "store/ledger/ledger_postgres.h"
#include "store/ledger/ledger_sender.h"
#include "store/ledger/ledger_sqlite.h"
#include "store/ledger/postgres_address.h"
#include "wrytograph/version.h"

#define WAIT_TIME 900000 /* us to wait for the server at the end of a run */
/* us for which an idle connection is used again: routers forget one after minutes, and a question
 * on it would wait for its time-out. */
#define IDLE_TIME 60000000
#define READ_TIME 10000000 /* us to connect for queries */

struct wry_ledger {
    char *address; /* NULL: there is no server */
    char *name, *path;
    char *process;
    GMutex lock;
    struct ledger_sqlite *lite;
    struct ledger_sender *sender; /* NULL until the first write */
    bool exposed, exposed_told;
    struct ledger_postgres *idle; /* connection of an earlier question; NULL = none */
    int64_t idle_since;
};

static char *data_file(const char *name)
{
    return folders_user(FOLDER_DATA, name);
}

/* Rows that wait for a server are in a separate file for each server. */
static char *outbox_path(const char *address)
{
    g_autofree char *name = postgres_name(address);
    g_autofree char *digest = g_compute_checksum_for_string(G_CHECKSUM_SHA256, name, -1);
    g_autofree char *file = g_strdup_printf("outbox-%.16s.db", digest);

    return data_file(file);
}

static bool open_here(struct wry_ledger *ledger, GError **error)
{
    ledger->lite = ledger_sqlite_open(ledger->path, error);
    return ledger->lite && ledger_sqlite_find_cut(ledger->lite, g_get_host_name(), error) &&
           (!ledger->address || ledger_sqlite_set_server(ledger->lite, ledger->name, error));
}

struct wry_ledger *wry_ledger_open(const char *address, GError **error)
{
    struct wry_ledger *ledger = g_new0(struct wry_ledger, 1);
    const char *given = address ? address : g_getenv("WRYTOGRAPH_LEDGER");

    g_mutex_init(&ledger->lock);
    ledger->process = process_mark_own();
    if (given && postgres_is_address(given)) {
        ledger->address = g_strdup(given);
        ledger->name = postgres_name(given);
        ledger->path = outbox_path(given);
    } else {
        ledger->path = given && given[0] != '\0' ? g_canonicalize_filename(given, NULL)
                                                 : data_file("ledger.db");
        ledger->name = g_strdup(ledger->path);
    }
    if ((!ledger->address || postgres_is_built(error)) && open_here(ledger, error))
        return ledger;
    wry_ledger_close(ledger);
    return NULL;
}

void wry_ledger_close(struct wry_ledger *ledger)
{
    if (!ledger)
        return;
    ledger_sender_free(ledger->sender);
    ledger_postgres_close(ledger->idle);
    ledger_sqlite_close(ledger->lite);
    g_mutex_clear(&ledger->lock);
    g_free(ledger->process);
    g_free(ledger->address);
    g_free(ledger->name);
    g_free(ledger->path);
    g_free(ledger);
}

const char *wry_ledger_name(const struct wry_ledger *ledger)
{
    return ledger->name;
}

bool wry_ledger_is_server(const struct wry_ledger *ledger)
{
    return ledger->address != NULL;
}

char *ledger_now(void)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *seconds = g_date_time_format(now, "%Y-%m-%dT%H:%M:%S");

    return g_strdup_printf("%s.%03dZ", seconds, g_date_time_get_microsecond(now) / 1000);
}

/* A UUID of version 4 (RFC 9562, section 5.4). It uses the system's random numbers: the state of a
 * generator would be duplicated by fork. */
static char *make_uuid(void)
{
    uint8_t b[16];

    randombytes_buf(b, sizeof b);
    b[6] = (uint8_t)(0x40 | (b[6] & 0x0F));
    b[8] = (uint8_t)(0x80 | (b[8] & 0x3F));
    return g_strdup_printf("%02x%02x%02x%02x-%02x%02x-%02x%02x-%02x%02x-%02x%02x%02x%02x%02x%02x",
                           b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7], b[8], b[9], b[10], b[11],
                           b[12], b[13], b[14], b[15]);
}

struct wry_ledger_run *ledger_run_new(const char *kind)
{
    struct wry_ledger_run *run = g_new0(struct wry_ledger_run, 1);

    run->id = make_uuid();
    run->kind = g_strdup(kind);
    run->began = ledger_now();
    run->computer = g_strdup(g_get_host_name());
    run->username = g_strdup(g_get_user_name());
    run->program = g_strdup(WRY_VERSION_TEXT);
    run->outcome = g_strdup("running");
    run->exit_code = run->lot_row = -1;
    return run;
}

bool ledger_note(struct wry_ledger *ledger, const struct wry_ledger_run *run, bool sure,
                 GError **error)
{
    g_mutex_lock(&ledger->lock);
    if (ledger->address && !ledger->sender)
        ledger->sender = ledger_sender_new(ledger->address, ledger->path);
    bool noted =
        ledger_sqlite_be_sure(ledger->lite, sure, error) &&
        ledger_sqlite_put(ledger->lite, run, ledger->process, ledger->address != NULL, error);
    g_mutex_unlock(&ledger->lock);
    return noted;
}

bool ledger_end(struct wry_ledger *ledger, const struct wry_ledger_run *run, GError **error)
{
    g_mutex_lock(&ledger->lock);
    if (ledger->address && !ledger->sender)
        ledger->sender = ledger_sender_new(ledger->address, ledger->path);
    bool noted = ledger_sqlite_be_sure(ledger->lite, true, error) &&
                 ledger_sqlite_put(ledger->lite, run, NULL, ledger->address != NULL, error);
    g_mutex_unlock(&ledger->lock);
    if (noted && ledger->sender)
        ledger_sender_ask(ledger->sender, WAIT_TIME);
    return noted;
}

struct ledger_postgres *ledger_server(struct wry_ledger *ledger, int64_t time, GError **error)
{
    if (!ledger->address) {
        store_error(error, WRY_STORE_ERROR_NONE, "%s is a file, not a server", ledger->name);
        return NULL;
    }
    struct ledger_postgres *server =
        ledger_postgres_open(ledger->address, g_get_monotonic_time() + time, error);
    g_mutex_lock(&ledger->lock);
    ledger->exposed = ledger->exposed || (server && ledger_postgres_is_exposed(server));
    g_mutex_unlock(&ledger->lock);
    return server;
}

static struct wry_ledger_run *label_of(const struct wry_ledger_run *run)
{
    struct wry_ledger_run *label = ledger_run_new("label");

    label->ended = g_strdup(label->began);
    g_free(label->outcome);
    label->outcome = g_strdup("passed");
    label->exit_code = 0;
    label->board = g_strdup(run->board);
    label->chip = g_strdup(run->chip);
    label->flash = run->flash;
    label->card = g_strdup(run->card);
    label->card_version = g_strdup(run->card_version);
    label->lot = g_strdup(run->lot);
    label->lot_row = run->lot_row;
    label->name = g_strdup(run->name);
    return label;
}

bool wry_ledger_add_labels(struct wry_ledger *ledger, const GPtrArray *runs, GError **error)
{
    bool good = true;

    g_mutex_lock(&ledger->lock);
    if (ledger->address && !ledger->sender)
        ledger->sender = ledger_sender_new(ledger->address, ledger->path);
    good = ledger_sqlite_be_sure(ledger->lite, true, error) &&
           ledger_sqlite_begin(ledger->lite, error);
    for (guint i = 0; i < runs->len && good; i++) {
        struct wry_ledger_run *label = label_of(g_ptr_array_index(runs, i));
        good = ledger_sqlite_put(ledger->lite, label, NULL, ledger->address != NULL, error);
        wry_ledger_run_free(label);
    }
    good = ledger_sqlite_finish(ledger->lite, good, error);
    g_mutex_unlock(&ledger->lock);
    if (good && ledger->sender)
        ledger_sender_ask(ledger->sender, WAIT_TIME);
    return good;
}

/* The connection of an earlier question, or a new one. It may be broken: *is_used tells. */
static struct ledger_postgres *take_server(struct wry_ledger *ledger, bool *is_used, GError **error)
{
    g_mutex_lock(&ledger->lock);
    struct ledger_postgres *server = ledger->idle;
    bool is_old = g_get_monotonic_time() - ledger->idle_since > IDLE_TIME;
    ledger->idle = NULL;
    g_mutex_unlock(&ledger->lock);
    if (is_old)
        g_clear_pointer(&server, ledger_postgres_close);
    *is_used = server != NULL;
    return server ? server : ledger_server(ledger, READ_TIME, error);
}

/* Keeps a connection on which nothing is pending. */
static void return_server(struct wry_ledger *ledger, struct ledger_postgres *server)
{
    g_mutex_lock(&ledger->lock);
    struct ledger_postgres *other = ledger->idle;
    ledger->idle = server;
    ledger->idle_since = g_get_monotonic_time();
    g_mutex_unlock(&ledger->lock);
    ledger_postgres_close(other);
}

/* Merges the rows of this computer with the server's: the latest run may not be sent yet. */
struct merge {
    wry_ledger_take take;
    void *context;
    GPtrArray *here; /* struct wry_ledger_run, the latest first */
    guint next;
    unsigned left; /* rows still wanted */
    bool more;
    bool any; /* the server has answered */
};

static bool hand_over(struct merge *merge, const struct wry_ledger_run *run)
{
    merge->more = merge->left > 0 && merge->take(merge->context, run);
    merge->left -= merge->left > 0;
    return merge->more && merge->left > 0;
}

static bool take_from_server(void *context, const struct wry_ledger_run *run)
{
    struct merge *merge = context;

    merge->any = true;
    while (merge->next < merge->here->len) {
        const struct wry_ledger_run *own = g_ptr_array_index(merge->here, merge->next);
        if (strcmp(own->began, run->began) < 0)
            break;
        merge->next++;
        /* A row that was just sent is in both. */
        if (strcmp(own->id, run->id) != 0 && !hand_over(merge, own))
            return false;
    }
    return hand_over(merge, run);
}

static bool each_here(struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                      wry_ledger_take take, void *context, GError **error)
{
    g_mutex_lock(&ledger->lock);
    bool good = ledger_sqlite_each(ledger->lite, filter, take, context, error);
    g_mutex_unlock(&ledger->lock);
    return good;
}

/* Asks the server. A connection that was idle may have ended meanwhile: then by a new one. */
static bool each_there(struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                       struct merge *merge, GError **error)
{
    bool is_used = true, good = false;

    while (!good && is_used && !merge->any) {
        GError *failure = NULL;
        struct ledger_postgres *server = take_server(ledger, &is_used, &failure);
        good = server && ledger_postgres_each(server, filter, take_from_server, merge, &failure);
        if (good && merge->more && merge->left > 0)
            return_server(ledger, server);
        else
            ledger_postgres_close(server);
        if (failure && (!is_used || merge->any))
            g_propagate_error(error, g_steal_pointer(&failure));
        g_clear_error(&failure);
    }
    return good;
}

bool wry_ledger_each_of(struct wry_ledger *ledger, const struct wry_ledger_filter *given,
                        size_t size, wry_ledger_take take, void *context, GError **error)
{
    const struct wry_ledger_filter *filter = SIZED(struct wry_ledger_filter, given, size);
    if (!ledger->address)
        return each_here(ledger, filter, take, context, error);
    g_autoptr(GPtrArray) here = ledger_runs_new();
    struct merge merge = {.take = take,
                          .context = context,
                          .here = here,
                          .left = filter->most > 0 ? filter->most : UINT_MAX,
                          .more = true};
    if (!each_here(ledger, filter, ledger_collect, here, error))
        return false;
    bool good = each_there(ledger, filter, &merge, error);
    for (; good && merge.more && merge.left > 0 && merge.next < here->len; merge.next++)
        hand_over(&merge, g_ptr_array_index(here, merge.next));
    return good;
}

GPtrArray *wry_ledger_list_of(struct wry_ledger *ledger, const struct wry_ledger_filter *given,
                              size_t size, GError **error)
{
    const struct wry_ledger_filter *filter = SIZED(struct wry_ledger_filter, given, size);
    GPtrArray *runs = ledger_runs_new();

    if (wry_ledger_each(ledger, filter, ledger_collect, runs, error))
        return runs;
    g_ptr_array_unref(runs);
    return NULL;
}

static int by_text(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

/* What is here and on the server, once each. */
static void unite(GPtrArray *values, unsigned most)
{
    g_ptr_array_sort(values, by_text);
    for (guint i = 1; i < values->len;) {
        if (strcmp(g_ptr_array_index(values, i - 1), g_ptr_array_index(values, i)) == 0)
            g_ptr_array_remove_index(values, i);
        else
            i++;
    }
    if (most > 0 && values->len > most)
        g_ptr_array_set_size(values, (int)most);
}

GPtrArray *wry_ledger_values(struct wry_ledger *ledger, enum wry_ledger_field field,
                             const char *part, unsigned most, GError **error)
{
    GPtrArray *found = g_ptr_array_new_with_free_func(g_free);

    g_mutex_lock(&ledger->lock);
    bool good = ledger_sqlite_values(ledger->lite, field, part, most, found, error);
    g_mutex_unlock(&ledger->lock);
    if (good && ledger->address) {
        struct ledger_postgres *server = ledger_server(ledger, READ_TIME, error);
        good = server && ledger_postgres_values(server, field, part, most, found, error);
        if (good)
            return_server(ledger, server);
        else
            ledger_postgres_close(server);
    }
    if (good) {
        unite(found, most);
        return found;
    }
    g_ptr_array_unref(found);
    return NULL;
}

int wry_ledger_waiting(struct wry_ledger *ledger)
{
    g_mutex_lock(&ledger->lock);
    int waiting = ledger->address ? ledger_sqlite_count_waiting(ledger->lite, NULL) : 0;
    g_mutex_unlock(&ledger->lock);
    return waiting;
}

char *wry_ledger_problem(struct wry_ledger *ledger)
{
    return ledger->sender ? ledger_sender_problem(ledger->sender) : NULL;
}

bool wry_ledger_is_exposed(const struct wry_ledger *ledger)
{
    return ledger->exposed || (ledger->sender && ledger_sender_is_exposed(ledger->sender));
}

bool ledger_exposed_once(struct wry_ledger *ledger)
{
    g_mutex_lock(&ledger->lock);
    bool now = !ledger->exposed_told && wry_ledger_is_exposed(ledger);
    ledger->exposed_told = ledger->exposed_told || now;
    g_mutex_unlock(&ledger->lock);
    return now;
}

static void free_refusal(void *item)
{
    struct wry_ledger_refusal *refusal = item;

    g_free(refusal->id);
    g_free(refusal->reason);
    g_free(refusal);
}

static void add_refusal(void *context, const char *id, const char *reason, bool is_tried)
{
    struct wry_ledger_refusal *refusal = g_new0(struct wry_ledger_refusal, 1);

    refusal->id = g_strdup(id);
    refusal->reason = g_strdup(reason);
    refusal->goes_out = is_tried;
    g_ptr_array_add(context, refusal);
}

GPtrArray *wry_ledger_refusals(struct wry_ledger *ledger, GError **error)
{
    GPtrArray *refusals = g_ptr_array_new_with_free_func(free_refusal);

    g_mutex_lock(&ledger->lock);
    bool good =
        !ledger->address || ledger_sqlite_each_refused(ledger->lite, add_refusal, refusals, error);
    g_mutex_unlock(&ledger->lock);
    if (good)
        return refusals;
    g_ptr_array_unref(refusals);
    return NULL;
}

bool wry_ledger_send(struct wry_ledger *ledger, GError **error)
{
    if (!ledger->address)
        return true;
    struct ledger_sqlite *outbox = ledger_sqlite_open(ledger->path, error);
    bool sent = outbox && ledger_sender_send(ledger->address, outbox, error);
    ledger_sqlite_close(outbox);
    return sent;
}

/* Other outboxes: rows for servers with another address. */

static void free_outbox(void *item)
{
    struct wry_ledger_outbox *outbox = item;

    g_free(outbox->path);
    g_free(outbox->server);
    g_free(outbox);
}

static struct wry_ledger_outbox *look_at_outbox(const char *path, GError **error)
{
    struct ledger_sqlite *lite = ledger_sqlite_open(path, error);
    struct wry_ledger_outbox *outbox = NULL;
    int waiting = lite && ledger_sqlite_find_cut(lite, g_get_host_name(), error) &&
                          ledger_sqlite_take_up(lite, error)
                      ? ledger_sqlite_count_waiting(lite, error)
                      : -1;

    if (waiting >= 0) {
        outbox = g_new0(struct wry_ledger_outbox, 1);
        outbox->path = g_strdup(path);
        outbox->server = ledger_sqlite_server(lite);
        outbox->waiting = (unsigned)waiting;
    }
    ledger_sqlite_close(lite);
    return outbox;
}

GPtrArray *wry_ledger_other_outboxes(struct wry_ledger *ledger, GError **error)
{
    g_autofree char *folder = folders_user(FOLDER_DATA, NULL);
    GPtrArray *found = g_ptr_array_new_with_free_func(free_outbox);
    g_autoptr(GError) failure = NULL;
    g_auto(GStrv) names = folder_names(folder, &failure);
    bool good = names || g_error_matches(failure, G_FILE_ERROR, G_FILE_ERROR_NOENT);

    if (!good)
        g_propagate_error(error, g_steal_pointer(&failure));
    for (char **name = names; name && *name && good; name++) {
        g_autofree char *path = g_build_filename(folder, *name, NULL);
        if (!g_str_has_prefix(*name, "outbox-") || !g_str_has_suffix(*name, ".db") ||
            strcmp(path, ledger->path) == 0)
            continue;
        struct wry_ledger_outbox *outbox = look_at_outbox(path, error);
        good = outbox != NULL;
        if (outbox && outbox->waiting > 0)
            g_ptr_array_add(found, outbox);
        else if (outbox)
            free_outbox(outbox);
    }
    if (good)
        return found;
    g_ptr_array_unref(found);
    return NULL;
}

/* Moves rows into a ledger file; rows that it already has stay unchanged. */
static bool move_rows(struct wry_ledger *ledger, struct ledger_sqlite *outbox, GError **error)
{
    g_autofree char *mark = g_uuid_string_random();

    for (;;) {
        g_autoptr(GPtrArray) runs = ledger_sqlite_waiting(outbox, mark, 1, error);
        if (!runs || runs->len == 0)
            return runs != NULL;
        const struct wry_ledger_run *run = g_ptr_array_index(runs, 0);
        if (!ledger_end(ledger, run, error) || !ledger_sqlite_drop(outbox, run->id, error))
            return false;
    }
}

bool wry_ledger_send_from(struct wry_ledger *ledger, const struct wry_ledger_outbox *from,
                          GError **error)
{
    struct ledger_sqlite *outbox = ledger_sqlite_open(from->path, error);
    bool sent = outbox && (ledger->address ? ledger_sender_send(ledger->address, outbox, error)
                                           : move_rows(ledger, outbox, error));

    ledger_sqlite_close(outbox);
    return sent;
}

bool wry_ledger_outbox_is(const struct wry_ledger_outbox *outbox, const char *name)
{
    g_autofree char *path = postgres_is_address(name) ? outbox_path(name) : NULL;

    return g_strcmp0(path, outbox->path) == 0 || strcmp(name, outbox->path) == 0 ||
           g_strcmp0(name, outbox->server) == 0;
}
