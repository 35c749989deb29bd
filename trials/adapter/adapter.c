/*
 * A USB serial adapter for the kernel's own driver, wired to a board of `bench serve`: bytes, speed
 * and control lines go over RFC 2217 to the board. Says on stdout what the lines did.
 *
 * usage: usb_adapter PORT
 * Each line of stdin: "unplug", or "plug N" (into that port of the controller).
 */
#include <netinet/in.h>
#include <netinet/tcp.h>
#include <poll.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

#include "usb.h"

enum {
    ROOM = 8192,
    STATUS_BYTES = 2, /* before what each packet carries */
    MODEM_STATUS = 0x01,
    LINE_EMPTY = 0x60, /* the transmitter has nothing left */
    IDLE_MS = 40,      /* after which a packet without content goes out */
    TELNET_IAC = 255,  /* RFC 854 */
    TELNET_DO = 253,
    TELNET_WILL = 251,
    TELNET_SB = 250,
    TELNET_SE = 240,
    BINARY = 0,    /* RFC 856 */
    COM_PORT = 44, /* RFC 2217 */
    SET_BAUDRATE = 1,
    SET_CONTROL = 5,
    DTR_ON = 8,
    RTS_ON = 11,
    BREAK_ON = 5,
};

struct adapter {
    struct usb usb;
    int board;        /* a socket */
    uint8_t in[ROOM]; /* from the board, still to go to the kernel */
    size_t fill;
    unsigned telnet; /* of a command of telnet's that came in: its state */
    bool dtr, rts, in_break;
    uint32_t baud;
    uint8_t latency_ms;
    uint64_t waiting_since; /* ms */
};

static uint64_t now_ms(void)
{
    struct timespec t;

    clock_gettime(CLOCK_MONOTONIC, &t);
    return (uint64_t)t.tv_sec * 1000 + (uint64_t)t.tv_nsec / 1000000;
}

static void say(const char *what, uint32_t value)
{
    printf("%llu %s %u\n", (unsigned long long)now_ms(), what, value);
    fflush(stdout);
}

static void to_board(struct adapter *adapter, const uint8_t *bytes, size_t n)
{
    while (n > 0) {
        ssize_t sent = send(adapter->board, bytes, n, MSG_NOSIGNAL);
        if (sent <= 0)
            exit(1);
        bytes += sent;
        n -= (size_t)sent;
    }
}

static void set(struct adapter *adapter, uint8_t command, const uint8_t *value, size_t n)
{
    uint8_t out[32] = {TELNET_IAC, TELNET_SB, COM_PORT, command};
    size_t length = 4;

    for (size_t i = 0; i < n; i++) {
        out[length++] = value[i];
        if (value[i] == TELNET_IAC)
            out[length++] = TELNET_IAC;
    }
    out[length++] = TELNET_IAC;
    out[length++] = TELNET_SE;
    to_board(adapter, out, length);
}

static void set_byte(struct adapter *adapter, uint8_t command, uint8_t value)
{
    set(adapter, command, &value, 1);
}

static void set_lines(struct adapter *adapter, bool dtr, bool rts)
{
    bool dtr_new = dtr != adapter->dtr, rts_new = rts != adapter->rts;

    adapter->dtr = dtr;
    adapter->rts = rts;
    if (dtr_new)
        set_byte(adapter, SET_CONTROL, dtr ? DTR_ON : DTR_ON + 1);
    if (rts_new)
        set_byte(adapter, SET_CONTROL, rts ? RTS_ON : RTS_ON + 1);
    if (dtr_new || rts_new)
        say("lines", (dtr ? 1u : 0u) | (rts ? 2u : 0u));
}

/* 3 MHz by a number with eighths; 0 and 1 stand for 3 and 2 Mbaud. */
static void set_speed(struct adapter *adapter, uint16_t value, uint16_t index)
{
    static const uint8_t eighths[] = {0, 4, 2, 1, 3, 5, 6, 7};
    uint32_t whole = value & 0x3FFF;
    uint32_t part = eighths[(value >> 14) | (index & 1) << 2];
    uint32_t baud = whole == 0 ? 3000000 : whole == 1 ? 2000000 : 24000000 / (whole * 8 + part);
    const uint8_t bytes[4] = {(uint8_t)(baud >> 24), (uint8_t)(baud >> 16), (uint8_t)(baud >> 8),
                              (uint8_t)baud};

    if (baud == adapter->baud)
        return;
    adapter->baud = baud;
    set(adapter, SET_BAUDRATE, bytes, sizeof bytes);
    say("speed", baud);
}

