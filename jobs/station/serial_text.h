/* Text from a board, outside the protocol. */
#pragma once

#include "station_problem.h"

/* True for a readable byte: printable ASCII, line ends and tabs. */
bool serial_text_is_readable(uint8_t byte);

/* The n-th speed at which boards usually speak, counted from 0, the likeliest first: the starting
 * speed of loaders, those of the known chips' boot ROMs, and others. 0 past the last. */
uint32_t serial_text_speed(size_t n);

/* What is heard in this time (us), unreadable bytes as '?'. It ends early if the port fails or the
 * caller asks to stop. Free with g_free. */
char *serial_text_hear(const struct wry_station *station, uint64_t time);

/* Counts the bytes heard in this time (us), and the readable ones. False if the port failed. */
bool serial_text_count(const struct wry_station *station, uint64_t time, unsigned *heard,
                       unsigned *readable);
