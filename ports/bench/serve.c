/* Serving simulated boards in real time. */
#include "base/sized.h"
#include "bench_folder.h"
#include "posix/wiring_lines.h"

#include <errno.h>
#include <gio/gio.h>
#include <glib/gstdio.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <unistd.h>

#include "buttons.h"
#include "posix/tty.h"
#include "pty.h"
#include "rfc2217/server.h"

enum {
    BUSY_WAIT_MS = 1,    /* ms between turns while a client is connected */
    IDLE_WAIT_MS = 50,   /* ms otherwise */
    QUEUE_MAX = 1 << 16, /* bytes queued for a client that does not read */
    LAST_WORDS = 4096,   /* bytes that are still sent after a client has hung up */
};

#define LOOK_EVERY 50000u   /* us between reads of the buttons */
#define NUDGE_EVERY 200000u /* us between checks whether a busy client is still there */
#define HOLD_TIME 200000u   /* us that the boot button is held at a reset */

/* One board with its listener and client. */
struct served {
    struct bench_board *board;
    struct sim_adapter *adapter;
    const struct wry_wiring *wiring;
    GSocket *listener;
    uint16_t port;
    int client; /* -1: none */
    struct rfc2217_server *telnet;
    struct pty pty;
    bool pty_was_open;
    char *folder;           /* folder of the board */
    struct buttons buttons; /* as last read */
    char *bench, *name;     /* of the board */
    GStatBuf described;     /* the file of its description, as last read */
    uint64_t looked_at;     /* us */
    uint64_t nudged_at;     /* us */
    uint64_t let_go_at;     /* us: when to release the boot button; 0 = not held */
    uint32_t speed_due;     /* speed to set once earlier bytes have left; 0 = none */
    GByteArray *to_board;   /* bytes waiting for room on the line */
    GByteArray *to_client;
    uint64_t begun; /* us of real time at the board's time 0 */
};

/* The boards of one thread. */
struct crew {
    struct wry_bench_server *server;
    GPtrArray *boards; /* struct served */
    GThread *thread;
};

struct wry_bench_server {
    GPtrArray *boards; /* struct served */
    struct crew *crews;
    guint crew_count;
    gint ends; /* set to end the threads; atomic */
};

static void on_send(void *context, const uint8_t *bytes, size_t n)
{
    struct served *s = context;

    if (s->to_client->len + n <= QUEUE_MAX)
        g_byte_array_append(s->to_client, bytes, (guint)n);
}

static void on_data(void *context, const uint8_t *bytes, size_t n)
{
    struct served *s = context;

    g_byte_array_append(s->to_board, bytes, (guint)n);
}

static void on_speed(void *context, uint32_t baud)
{
    struct served *s = context;

    s->speed_due = baud;
}

static void on_outputs(void *context, bool dtr, bool rts)
{
    struct served *s = context;
    bool reset, boot;

    wiring_meaning(s->wiring, dtr, rts, &reset, &boot);
    s->adapter->port.set_lines(s->adapter->port.context, reset, boot);
}

static void on_break(void *context)
{
    struct served *s = context;

    sim_adapter_break(s->adapter);
}

static void set_speed(struct served *s, uint32_t baud)
{
    s->adapter->to_board.sender_baud = baud;
    s->adapter->to_host.receiver_baud = baud;
}

static void hang_up(struct served *s)
{
    if (s->client >= 0)
        close(s->client);
    s->client = -1;
    rfc2217_server_free(s->telnet);
    s->telnet = NULL;
    g_byte_array_set_size(s->to_board, 0);
    g_byte_array_set_size(s->to_client, 0);
    s->speed_due = 0;
    s->adapter->port.set_lines(s->adapter->port.context, false, false);
}

static bool gone(ssize_t n)
{
    return n == 0 || (n < 0 && errno != EAGAIN && errno != EWOULDBLOCK && errno != EINTR);
}

static void write_out(struct served *s)
{
    guint length = s->to_client->len;
    ssize_t n = 0;

    if (length == 0)
        return;
    if (s->client >= 0)
        n = send(s->client, s->to_client->data, length, MSG_NOSIGNAL);
    else if (s->pty_was_open)
        n = write(s->pty.descriptor, s->to_client->data, length);
    else
        n = length;
    if (n > 0)
        g_byte_array_remove_range(s->to_client, 0, (guint)n);
    else if (s->client >= 0 && gone(n))
        hang_up(s);
}

