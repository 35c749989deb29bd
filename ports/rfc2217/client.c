/* A serial port across TCP. */
#include "base/sized.h"
#include "posix/clock.h"
#include "posix/wiring_lines.h"
#include "wrytograph-host/remote.h"

#include <errno.h>
#include <gio/gio.h>
#include <libtelnet.h>
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "com_port.h"
#include "posix/speed.h"
#include "wrytograph/message.h"

enum {
    WAIT_MS = 100, /* ms between checks whether to stop */
    QUEUE_ROOM = 1 << 18,
    PIECE = 4096,
};

#define ANSWER_TIME 2000000 /* us for the server to answer a setting */
#define CONNECT_TIME 5000000
#define BREAK_TIME 250000   /* us that a break lasts */
#define WRITE_TIME 10000000 /* us without a byte accepted, after which the link is dead */

struct wry_remote {
    struct wry_remote_settings settings;
    char *host; /* copy of the settings' host */
    GSocketConnection *connection;
    int socket;
    telnet_t *telnet; /* NULL for a raw connection */
    bool failed;
    bool hung_up;                     /* the server closed the connection */
    bool server_does, server_refuses; /* whether the server supports COM port control */
    uint8_t awaited;                  /* command not answered yet; 0xFF = none */
    bool has_lines;
    uint32_t answered_baud;    /* speed in its last answer */
    uint32_t speed;            /* speed in use; 0 = none yet */
    uint8_t answered_control;  /* answer to the last SET-CONTROL */
    GByteArray *out;           /* output of the telnet layer, not yet sent */
    uint8_t queue[QUEUE_ROOM]; /* received, not yet read */
    size_t head, fill;
    struct wry_port port;
};

GQuark wry_remote_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-remote");
}

static void keep(struct wry_remote *remote, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n && remote->fill < QUEUE_ROOM; i++)
        remote->queue[(remote->head + remote->fill++) % QUEUE_ROOM] = bytes[i];
}

/* Milliseconds to wait for the deadline, in slices. */
static int slice(uint64_t deadline)
{
    return MIN(posix_clock_wait(deadline), WAIT_MS);
}

static bool is_stopped(const struct wry_remote *remote)
{
    return wry_stop_asked(remote->settings.stop);
}

static void send_all(struct wry_remote *remote, const uint8_t *bytes, size_t n)
{
    uint64_t deadline = posix_clock_now(NULL) + WRITE_TIME;

    while (n > 0 && !remote->failed) {
        ssize_t sent = send(remote->socket, bytes, n, MSG_NOSIGNAL | MSG_DONTWAIT);
        if (sent > 0) {
            bytes += sent;
            n -= (size_t)sent;
            deadline = posix_clock_now(NULL) + WRITE_TIME;
        } else if (sent < 0 && (errno == EAGAIN || errno == EWOULDBLOCK)) {
            struct pollfd wait = {.fd = remote->socket, .events = POLLOUT};
            poll(&wait, 1, slice(deadline));
            remote->failed = posix_clock_now(NULL) >= deadline || is_stopped(remote);
        } else if (sent >= 0 || errno != EINTR) {
            remote->failed = true;
        }
    }
}

static void on_answer(struct wry_remote *remote, const uint8_t *bytes, size_t n)
{
    if (n < 1 || bytes[0] < COM_PORT_REPLY)
        return;
    uint8_t command = bytes[0] - COM_PORT_REPLY;
    if (command == COM_PORT_SET_BAUDRATE && n >= 5)
        remote->answered_baud = (uint32_t)bytes[1] << 24 | (uint32_t)bytes[2] << 16 |
                                (uint32_t)bytes[3] << 8 | bytes[4];
    if (command == remote->awaited)
        remote->awaited = 0xFF;
}

static void on_telnet(telnet_t *telnet, telnet_event_t *event, void *context)
{
    struct wry_remote *remote = context;

    (void)telnet;
    switch (event->type) {
    case TELNET_EV_DATA:
        keep(remote, (const uint8_t *)event->data.buffer, event->data.size);
        break;
    case TELNET_EV_SEND:
        g_byte_array_append(remote->out, (const uint8_t *)event->data.buffer,
                            (guint)event->data.size);
        break;
    case TELNET_EV_DO:
        remote->server_does |= event->neg.telopt == COM_PORT_OPTION;
        break;
    case TELNET_EV_DONT:
        remote->server_refuses |= event->neg.telopt == COM_PORT_OPTION;
        break;
    case TELNET_EV_SUBNEGOTIATION:
        if (event->sub.telopt == COM_PORT_OPTION)
            on_answer(remote, (const uint8_t *)event->sub.buffer, event->sub.size);
        break;
    case TELNET_EV_COMPRESS: /* the library would decompress unasked, and a little input can become
                                very much */
    case TELNET_EV_ERROR:
        remote->failed = true;
        break;
    default:
        break;
    }
}

