/*
 * Any bytes from a server to our client, over a real socket: the call ends, and nothing that
 * arrives is more than was sent. The server says all of it at once and hangs up.
 */
#include <arpa/inet.h>
#include <glib.h>
#include <netinet/in.h>
#include <sys/socket.h>
#include <unistd.h>

#include "door.h"
#include "wrytograph-host/remote.h"

struct server {
    int listener;
    uint16_t port;
    const uint8_t *bytes;
    size_t n;
};

static void listen_once(struct server *server)
{
    struct sockaddr_in address = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t length = sizeof address;

    server->listener = socket(AF_INET, SOCK_STREAM | SOCK_CLOEXEC, 0);
    MUST(server->listener >= 0);
    MUST(bind(server->listener, (struct sockaddr *)&address, sizeof address) == 0);
    MUST(listen(server->listener, 4) == 0);
    MUST(getsockname(server->listener, (struct sockaddr *)&address, &length) == 0);
    server->port = ntohs(address.sin_port);
}

static gpointer serve(gpointer data)
{
    const struct server *server = data;
    int client = accept(server->listener, NULL, NULL);
    size_t sent = 0;
    uint8_t dust[512];

    MUST(client >= 0);
    while (sent < server->n) {
        ssize_t k = send(client, server->bytes + sent, server->n - sent, MSG_NOSIGNAL);
        if (k <= 0)
            break;
        sent += (size_t)k;
    }
    shutdown(client, SHUT_WR);
    while (recv(client, dust, sizeof dust, 0) > 0)
        ;
    close(client);
    return NULL;
}

static void talk(struct wry_remote *remote, size_t n)
{
    const struct wry_port *port = wry_remote_port(remote);
    uint8_t bytes[256];
    size_t got = 0, all = 0;

    port->set_speed(port->context, 460800);
    port->set_lines(port->context, true, false);
    port->write(port->context, (const uint8_t *)"\xFFgauge", 6);
    while (port->read(port->context, bytes, sizeof bytes, port->now(port->context) + 1000000,
                      &got) == WRY_OK &&
           got > 0)
        all += got;
    MUST(all <= n);
    port->discard(port->context);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static struct server server = {.listener = -1};
    g_autoptr(GError) error = NULL;

    if (n == 0)
        return 0;
    if (server.listener < 0)
        listen_once(&server);
    server.bytes = bytes + 1;
    server.n = n - 1;
    GThread *thread = g_thread_new("server", serve, &server);
    struct wry_remote *remote =
        wry_remote_open(&(struct wry_remote_settings){.host = "127.0.0.1",
                                                      .port = server.port,
                                                      .com_port = bytes[0] % 4 > 0,
                                                      .wiring = wry_wiring_at(0)},
                        &error);
    MUST((remote != NULL) == (error == NULL));
    if (remote) {
        talk(remote, n);
        wry_remote_close(remote);
    }
    g_thread_join(thread);
    return 0;
}
