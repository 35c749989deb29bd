/*
 * Several ways to pack the same content, measured at once by a thread each.
 *
 *     ahead = pack_ahead_begin(place, packings, 3, piece, pieces);
 *     pack_ahead_await(ahead, &packings[0]);
 *     pack_measure(place, &packings[0], false, piece, ends, pieces);   at once
 *     pack_ahead_end(ahead);
 */
#ifndef WRY_PACK_AHEAD_H
#define WRY_PACK_AHEAD_H

#include "measure.h"

struct pack_ahead;

/* Reads content and known old content, here and now, and begins. NULL if that is not possible, or
 * the content is longer than 4 MiB: each is then measured when it is asked for. */
struct pack_ahead *pack_ahead_begin(struct pack_shared *place, const struct wry_packing *packings,
                                    unsigned count, uint32_t piece, uint32_t pieces);

/* Waits until this one is measured, if it is one of them. Reads a byte of the content from time to
 * time, so that the session hears of the wait; false if that fails. */
bool pack_ahead_await(struct pack_ahead *ahead, const struct wry_packing *packing);

/* Stops what still goes on, waits for that, and frees everything. NULL is allowed. */
void pack_ahead_end(struct pack_ahead *ahead);

#endif
