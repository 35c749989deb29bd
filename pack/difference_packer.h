/* Records of a difference stream. */
#ifndef WRY_PACK_DIFFERENCE_PACKER_H
#define WRY_PACK_DIFFERENCE_PACKER_H

#include "wrytograph/packer.h"

enum {
    PACK_DIFFERENCE_AROUND =
        0x40000, /* bytes of old content searched on both sides of the new content */
};

struct pack_difference;

/* Returns NULL if there is no memory. What packing points to must outlive it. */
struct pack_difference *pack_difference_new(const struct wry_packing *packing);
/* Switches to other readers of the same content and old content. */
void pack_difference_read_from(struct pack_difference *difference,
                               const struct wry_packing *packing);
void pack_difference_free(struct pack_difference *difference);
/* Bytes of content that the records given so far describe, approximately. */
uint32_t pack_difference_done(const struct pack_difference *difference);
/* Like pack_source.take. */
bool pack_difference_take(struct pack_difference *difference, uint8_t *to, size_t room,
                          size_t *given);

#endif
