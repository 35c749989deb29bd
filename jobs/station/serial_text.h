/* What a board says, taken in without the protocol. */
#ifndef WRY_JOBS_SERIAL_TEXT_H
#define WRY_JOBS_SERIAL_TEXT_H

#include "station_problem.h"

/* A byte of readable text: printable ASCII, line ends and tabs. */
bool serial_text_is_readable(uint8_t byte);

/* The speeds that boards use, the likeliest first; ends with 0. */
extern const uint32_t serial_text_speeds[];

/* Bytes heard in so many us, and how many of them are text. False when the port failed. */
bool serial_text_count(const struct wry_station *station, uint64_t time, unsigned *heard,
                       unsigned *readable);

#endif