/* Sends collected output at once: the telnet layer produces a frame in many pieces. */
static void flush(struct wry_remote *remote)
{
    send_all(remote, remote->out->data, remote->out->len);
    g_byte_array_set_size(remote->out, 0);
}

/* Waits for the socket, until the deadline at most, and reads what it has. */
static void take_input(struct wry_remote *remote, uint64_t deadline)
{
    struct pollfd wait = {.fd = remote->socket, .events = POLLIN};
    uint8_t bytes[PIECE];

    if (remote->failed || poll(&wait, 1, slice(deadline)) <= 0)
        return;
    ssize_t n = recv(remote->socket, bytes, sizeof bytes, MSG_DONTWAIT);
    if (n == 0 || (n < 0 && errno != EAGAIN && errno != EINTR))
        remote->failed = remote->hung_up = true;
    else if (n > 0 && remote->telnet)
        telnet_recv(remote->telnet, (const char *)bytes, (size_t)n);
    else if (n > 0)
        keep(remote, bytes, (size_t)n);
    flush(remote);
}

static enum wry_status port_write(void *context, const uint8_t *bytes, size_t n)
{
    struct wry_remote *remote = context;

    if (remote->telnet && !remote->failed)
        telnet_send(remote->telnet, (const char *)bytes, n);
    else
        send_all(remote, bytes, n);
    flush(remote);
    return remote->failed ? WRY_LINK_LOST : WRY_OK;
}

static enum wry_status port_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct wry_remote *remote = context;

    if (remote->fill == 0) {
        do
            take_input(remote, deadline);
        while (remote->fill == 0 && !remote->failed && posix_clock_now(NULL) < deadline);
    }
    for (*got = 0; *got < room && remote->fill > 0; ++*got) {
        bytes[*got] = remote->queue[remote->head];
        remote->head = (remote->head + 1) % QUEUE_ROOM;
        remote->fill--;
    }
    return *got == 0 && remote->failed ? WRY_LINK_LOST : WRY_OK;
}

/* Sends one setting and waits for its answer. False if none came. */
static bool set(struct wry_remote *remote, uint8_t command, const uint8_t *value, size_t n)
{
    uint8_t message[8] = {command};
    uint64_t deadline = posix_clock_now(NULL) + ANSWER_TIME;

    memcpy(message + 1, value, n);
    remote->awaited = command;
    telnet_subnegotiation(remote->telnet, COM_PORT_OPTION, (const char *)message, n + 1);
    flush(remote);
    while (remote->awaited == command && !remote->failed && posix_clock_now(NULL) < deadline &&
           !is_stopped(remote))
        take_input(remote, deadline);
    return remote->awaited != command && !remote->failed;
}

static bool set_byte(struct wry_remote *remote, uint8_t command, uint8_t value)
{
    return set(remote, command, &value, 1);
}

/* Sets the speed; the server answers with the speed it has set. */
static bool ask_for_speed(struct wry_remote *remote, uint32_t baud)
{
    const uint8_t value[4] = {(uint8_t)(baud >> 24), (uint8_t)(baud >> 16), (uint8_t)(baud >> 8),
                              (uint8_t)baud};

    return set(remote, COM_PORT_SET_BAUDRATE, value, sizeof value);
}

static enum wry_status port_set_speed(void *context, uint32_t baud)
{
    struct wry_remote *remote = context;

    if (!remote->telnet || remote->failed)
        return remote->failed ? WRY_LINK_LOST : WRY_OK;
    if (!ask_for_speed(remote, baud))
        return WRY_LINK_LOST;
    if (speed_is_near(remote->answered_baud, baud)) {
        remote->speed = baud;
        return WRY_OK;
    }
    return remote->speed == 0 || ask_for_speed(remote, remote->speed) ? WRY_UNSUPPORTED
                                                                      : WRY_LINK_LOST;
}

/* Sets one output after the other: the protocol has no command for both. */
static bool set_outputs(struct wry_remote *remote, bool reset, bool boot, bool strap_first)
{
    bool dtr, rts;

    wiring_outputs(remote->settings.wiring, reset, boot, &dtr, &rts);
    uint8_t dtr_byte = dtr ? COM_PORT_DTR_ON : COM_PORT_DTR_OFF;
    uint8_t rts_byte = rts ? COM_PORT_RTS_ON : COM_PORT_RTS_OFF;
    bool dtr_first = strap_first == remote->settings.wiring->reset_is_rts;
    return set_byte(remote, COM_PORT_SET_CONTROL, dtr_first ? dtr_byte : rts_byte) &&
           set_byte(remote, COM_PORT_SET_CONTROL, dtr_first ? rts_byte : dtr_byte);
}

