/*
 * Any bytes from a ledger's server, after an honest greeting: looking at the ledger and sending a
 * row end, with an error or without, and no row is handed out that cannot be used.
 */
#define _GNU_SOURCE /* memmem */
#include <glib.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#include "door.h"
#include "store/ledger/ledger_postgres.h"

static const uint8_t greeting[] = {'R', 0, 0, 0, 8, 0, 0, 0, 0, 'Z', 0, 0, 0, 5, 'I'};

enum {
    PATIENCE = 5, /* ms */
};

struct server {
    int listener;
    const uint8_t *bytes;
    size_t n;
};

static void send_all(int client, const uint8_t *bytes, size_t n)
{
    while (n > 0) {
        ssize_t sent = send(client, bytes, n, MSG_NOSIGNAL);
        if (sent <= 0)
            return;
        bytes += sent;
        n -= (size_t)sent;
    }
}

/* A piece of the input for each request, its length in two bytes before it; then it hangs up. */
static gpointer serve(gpointer data)
{
    const struct server *server = data;
    int client = accept(server->listener, NULL, NULL);
    uint8_t request[8192];
    struct pollfd asked = {.fd = client, .events = POLLIN};
    size_t at = 0;

    MUST(client >= 0);
    (void)!recv(client, request, sizeof request, 0);
    send_all(client, greeting, sizeof greeting);
    /* Half an answer is waited for, and gets no request: the next piece follows by itself. */
    while (at + 2 <= server->n) {
        if (poll(&asked, 1, PATIENCE) > 0 && recv(client, request, sizeof request, 0) <= 0)
            break;
        size_t length = (size_t)server->bytes[at] << 8 | server->bytes[at + 1];
        length = MIN(length, server->n - at - 2);
        send_all(client, server->bytes + at + 2, length);
        at += 2 + length;
    }
    shutdown(client, SHUT_WR);
    while (recv(client, request, sizeof request, 0) > 0)
        ;
    close(client);
    return NULL;
}

static bool take(void *context, const struct wry_ledger_run *run)
{
    unsigned *rows = context;

    MUST(run->id && run->kind && run->began && run->outcome);
    MUST(g_utf8_validate(run->id, -1, NULL));
    return ++*rows < 1000;
}

static void use(const char *address)
{
    const struct wry_ledger_filter filter = {.most = 5};
    g_autoptr(GError) error = NULL, other = NULL;
    g_autoptr(GPtrArray) runs = g_ptr_array_new();
    struct wry_ledger_run run = {.id = (char *)"00000000-0000-4000-8000-000000000001",
                                 .kind = (char *)"write",
                                 .began = (char *)"2026-11-20T18:18:00.000Z",
                                 .computer = (char *)"pier",
                                 .username = (char *)"bosun",
                                 .program = (char *)"0.3.0",
                                 .outcome = (char *)"passed"};
    unsigned rows = 0;
    struct ledger_postgres *server =
        ledger_postgres_open(address, g_get_monotonic_time() + 5000000, &error);

    MUST((server != NULL) == (error == NULL));
    if (!server)
        return;
    ledger_postgres_each(server, &filter, take, &rows, &other);
    g_clear_error(&other);
    g_ptr_array_add(runs, &run);
    ledger_postgres_put(server, runs, &other);
    ledger_postgres_close(server);
}

/* A description of parameters, which nobody asks for: libpq 15.18 forgets the result that it has
 * begun and leaks it. */
static bool describes_parameters(const uint8_t *bytes, size_t n)
{
    return memmem(bytes, n, "t\0\0", 3) != NULL;
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct sockaddr_un address = {.sun_family = AF_UNIX};
    struct server server = {.bytes = bytes, .n = n};

    if (describes_parameters(bytes, n))
        return -1;
    g_autofree char *text =
        g_strdup_printf("host=%s port=1 user=bosun dbname=ledger", door_folder());

    g_snprintf(address.sun_path, sizeof address.sun_path, "%s/.s.PGSQL.1", door_folder());
    unlink(address.sun_path);
    server.listener = socket(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0);
    MUST(server.listener >= 0);
    MUST(bind(server.listener, (struct sockaddr *)&address, sizeof address) == 0);
    MUST(listen(server.listener, 1) == 0);
    GThread *thread = g_thread_new("server", serve, &server);
    use(text);
    g_thread_join(thread);
    close(server.listener);
    return 0;
}
