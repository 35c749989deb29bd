/* How long streams are, by what is known of them or can be found out. Several threads may ask. */
#ifndef WRY_PACK_MEASURE_H
#define WRY_PACK_MEASURE_H

#include "shared.h"
#include "wrytograph/packer.h"

/* Decides the filter, once for all ways to send the same content. False if that cannot be read. */
bool pack_decide_filter(struct pack_shared *place, struct wry_packing *packing);

/* Like wry_packer.measure; what is found out is kept in place. */
bool pack_measure(struct pack_shared *place, const struct wry_packing *packing, bool exact,
                  uint32_t piece, uint32_t *ends, uint32_t count);

#endif
