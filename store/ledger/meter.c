/* A meter between a library and its socket. */
#include "meter.h"

#include <errno.h>
#include <fcntl.h>
#include <glib.h>
#include <poll.h>
#include <sys/socket.h>
#include <unistd.h>

enum {
    PIECE = 32 << 10, /* bytes of one piece; less than the buffer of a local socket */
};

struct meter {
    int library; /* the library's end, which it closes */
    int inner;   /* the meter's end */
    int wire;    /* the connection to the server */
    uint64_t received;
    uint8_t out[PIECE];
    size_t at, end; /* range of out still to be sent */
    bool ended;
};

struct meter *meter_insert(int socket)
{
    int pair[2];
    int wire = fcntl(socket, F_DUPFD_CLOEXEC, 0);

    if (wire < 0)
        return NULL;
    if (socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC | SOCK_NONBLOCK, 0, pair) != 0) {
        close(wire);
        return NULL;
    }
    bool placed = dup3(pair[0], socket, O_CLOEXEC) >= 0;
    close(pair[0]);
    if (!placed) {
        close(pair[1]);
        close(wire);
        return NULL;
    }
    struct meter *meter = g_new0(struct meter, 1);
    meter->library = socket;
    meter->inner = pair[1];
    meter->wire = wire;
    return meter;
}

/* Closes the meter's end; the library sees that after reading what came before. */
static void end(struct meter *meter)
{
    meter->ended = true;
    shutdown(meter->inner, SHUT_WR);
}

static bool would_block(void)
{
    return errno == EAGAIN || errno == EWOULDBLOCK || errno == EINTR;
}

/* True if anything was sent. */
static bool move_out(struct meter *meter)
{
    bool moved = false;

    while (!meter->ended) {
        if (meter->at == meter->end) {
            ssize_t n = recv(meter->inner, meter->out, sizeof meter->out, MSG_DONTWAIT);
            if (n <= 0)
                break;
            meter->at = 0;
            meter->end = (size_t)n;
        }
        ssize_t n = send(meter->wire, meter->out + meter->at, meter->end - meter->at,
                         MSG_DONTWAIT | MSG_NOSIGNAL);
        if (n < 0) {
            if (!would_block())
                end(meter);
            break;
        }
        meter->at += (size_t)n;
        moved = true;
    }
    return moved;
}

/* True if the library has something new to read: a piece, or the end. */
static bool move_in(struct meter *meter)
{
    uint8_t piece[PIECE];
    ssize_t n = recv(meter->wire, piece, sizeof piece, MSG_DONTWAIT);

    if (n < 0 && would_block())
        return false;
    /* There is room for the piece: the library has read the one before. */
    if (n <= 0 || send(meter->inner, piece, (size_t)n, MSG_DONTWAIT | MSG_NOSIGNAL) != n)
        end(meter);
    else
        meter->received += (uint64_t)n;
    return true;
}

static bool is_readable(int socket)
{
    struct pollfd one = {.fd = socket, .events = POLLIN};

    return poll(&one, 1, 0) > 0;
}

bool meter_exchange(struct meter *meter, int64_t deadline)
{
    for (;;) {
        bool sent = move_out(meter);
        if (is_readable(meter->library) || move_in(meter) || sent)
            return true;
        int64_t left = deadline - g_get_monotonic_time();
        if (left <= 0)
            return false;
        short events = meter->at < meter->end ? POLLIN | POLLOUT : POLLIN;
        poll(&(struct pollfd){.fd = meter->wire, .events = events}, 1,
             (int)MIN(left / 1000 + 1, 1000));
    }
}

uint64_t meter_received(const struct meter *meter)
{
    return meter->received;
}

void meter_free(struct meter *meter)
{
    if (!meter)
        return;
    move_out(meter);
    close(meter->inner);
    close(meter->wire);
    g_free(meter);
}
