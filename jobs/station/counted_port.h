/* A port that counts the bytes that pass through another one, and shows them to a trace. */
#pragma once

#include "wrytograph-host/station.h"
#include "wrytograph/port.h"

struct counted_port {
    struct wry_port port;
    const struct wry_port *inner;
    uint64_t sent, received;                                     /* bytes */
    uint64_t opened;                                             /* us on its clock */
    void (*trace)(void *context, const struct wry_trace *trace); /* NULL = none */
    void *context;                                               /* of trace */
};

/* inner must outlive it. What was counted before goes on. */
void counted_port_open(struct counted_port *counted, const struct wry_port *inner);
