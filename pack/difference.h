/* Records of a difference stream: new content told by what the flash held before. */
#ifndef WRY_PACK_DIFFERENCE_H
#define WRY_PACK_DIFFERENCE_H

#include "wrytograph/packer.h"

struct pack_difference;

/* NULL when there is no memory for it. What packing points to outlives it. */
struct pack_difference *pack_difference_new(const struct wry_packing *packing);
void pack_difference_free(struct pack_difference *difference);
/* As pack_source.take. */
bool pack_difference_take(struct pack_difference *difference, uint8_t *to, size_t room,
                          size_t *given);

#endif