/* Bytes of the client not yet on the line. */
static int waiting(const struct served *s)
{
    int n = 0;

    return s->client >= 0 && ioctl(s->client, FIONREAD, &n) == 0 ? n + (int)s->to_board->len : 0;
}

static bool hung_up(const struct served *s)
{
    struct pollfd look = {.fd = s->client, .events = POLLRDHUP};

    return s->client >= 0 && poll(&look, 1, 0) > 0 &&
           (look.revents & (POLLRDHUP | POLLHUP | POLLERR));
}

/* One client at a time, as with a real port; further ones are rejected. */
static void accept_client(struct served *s)
{
    int one = 1;
    int client = accept4(g_socket_get_fd(s->listener), NULL, NULL, SOCK_NONBLOCK | SOCK_CLOEXEC);

    if (client < 0)
        return;
    /* The previous one may have hung up unnoticed. */
    if (s->client >= 0) {
        rfc2217_server_nudge(s->telnet);
        write_out(s);
    }
    if (hung_up(s))
        hang_up(s);
    if (s->client >= 0 || s->pty_was_open) {
        close(client);
        return;
    }
    setsockopt(client, IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
    s->client = client;
    s->telnet = rfc2217_server_new(&(struct rfc2217_calls){.context = s,
                                                           .send = on_send,
                                                           .data = on_data,
                                                           .speed = on_speed,
                                                           .outputs = on_outputs,
                                                           .line_break = on_break});
    /* The previous one may have set a speed at which its bytes take minutes. */
    sim_line_clear(&s->adapter->to_board);
    set_speed(s, 115200);
    s->adapter->port.discard(s->adapter->port.context);
}

/* Reads only while the line has room, so that the client is slowed down to the line's speed. */
static void read_client(struct served *s)
{
    uint8_t bytes[2048];

    if (s->client < 0 || s->to_board->len > 0 || s->speed_due > 0)
        return;
    ssize_t n = recv(s->client, bytes, sizeof bytes, 0);
    if (gone(n) || (n > 0 && !rfc2217_server_take(s->telnet, bytes, (size_t)n)))
        hang_up(s);
}

/* Bytes sent before hanging up still go out; but not a flood, which would occupy the port for
 * minutes. */
static void watch_client(struct served *s, uint64_t now)
{
    if (waiting(s) <= LAST_WORDS)
        return;
    if (now >= s->nudged_at + NUDGE_EVERY) {
        rfc2217_server_nudge(s->telnet);
        s->nudged_at = now;
    }
    if (hung_up(s))
        hang_up(s);
}

/* Bytes written before closing the terminal still go out: close() waits for them. */
static void read_pty(struct served *s)
{
    uint8_t bytes[2048];

    if (s->pty.descriptor < 0 || s->to_board->len > 0)
        return;
    ssize_t n = read(s->pty.descriptor, bytes, sizeof bytes);
    if (n > 0 && s->pty_was_open)
        on_data(s, bytes, (size_t)n);
}

/* Moves bytes from the adapter to the client. */
static void take_from_board(struct served *s)
{
    uint8_t bytes[1024];
    size_t n;

    while (s->to_client->len < QUEUE_MAX / 2 &&
           (n = sim_adapter_take(s->adapter, bytes, sizeof bytes)) > 0) {
        if (s->client >= 0)
            rfc2217_server_give(s->telnet, bytes, n);
        else
            on_send(s, bytes, n);
    }
}

static void offer_to_board(struct served *s)
{
    size_t taken = sim_adapter_offer(s->adapter, s->to_board->data, s->to_board->len);

    if (taken > 0)
        g_byte_array_remove_range(s->to_board, 0, (guint)taken);
    if (s->speed_due > 0 && s->to_board->len == 0 && s->adapter->to_board.fill == 0) {
        set_speed(s, s->speed_due);
        s->speed_due = 0;
    }
}

/* Opening the terminal plugs the adapter in: the board gets power, with its strap set. */
static void plug(struct served *s, bool open)
{
    s->pty_was_open = open;
    sim_adapter_power(s->adapter, false);
    g_byte_array_set_size(s->to_board, 0);
    g_byte_array_set_size(s->to_client, 0);
    sim_adapter_hold_strap(s->adapter, open);
    sim_adapter_power(s->adapter, true);
}

static void watch_pty(struct served *s)
{
    bool open;

    while (s->pty.descriptor >= 0 && s->client < 0 && pty_changed(&s->pty, &open))
        plug(s, open);
    uint32_t speed = s->pty_was_open ? tty_speed(s->pty.descriptor) : 0;
    if (speed > 0 && s->adapter->to_board.fill == 0)
        set_speed(s, speed);
}

static void tap_reset(struct served *s)
{
    struct sim_board *board = s->adapter->board;

    sim_board_lines(board, true, board->boot_line, s->adapter->now);
    sim_board_lines(board, false, board->boot_line, s->adapter->now);
}

static void let_go(struct served *s)
{
    s->let_go_at = 0;
    sim_adapter_hold_strap(s->adapter, s->buttons.boot || s->pty_was_open);
}

/* Applies faults that were set since the last look: the description is another file then. */
static void watch_faults(struct served *s)
{
    struct bench_description description;
    g_autofree char *path = bench_description_path(s->bench, s->name);
    GStatBuf now;

    if (g_stat(path, &now) != 0 ||
        (now.st_ino == s->described.st_ino && now.st_mtime == s->described.st_mtime))
        return;
    s->described = now;
    if (bench_load(s->bench, s->name, &description, NULL))
        bench_take_faults(s->board, &description.faults);
}

/* Applies button presses since the last read. */
static void watch_buttons(struct served *s, uint64_t now)
{
    struct buttons before = s->buttons;

    if (s->let_go_at > 0 && now >= s->let_go_at)
        let_go(s);
    if (now < s->looked_at + LOOK_EVERY)
        return;
    s->looked_at = now;
    watch_faults(s);
    s->buttons = buttons_read(s->folder);
    /* Pressing another button releases this one. */
    if (s->let_go_at > 0 &&
        (s->buttons.power != before.power || s->buttons.resets != before.resets))
        let_go(s);
    if (s->buttons.boot != before.boot)
        sim_adapter_hold_strap(s->adapter, s->buttons.boot);
    if (s->buttons.power != before.power) {
        sim_adapter_power(s->adapter, false);
        sim_adapter_power(s->adapter, true);
    }
    if (s->buttons.loading != before.loading) {
        sim_adapter_hold_strap(s->adapter, true);
        s->let_go_at = now + HOLD_TIME;
        buttons_done(s->folder);
    }
    if (s->buttons.resets != before.resets || s->buttons.loading != before.loading)
        tap_reset(s);
}

static void turn_board(struct served *s, bool has_input)
{
    uint64_t now = (uint64_t)g_get_monotonic_time() - s->begun;

    watch_pty(s);
    watch_buttons(s, now);
    watch_client(s, now);
    sim_adapter_advance(s->adapter, now * 1000, false);
    if (has_input)
        read_client(s);
    read_pty(s);
    offer_to_board(s);
    take_from_board(s);
    write_out(s);
}

/* Runs some boards for a moment of real time. */
static void turn_boards(GPtrArray *boards)
{
    guint count = boards->len;
    struct pollfd *listeners = g_new0(struct pollfd, count);
    struct pollfd *clients = g_new0(struct pollfd, count);
    int wait = IDLE_WAIT_MS;

    for (guint i = 0; i < count; i++) {
        const struct served *s = g_ptr_array_index(boards, i);
        listeners[i] = (struct pollfd){.fd = g_socket_get_fd(s->listener), .events = POLLIN};
        clients[i] = (struct pollfd){.fd = s->client, .events = POLLIN};
        if (s->client >= 0 || s->pty_was_open)
            wait = BUSY_WAIT_MS;
    }
    poll(listeners, count, wait);
    poll(clients, count, 0);
    for (guint i = 0; i < count; i++) {
        struct served *s = g_ptr_array_index(boards, i);
        if (listeners[i].revents & POLLIN)
            accept_client(s);
        turn_board(s, clients[i].revents != 0);
    }
    g_free(listeners);
    g_free(clients);
}

static gpointer run_crew(gpointer data)
{
    const struct crew *crew = data;

    while (!g_atomic_int_get(&crew->server->ends))
        turn_boards(crew->boards);
    return NULL;
}

/* One thread per processor: boards in real time must not wait for each other. */
static void start_crews(struct wry_bench_server *server)
{
    guint count = MIN(g_get_num_processors(), server->boards->len);

    server->crews = g_new0(struct crew, count);
    server->crew_count = count;
    for (guint i = 0; i < count; i++)
        server->crews[i] = (struct crew){.server = server, .boards = g_ptr_array_new()};
    for (guint i = 0; i < server->boards->len; i++)
        g_ptr_array_add(server->crews[i % count].boards, g_ptr_array_index(server->boards, i));
    for (guint i = 0; i < count; i++)
        server->crews[i].thread = g_thread_new("crew", run_crew, &server->crews[i]);
}

static void end_crews(struct wry_bench_server *server)
{
    g_atomic_int_set(&server->ends, 1);
    for (guint i = 0; i < server->crew_count; i++) {
        g_thread_join(server->crews[i].thread);
        g_ptr_array_unref(server->crews[i].boards);
    }
    g_free(server->crews);
}

static gboolean start_listening(struct served *s, const char *host, uint16_t port, GError **error)
{
    g_autoptr(GSocketAddress) address = g_inet_socket_address_new_from_string(host, port);

    if (!address) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_VALUE,
                    "'%s' is not an address to listen on", host);
        return FALSE;
    }
    s->listener = g_socket_new(g_socket_address_get_family(address), G_SOCKET_TYPE_STREAM,
                               G_SOCKET_PROTOCOL_TCP, error);
    if (!s->listener)
        return FALSE;
    g_socket_set_blocking(s->listener, FALSE);
    if (!g_socket_bind(s->listener, address, TRUE, error) || !g_socket_listen(s->listener, error))
        return FALSE;
    g_autoptr(GSocketAddress) bound = g_socket_get_local_address(s->listener, error);
    if (!bound)
        return FALSE;
    s->port = g_inet_socket_address_get_port(G_INET_SOCKET_ADDRESS(bound));
    return TRUE;
}

