/* The length of a stream, estimated in a fraction of the time that it takes to encode it. */
#ifndef WRY_PACK_ESTIMATE_H
#define WRY_PACK_ESTIMATE_H

#include "wrytograph/packer.h"

/* False for streams that are as well encoded at once. */
bool pack_estimate_pays(const struct wry_packing *packing);

/* Like wry_packer.measure. */
bool pack_estimate(const struct wry_packing *packing, uint32_t piece, uint32_t *ends,
                   uint32_t count);

#endif