static void set_break(struct adapter *adapter, bool on)
{
    if (on != adapter->in_break)
        set_byte(adapter, SET_CONTROL, on ? BREAK_ON : BREAK_ON + 1);
    adapter->in_break = on;
}

static int take_vendor(struct adapter *adapter, const struct usb_setup *setup, uint8_t *in)
{
    switch (setup->request) {
    case 1:
        set_lines(adapter, setup->value & 0x100 ? setup->value & 1 : adapter->dtr,
                  setup->value & 0x200 ? (setup->value & 2) != 0 : adapter->rts);
        return 0;
    case 3:
        set_speed(adapter, setup->value, setup->index);
        return 0;
    case 4:
        set_break(adapter, (setup->value & 0x4000) != 0);
        return 0;
    case 5:
        in[0] = MODEM_STATUS;
        in[1] = LINE_EMPTY;
        return 2;
    case 9:
        adapter->latency_ms = (uint8_t)setup->value;
        say("latency", adapter->latency_ms);
        return 0;
    case 10:
        in[0] = adapter->latency_ms;
        return 1;
    case 0x90:
        in[0] = in[1] = 0xFF;
        return 2;
    default:
        return 0;
    }
}

static int describe(uint16_t which, uint8_t *in)
{
    static const uint8_t device[] = {18,   1,    0x00, 0x02, 0,    0, 0, 64, 0x03,
                                     0x04, 0x01, 0x60, 0x00, 0x06, 1, 2, 3,  1};
    static const uint8_t config[] = {9,  2, 32, 0,    1,    1,    0, 0x80, 45, 9,    4,
                                     0,  0, 2,  0xFF, 0xFF, 0xFF, 0, 7,    5,  0x81, 2,
                                     64, 0, 0,  7,    5,    0x02, 2, 64,   0,  0};
    static const char *const texts[] = {"", "Harbour workshop", "bench adapter", "HW0001"};
    unsigned n = which & 0xFF;

    switch (which >> 8) {
    case 1:
        memcpy(in, device, sizeof device);
        return sizeof device;
    case 2:
        memcpy(in, config, sizeof config);
        return sizeof config;
    case 3:
        if (n >= sizeof texts / sizeof texts[0])
            return -1;
        in[0] = (uint8_t)(n == 0 ? 4 : 2 + 2 * strlen(texts[n]));
        in[1] = 3;
        in[2] = 0x09;
        in[3] = 0x04;
        for (size_t i = 0; n > 0 && texts[n][i]; i++) {
            in[2 + 2 * i] = (uint8_t)texts[n][i];
            in[3 + 2 * i] = 0;
        }
        return in[0];
    default:
        return -1;
    }
}

static int on_control(void *context, const struct usb_setup *setup, uint8_t *in, size_t room)
{
    (void)room;
    if ((setup->type & 0x60) == 0x40)
        return take_vendor(context, setup, in);
    if (setup->request == 6)
        return describe(setup->value, in);
    if (setup->type & 0x80) {
        in[0] = in[1] = 0;
        return 2;
    }
    return 0;
}

static void on_bulk_out(void *context, const uint8_t *bytes, size_t n)
{
    uint8_t out[2 * 4096];
    size_t length = 0;

    for (size_t i = 0; i < n; i++) {
        out[length++] = bytes[i];
        if (bytes[i] == TELNET_IAC)
            out[length++] = TELNET_IAC;
        if (length >= sizeof out - 2 || i + 1 == n) {
            to_board(context, out, length);
            length = 0;
        }
    }
}

