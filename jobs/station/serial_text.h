/* What a board says, taken in without the protocol. */
#ifndef WRY_JOBS_LISTENING_H
#define WRY_JOBS_LISTENING_H

#include "jobs/station/problem.h"

/* A byte of readable text: printable ASCII, line ends and tabs. */
bool listening_is_text(uint8_t byte);

/* The speeds that boards use, the likeliest first; ends with 0. */
extern const uint32_t listening_speeds[];

/* Bytes heard in so many us, and how many of them are text. False when the port failed. */
bool listening_for(const struct wry_station *station, uint64_t time, unsigned *heard,
                   unsigned *readable);

#endif