/* Holds the strap before anything else, and releases it last. */
static enum wry_status port_set_lines(void *context, bool reset, bool boot)
{
    struct wry_remote *remote = context;

    if (!remote->has_lines || remote->failed)
        return remote->failed ? WRY_LINK_LOST : WRY_OK;
    return set_outputs(remote, reset, boot, boot) ? WRY_OK : WRY_LINK_LOST;
}

/*
 * The server may have asserted both outputs when it opened the port, and not every server reports
 * that. Releases both, the strap first, so that a board held in reset starts its firmware. If the
 * port has no outputs, a server may not answer.
 */
static bool release_lines(struct wry_remote *remote)
{
    remote->has_lines = set_outputs(remote, false, false, true);
    return !remote->failed;
}

/* RFC 2217, section 3: SET-CONTROL 5 and 6. */
static enum wry_status port_send_break(void *context)
{
    struct wry_remote *remote = context;

    if (!remote->telnet || remote->failed)
        return remote->failed ? WRY_LINK_LOST : WRY_UNSUPPORTED;
    bool sent = set_byte(remote, COM_PORT_SET_CONTROL, COM_PORT_BREAK_ON);
    g_usleep(BREAK_TIME);
    sent = sent && set_byte(remote, COM_PORT_SET_CONTROL, COM_PORT_BREAK_OFF);
    return sent ? WRY_OK : WRY_LINK_LOST;
}

static enum wry_status port_discard(void *context)
{
    struct wry_remote *remote = context;

    take_input(remote, 0);
    remote->head = remote->fill = 0;
    return remote->failed ? WRY_LINK_LOST : WRY_OK;
}

/* Negotiates binary transmission in both directions, COM port control, and 8N1 without flow
 * control. */
static bool negotiate(struct wry_remote *remote)
{
    uint64_t deadline = posix_clock_now(NULL) + ANSWER_TIME;

    telnet_negotiate(remote->telnet, TELNET_WILL, TELNET_TELOPT_BINARY);
    telnet_negotiate(remote->telnet, TELNET_DO, TELNET_TELOPT_BINARY);
    telnet_negotiate(remote->telnet, TELNET_WILL, COM_PORT_OPTION);
    flush(remote);
    while (!remote->server_does && !remote->server_refuses && !remote->failed &&
           posix_clock_now(NULL) < deadline && !is_stopped(remote))
        take_input(remote, deadline);
    return remote->server_does && set_byte(remote, COM_PORT_SET_DATASIZE, COM_PORT_EIGHT_BITS) &&
           set_byte(remote, COM_PORT_SET_PARITY, COM_PORT_NO_PARITY) &&
           set_byte(remote, COM_PORT_SET_STOPSIZE, COM_PORT_ONE_STOP) &&
           set_byte(remote, COM_PORT_SET_CONTROL, COM_PORT_NO_FLOW) &&
           set_byte(remote, COM_PORT_PURGE_DATA, COM_PORT_PURGE_RECEIVE) && release_lines(remote);
}

static const telnet_telopt_t options[] = {
    {TELNET_TELOPT_BINARY, TELNET_WILL, TELNET_DO},
    {TELNET_TELOPT_SGA, TELNET_WILL, TELNET_DO},
    {COM_PORT_OPTION, TELNET_WILL, TELNET_DO},
    {-1, 0, 0},
};

struct connecting {
    GSocketConnection *connection;
    GError *error;
    bool over;
};

static void on_connected(GObject *client, GAsyncResult *result, void *context)
{
    struct connecting *c = context;

    c->connection =
        g_socket_client_connect_to_host_finish(G_SOCKET_CLIENT(client), result, &c->error);
    c->over = true;
}

static gboolean on_tick(void *context)
{
    (void)context;
    return G_SOURCE_CONTINUE;
}

/* Resolves and connects in the background, so that it can be stopped. */
static struct connecting connect_in_slices(struct wry_remote *remote)
{
    g_autoptr(GSocketClient) client = g_socket_client_new();
    g_autoptr(GMainContext) loop = g_main_context_new();
    g_autoptr(GCancellable) cancellable = g_cancellable_new();
    GSource *tick = g_timeout_source_new(WAIT_MS);
    uint64_t deadline = posix_clock_now(NULL) + CONNECT_TIME;
    struct connecting c = {0};

    g_main_context_push_thread_default(loop);
    g_socket_client_set_enable_proxy(client, FALSE);
    g_source_set_callback(tick, on_tick, NULL, NULL);
    g_source_attach(tick, loop);
    g_socket_client_connect_to_host_async(client, remote->settings.host, remote->settings.port,
                                          cancellable, on_connected, &c);
    while (!c.over) {
        g_main_context_iteration(loop, TRUE);
        if (is_stopped(remote) || posix_clock_now(NULL) >= deadline)
            g_cancellable_cancel(cancellable);
    }
    g_source_destroy(tick);
    g_source_unref(tick);
    g_main_context_pop_thread_default(loop);
    return c;
}

