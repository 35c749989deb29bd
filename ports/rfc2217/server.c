/* The server side of RFC 2217. */
#include "server.h"

#include <libtelnet.h>
#include <stdlib.h>
#include <string.h>

#include "com_port.h"

enum {
    SLOWEST = 50, /* baud */
};

struct rfc2217_server {
    struct rfc2217_calls calls;
    telnet_t *telnet;
    uint32_t baud;
    bool dtr, rts;
    bool broken; /* the client violates the protocol */
};

static const char signature[] = "wrytograph bench";

static void answer(struct rfc2217_server *server, uint8_t command, const uint8_t *value, size_t n)
{
    uint8_t message[64] = {(uint8_t)(command + COM_PORT_REPLY)};

    memcpy(message + 1, value, n);
    telnet_subnegotiation(server->telnet, COM_PORT_OPTION, (const char *)message, n + 1);
}

/* 0 queries the speed. A speed that no adapter supports is not set, as the answer shows. */
static void on_speed(struct rfc2217_server *server, const uint8_t *value, size_t n)
{
    if (n < 4)
        return;
    uint32_t baud =
        (uint32_t)value[0] << 24 | (uint32_t)value[1] << 16 | (uint32_t)value[2] << 8 | value[3];
    if (baud >= SLOWEST) {
        server->baud = baud;
        server->calls.speed(server->calls.context, baud);
    }
    const uint8_t now[4] = {(uint8_t)(server->baud >> 24), (uint8_t)(server->baud >> 16),
                            (uint8_t)(server->baud >> 8), (uint8_t)server->baud};
    answer(server, COM_PORT_SET_BAUDRATE, now, sizeof now);
}

static void on_control(struct rfc2217_server *server, uint8_t value)
{
    switch (value) {
    case COM_PORT_DTR_ON:
    case COM_PORT_DTR_OFF:
        server->dtr = value == COM_PORT_DTR_ON;
        break;
    case COM_PORT_RTS_ON:
    case COM_PORT_RTS_OFF:
        server->rts = value == COM_PORT_RTS_ON;
        break;
    case COM_PORT_BREAK_ON:
        if (server->calls.line_break)
            server->calls.line_break(server->calls.context);
        break;
    case COM_PORT_ASK_DTR:
        value = server->dtr ? COM_PORT_DTR_ON : COM_PORT_DTR_OFF;
        break;
    case COM_PORT_ASK_RTS:
        value = server->rts ? COM_PORT_RTS_ON : COM_PORT_RTS_OFF;
        break;
    default:
        break;
    }
    server->calls.outputs(server->calls.context, server->dtr, server->rts);
    answer(server, COM_PORT_SET_CONTROL, &value, 1);
}

/* The line stays 8N1 without flow control, whatever is requested; 0 queries it. */
static void on_setting(struct rfc2217_server *server, uint8_t command, uint8_t value)
{
    static const uint8_t plain[] = {[COM_PORT_SET_DATASIZE] = COM_PORT_EIGHT_BITS,
                                    [COM_PORT_SET_PARITY] = COM_PORT_NO_PARITY,
                                    [COM_PORT_SET_STOPSIZE] = COM_PORT_ONE_STOP};

    (void)value;
    answer(server, command, &plain[command], 1);
}

static void on_command(struct rfc2217_server *server, const uint8_t *bytes, size_t n)
{
    if (n == 0)
        return;
    switch (bytes[0]) {
    case COM_PORT_SIGNATURE:
        if (n == 1)
            answer(server, COM_PORT_SIGNATURE, (const uint8_t *)signature, sizeof signature - 1);
        break;
    case COM_PORT_SET_BAUDRATE:
        on_speed(server, bytes + 1, n - 1);
        break;
    case COM_PORT_SET_DATASIZE:
    case COM_PORT_SET_PARITY:
    case COM_PORT_SET_STOPSIZE:
        if (n > 1)
            on_setting(server, bytes[0], bytes[1]);
        break;
    case COM_PORT_SET_CONTROL:
        if (n > 1)
            on_control(server, bytes[1]);
        break;
    case COM_PORT_SET_LINESTATE_MASK:
    case COM_PORT_SET_MODEMSTATE_MASK:
    case COM_PORT_PURGE_DATA:
        if (n > 1)
            answer(server, bytes[0], bytes + 1, 1);
        break;
    default:
        break;
    }
}

static void on_telnet(telnet_t *telnet, telnet_event_t *event, void *context)
{
    struct rfc2217_server *server = context;

    (void)telnet;
    if (server->broken)
        return;
    switch (event->type) {
    case TELNET_EV_DATA:
        server->calls.data(server->calls.context, (const uint8_t *)event->data.buffer,
                           event->data.size);
        break;
    case TELNET_EV_SEND:
        server->calls.send(server->calls.context, (const uint8_t *)event->data.buffer,
                           event->data.size);
        break;
    case TELNET_EV_SUBNEGOTIATION:
        if (event->sub.telopt == COM_PORT_OPTION)
            on_command(server, (const uint8_t *)event->sub.buffer, event->sub.size);
        break;
    case TELNET_EV_COMPRESS: /* the library would decompress unasked, and a little input can become
                                very much */
    case TELNET_EV_ERROR:
        server->broken = true;
        break;
    default:
        break;
    }
}

struct rfc2217_server *rfc2217_server_new(const struct rfc2217_calls *calls)
{
    static const telnet_telopt_t options[] = {
        {TELNET_TELOPT_BINARY, TELNET_WILL, TELNET_DO},
        {TELNET_TELOPT_SGA, TELNET_WILL, TELNET_DO},
        {COM_PORT_OPTION, TELNET_WILL, TELNET_DO},
        {-1, 0, 0},
    };
    struct rfc2217_server *server = calloc(1, sizeof *server);

    if (!server)
        return NULL;
    server->calls = *calls;
    server->baud = 115200;
    server->telnet = telnet_init(options, on_telnet, 0, server);
    return server;
}

void rfc2217_server_free(struct rfc2217_server *server)
{
    if (!server)
        return;
    telnet_free(server->telnet);
    free(server);
}

bool rfc2217_server_take(struct rfc2217_server *server, const uint8_t *bytes, size_t n)
{
    if (!server->broken)
        telnet_recv(server->telnet, (const char *)bytes, n);
    return !server->broken;
}

void rfc2217_server_give(struct rfc2217_server *server, const uint8_t *bytes, size_t n)
{
    telnet_send(server->telnet, (const char *)bytes, n);
}

void rfc2217_server_nudge(struct rfc2217_server *server)
{
    telnet_iac(server->telnet, TELNET_NOP);
}
