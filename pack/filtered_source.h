/* Content with its branches filtered, by the filter under which it packs best. */
#ifndef WRY_PACK_FILTERED_SOURCE_H
#define WRY_PACK_FILTERED_SOURCE_H

#include "deflate_packer.h"
#include "wrytograph/branch_filter.h"
#include "wrytograph/packer.h"

struct pack_filtered {
    struct pack_source source;
    struct wry_branch_filter filter;
    bool over;
    size_t fill, done; /* bytes in the buffer, and those of them that are filtered */
    uint8_t buffer[PACK_PIECE + WRY_FILTER_AHEAD];
};

/* In packing->filters: the filter is decided, none or the only other bit. */
#define PACK_FILTER_DECIDED (1u << WRY_FILTER_NONE)

/* Chooses among the filters that packing allows; WRY_FILTER_NONE if none gains anything. False if
 * the content cannot be read. */
bool pack_filter_choose(const struct wry_packing *packing, uint8_t *filter);

/* offset: of the content in the flash. */
void pack_filtered_begin(struct pack_filtered *filtered, const struct pack_source *source,
                         uint8_t filter, uint32_t offset);
/* Like pack_source.take. */
bool pack_filtered_take(struct pack_filtered *filtered, uint8_t *to, size_t room, size_t *given);

#endif