static bool connect_to(struct wry_remote *remote, GError **error)
{
    struct connecting c = connect_in_slices(remote);
    g_autoptr(GError) inner = c.error;
    const struct wry_remote_settings *settings = &remote->settings;

    remote->connection = c.connection;
    if (!remote->connection && is_stopped(remote)) {
        g_set_error(error, WRY_REMOTE_ERROR, WRY_REMOTE_ERROR_STOPPED, "stopped at your request");
        return false;
    }
    if (!remote->connection) {
        bool late = g_error_matches(inner, G_IO_ERROR, G_IO_ERROR_CANCELLED);
        g_set_error(error, WRY_REMOTE_ERROR, WRY_REMOTE_ERROR_CONNECT, "%s port %u: %s",
                    settings->host, settings->port, late ? "no answer within 5 s" : inner->message);
        return false;
    }
    GSocket *socket = g_socket_connection_get_socket(remote->connection);
    g_socket_set_option(socket, IPPROTO_TCP, TCP_NODELAY, 1, NULL);
    remote->socket = g_socket_get_fd(socket);
    return true;
}

static void disconnect(struct wry_remote *remote)
{
    if (remote->telnet)
        telnet_free(remote->telnet);
    remote->telnet = NULL;
    g_clear_object(&remote->connection);
    remote->head = remote->fill = 0;
    g_byte_array_set_size(remote->out, 0);
}

static void explain_refusal(const struct wry_remote *remote, GError **error)
{
    const struct wry_remote_settings *settings = &remote->settings;

    if (is_stopped(remote))
        g_set_error(error, WRY_REMOTE_ERROR, WRY_REMOTE_ERROR_STOPPED, "stopped at your request");
    else if (remote->hung_up && !remote->server_does && !remote->server_refuses)
        g_set_error(error, WRY_REMOTE_ERROR, WRY_REMOTE_ERROR_BUSY,
                    "%s port %u closes the connection at once: another client has the port",
                    settings->host, settings->port);
    else
        g_set_error(error, WRY_REMOTE_ERROR, WRY_REMOTE_ERROR_NO_COM_PORT,
                    "%s port %u answers, but offers no serial port control (RFC 2217)",
                    settings->host, settings->port);
}

static bool establish(struct wry_remote *remote, GError **error)
{
    remote->failed = remote->hung_up = remote->server_does = remote->server_refuses = false;
    remote->has_lines = false;
    remote->speed = 0;
    remote->awaited = 0xFF;
    if (!connect_to(remote, error))
        return false;
    remote->telnet = remote->settings.com_port ? telnet_init(options, on_telnet, 0, remote) : NULL;
    if (!remote->settings.com_port || negotiate(remote))
        return true;
    explain_refusal(remote, error);
    return false;
}

static enum wry_status port_reopen(void *context)
{
    struct wry_remote *remote = context;

    disconnect(remote);
    if (establish(remote, NULL))
        return WRY_OK;
    remote->failed = true;
    return WRY_LINK_LOST;
}

struct wry_remote *wry_remote_open_of(const struct wry_remote_settings *given, size_t size,
                                      GError **error)
{
    const struct wry_remote_settings *settings = SIZED(struct wry_remote_settings, given, size);
    struct wry_remote *remote = g_new0(struct wry_remote, 1);
    uint32_t pipe_speed = settings->speed > 0 ? settings->speed : WRY_STARTING_SPEED;

    remote->settings = *settings;
    remote->host = g_strdup(settings->host);
    remote->out = g_byte_array_new();
    remote->settings.host = remote->host;
    remote->port = (struct wry_port){.context = remote,
                                     .write = port_write,
                                     .read = port_read,
                                     .set_speed = port_set_speed,
                                     .set_lines = port_set_lines,
                                     .send_break = port_send_break,
                                     .discard = port_discard,
                                     .reopen = port_reopen,
                                     .now = posix_clock_now,
                                     .sleep = posix_clock_sleep,
                                     .top_speed = settings->com_port ? 3000000 : pipe_speed};
    if (establish(remote, error))
        return remote;
    wry_remote_close(remote);
    return NULL;
}

const struct wry_port *wry_remote_port(const struct wry_remote *remote)
{
    return &remote->port;
}

void wry_remote_take_wiring(struct wry_remote *remote, const struct wry_wiring *wiring)
{
    remote->settings.wiring = wiring;
}

void wry_remote_close(struct wry_remote *remote)
{
    if (!remote)
        return;
    disconnect(remote);
    g_byte_array_unref(remote->out);
    g_free(remote->host);
    g_free(remote);
}
