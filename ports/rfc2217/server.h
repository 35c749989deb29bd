/*
 * The server side of RFC 2217: translates a telnet stream into bytes, speeds and control lines, and
 * answers settings. It opens nothing: the caller moves the bytes of the socket.
 */
#ifndef WRY_RFC2217_SERVER_H
#define WRY_RFC2217_SERVER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct rfc2217_server;

struct rfc2217_calls {
    void *context;
    void (*send)(void *context, const uint8_t *bytes, size_t n); /* to the socket */
    void (*data)(void *context, const uint8_t *bytes, size_t n); /* bytes for the serial line */
    void (*speed)(void *context, uint32_t baud);
    void (*outputs)(void *context, bool dtr, bool rts);
    void (*line_break)(void *context); /* a break begins; may be NULL */
};

struct rfc2217_server *rfc2217_server_new(const struct rfc2217_calls *calls);
void rfc2217_server_free(struct rfc2217_server *server);

/* Processes bytes from the socket. False if the client violates the protocol or wants to send
 * compressed data, which was not negotiated: hang up then. */
bool rfc2217_server_take(struct rfc2217_server *server, const uint8_t *bytes, size_t n);
/* Encodes bytes from the serial line for the client. */
void rfc2217_server_give(struct rfc2217_server *server, const uint8_t *bytes, size_t n);

/* Sends a NOP (RFC 854). If the client is gone, its system resets the connection; without this that
 * would happen only after everything it sent was read. */
void rfc2217_server_nudge(struct rfc2217_server *server);

#endif