static void free_served(void *item)
{
    struct served *s = item;

    if (s->adapter)
        hang_up(s);
    pty_close(&s->pty);
    g_clear_object(&s->listener);
    g_byte_array_unref(s->to_board);
    g_byte_array_unref(s->to_client);
    bench_close(s->board);
    g_free(s->folder);
    g_free(s->bench);
    g_free(s->name);
    g_free(s);
}

static gboolean serve_board(struct wry_bench_server *server,
                            const struct wry_bench_server_settings *settings, const char *name,
                            uint16_t port, GError **error)
{
    struct served *s = g_new0(struct served, 1);

    s->client = s->pty.descriptor = s->pty.watch = -1;
    s->to_board = g_byte_array_new();
    s->to_client = g_byte_array_new();
    s->begun = (uint64_t)g_get_monotonic_time();
    g_ptr_array_add(server->boards, s);
    s->board = bench_open(settings->folder, name, NULL, error);
    if (!s->board)
        return FALSE;
    s->wiring = bench_wiring(s->board);
    s->folder = g_build_filename(settings->folder, name, NULL);
    s->bench = g_strdup(settings->folder);
    s->name = g_strdup(name);
    g_autofree char *described = bench_description_path(settings->folder, name);
    g_stat(described, &s->described);
    s->buttons = buttons_read(s->folder);
    s->adapter = bench_adapter(s->board);
    if (settings->pty && !pty_open(&s->pty)) {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_FILE, "no pseudo-terminal: %s",
                    g_strerror(errno));
        return FALSE;
    }
    return start_listening(s, settings->host, port, error);
}