/* Telnet's own bytes are passed over. */
static void from_board(struct adapter *adapter)
{
    uint8_t bytes[1024];
    ssize_t n = recv(adapter->board, bytes, sizeof bytes, 0);

    if (n <= 0)
        exit(1);
    for (ssize_t i = 0; i < n && adapter->fill < ROOM; i++) {
        bool iac = bytes[i] == TELNET_IAC;
        switch (adapter->telnet) {
        case 0: /* content */
            if (iac)
                adapter->telnet = 1;
            else
                adapter->in[adapter->fill++] = bytes[i];
            break;
        case 1: /* a command */
            if (iac)
                adapter->in[adapter->fill++] = TELNET_IAC;
            adapter->telnet = bytes[i] == TELNET_SB                              ? 3
                              : bytes[i] >= TELNET_WILL && bytes[i] < TELNET_IAC ? 2
                                                                                 : 0;
            break;
        case 2: /* its option */
            adapter->telnet = 0;
            break;
        case 3: /* within a subnegotiation */
            if (iac)
                adapter->telnet = 4;
            break;
        default:
            adapter->telnet = bytes[i] == TELNET_SE ? 0 : 3;
            break;
        }
    }
}

/* Full packets at once, less than one after the adapter's latency, a bare status now and then. */
static void to_kernel(struct adapter *adapter)
{
    uint8_t packet[USB_PACKET] = {MODEM_STATUS, LINE_EMPTY};
    size_t most = sizeof packet - STATUS_BYTES;

    while (usb_is_asked(&adapter->usb)) {
        uint64_t waited = now_ms() - adapter->waiting_since;
        bool due = adapter->fill >= most || (adapter->fill > 0 && waited >= adapter->latency_ms) ||
                   waited >= IDLE_MS;
        if (!due)
            return;
        size_t n = adapter->fill < most ? adapter->fill : most;
        memcpy(packet + STATUS_BYTES, adapter->in, n);
        memmove(adapter->in, adapter->in + n, adapter->fill - n);
        adapter->fill -= n;
        adapter->waiting_since = now_ms();
        usb_give(&adapter->usb, packet, STATUS_BYTES + n);
    }
}

static int connect_to(const char *port)
{
    struct sockaddr_in address = {.sin_family = AF_INET,
                                  .sin_port = htons((uint16_t)atoi(port)),
                                  .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    static const uint8_t hello[] = {TELNET_IAC, TELNET_WILL, BINARY,      TELNET_IAC, TELNET_DO,
                                    BINARY,     TELNET_IAC,  TELNET_WILL, COM_PORT};
    int board = socket(AF_INET, SOCK_STREAM, 0), one = 1;

    if (board < 0 || connect(board, (struct sockaddr *)&address, sizeof address) != 0)
        return -1;
    setsockopt(board, IPPROTO_TCP, TCP_NODELAY, &one, sizeof one);
    return send(board, hello, sizeof hello, MSG_NOSIGNAL) == sizeof hello ? board : -1;
}

static void unplug(struct adapter *adapter)
{
    usb_unplug(&adapter->usb);
    /* Its outputs float then. */
    set_lines(adapter, false, false);
    say("gone", 0);
}

static bool obey(struct adapter *adapter)
{
    const struct usb_device device = {
        .context = adapter, .control = on_control, .bulk_out = on_bulk_out};
    char line[64];
    unsigned port;

    if (!fgets(line, sizeof line, stdin))
        return false;
    if (strncmp(line, "unplug", 6) == 0) {
        unplug(adapter);
    } else if (sscanf(line, "plug %u", &port) == 1) {
        bool in = usb_plug_in(&adapter->usb, port, &device);
        adapter->fill = 0;
        say(in ? "plugged" : "refused", port);
    }
    return true;
}

int main(int argc, char **argv)
{
    static struct adapter adapter = {.usb.socket = -1, .latency_ms = 16};

    adapter.board = argc == 2 ? connect_to(argv[1]) : -1;
    if (adapter.board < 0) {
        fprintf(stderr, "usage: usb_adapter PORT (of a board of 'wrytograph bench serve')\n");
        return 2;
    }
    setvbuf(stdin, NULL, _IONBF, 0);
    for (;;) {
        struct pollfd events[] = {{.fd = adapter.board, .events = POLLIN},
                                  {.fd = STDIN_FILENO, .events = POLLIN},
                                  {.fd = adapter.usb.socket, .events = POLLIN}};
        poll(events, 3, usb_is_asked(&adapter.usb) ? 1 : 1000);
        if (events[0].revents)
            from_board(&adapter);
        if ((events[1].revents & (POLLIN | POLLHUP)) && !obey(&adapter))
            return 0;
        if (events[2].revents && !usb_take(&adapter.usb))
            unplug(&adapter);
        to_kernel(&adapter);
    }
}
