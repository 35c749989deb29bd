/*
 * Stands between a library and its socket, counts what comes, and hands it over in small pieces: a
 * library that takes in whatever a peer sends then never has more than its user allows.
 *
 *     struct meter *meter = meter_insert(PQsocket(connection));
 *     while (PQisBusy(connection) && meter_exchange(meter, deadline) &&
 *            meter_received(meter) < MOST)
 *         PQconsumeInput(connection);
 */
#ifndef WRY_STORE_METER_H
#define WRY_STORE_METER_H

#include <stdbool.h>
#include <stdint.h>

struct meter;

/* From now on the library's socket, which keeps its number, leads to the meter. It does not block,
 * and stays the library's to close. NULL with errno. */
struct meter *meter_insert(int socket);

/* Once the library has closed its socket; what it said last is still sent. NULL does nothing. */
void meter_free(struct meter *meter);

/*
 * Sends what the library has written, and hands over what has come, a piece at a time and only once
 * the library has taken the one before. Waits until any of that has happened; the end of the
 * connection is something, too. False at deadline, on g_get_monotonic_time.
 */
bool meter_exchange(struct meter *meter, int64_t deadline);

/* Bytes that were handed over. */
uint64_t meter_received(const struct meter *meter);

#endif