struct wry_bench_server *wry_bench_server_new_of(const struct wry_bench_server_settings *given,
                                                 size_t size, char **names, GError **error)
{
    const struct wry_bench_server_settings *settings =
        SIZED(struct wry_bench_server_settings, given, size);
    struct wry_bench_server *server = g_new0(struct wry_bench_server, 1);

    server->boards = g_ptr_array_new_with_free_func(free_served);
    for (guint i = 0; names[i]; i++) {
        uint16_t port = settings->first_port > 0 ? (uint16_t)(settings->first_port + i) : 0;
        if (!serve_board(server, settings, names[i], port, error)) {
            wry_bench_server_free(server);
            return NULL;
        }
    }
    start_crews(server);
    return server;
}

uint16_t wry_bench_server_port(const struct wry_bench_server *server, size_t n)
{
    const struct served *s = g_ptr_array_index(server->boards, n);

    return s->port;
}

const char *wry_bench_server_pty(const struct wry_bench_server *server, size_t n)
{
    const struct served *s = g_ptr_array_index(server->boards, n);

    return s->pty.descriptor >= 0 ? s->pty.path : NULL;
}

void wry_bench_server_free(struct wry_bench_server *server)
{
    end_crews(server);
    g_ptr_array_unref(server->boards);
    g_free(server);
}
