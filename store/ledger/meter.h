/*
 * A meter between a library and its socket. It counts received bytes and delivers them in small
 * pieces, so that a library that buffers everything never has more than its user allows.
 *
 *     struct meter *meter = meter_insert(PQsocket(connection));
 *     while (PQisBusy(connection) && meter_exchange(meter, deadline) &&
 *            meter_received(meter) < MOST)
 *         PQconsumeInput(connection);
 */
#pragma once

#include <stdbool.h>
#include <stdint.h>

struct meter;

/* Inserts a meter: the library's socket keeps its number but leads to the meter. It is
 * non-blocking, and the library still closes it. NULL with errno. */
struct meter *meter_insert(int socket);

/* Call it after the library has closed its socket; its last output is still sent. NULL is
 * allowed. */
void meter_free(struct meter *meter);

/*
 * Sends output of the library, and delivers input, one piece at a time and only after the library
 * has read the one before. Waits until something happened, which may be the end of the connection.
 * False at the deadline, on g_get_monotonic_time.
 */
bool meter_exchange(struct meter *meter, int64_t deadline);

/* Bytes delivered so far. */
uint64_t meter_received(const struct meter *meter);
