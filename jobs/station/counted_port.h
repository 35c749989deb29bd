/* A port that counts the bytes that pass through another one. */
#pragma once

#include "wrytograph/port.h"

struct counted_port {
    struct wry_port port;
    const struct wry_port *inner;
    uint64_t sent, received; /* bytes */
    uint64_t opened;         /* us on its clock */
};

/* inner must outlive it. What was counted before goes on. */
void counted_port_open(struct counted_port *counted, const struct wry_port *inner);
