/* Text from a board, outside the protocol. */
#pragma once

#include "station_problem.h"

/* True for a readable byte: printable ASCII, line ends and tabs. */
bool serial_text_is_readable(uint8_t byte);

/* Usual speeds of boards, the likeliest first; ends with 0. */
extern const uint32_t serial_text_speeds[];

/* Counts the bytes heard in this time (us), and the readable ones. False if the port failed. */
bool serial_text_count(const struct wry_station *station, uint64_t time, unsigned *heard,
                       unsigned *readable);
