/* Records of a difference stream: new content told by what the flash held before. */
#ifndef WRY_PACK_DIFFERENCE_PACKER_H
#define WRY_PACK_DIFFERENCE_PACKER_H

#include "wrytograph/packer.h"

enum {
    PACK_DIFFERENCE_AROUND = 0x40000, /* bytes of old content around the new that are looked at */
};

struct pack_difference;

/* NULL when there is no memory for it. What packing points to outlives it. */
struct pack_difference *pack_difference_new(const struct wry_packing *packing);
/* The same content and old content, by other readers. */
void pack_difference_read_from(struct pack_difference *difference,
                               const struct wry_packing *packing);
void pack_difference_free(struct pack_difference *difference);
/* As pack_source.take. */
bool pack_difference_take(struct pack_difference *difference, uint8_t *to, size_t room,
                          size_t *given);

#endif
