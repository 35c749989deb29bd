/*
 * The serving end of RFC 2217: turns a telnet stream into bytes, speeds and control lines, and
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
    void (*data)(void *context, const uint8_t *bytes, size_t n); /* for the serial line */
    void (*speed)(void *context, uint32_t baud);
    void (*outputs)(void *context, bool dtr, bool rts);
    void (*line_break)(void *context); /* a break has begun; may be NULL */
};

struct rfc2217_server *rfc2217_server_new(const struct rfc2217_calls *calls);
void rfc2217_server_free(struct rfc2217_server *server);

/* Bytes that came from the socket. False when the client does not keep to the protocol, or wants
 * to send compressed, which nobody agreed to: it is to be hung up on. */
bool rfc2217_server_take(struct rfc2217_server *server, const uint8_t *bytes, size_t n);
/* Bytes that came from the serial line, on their way to the client. */
void rfc2217_server_give(struct rfc2217_server *server, const uint8_t *bytes, size_t n);

/* Sends what means nothing (NOP, RFC 854): the system of a client that has gone resets the
 * connection for it, which else it would do only once all that it sent had been taken. */
void rfc2217_server_nudge(struct rfc2217_server *server);

#endif
