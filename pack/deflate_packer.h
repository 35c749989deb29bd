/* Deflates bytes from a source, by zlib. */
#ifndef WRY_PACK_DEFLATE_PACKER_H
#define WRY_PACK_DEFLATE_PACKER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>
#include <zlib.h>

enum {
    PACK_PIECE = 16384, /* bytes taken from the source at once */
};

/* Writes up to room bytes to to; *given is their number, 0 at the end. False on failure. */
struct pack_source {
    void *context;
    bool (*take)(void *context, uint8_t *to, size_t room, size_t *given);
};

struct pack_deflate {
    struct pack_source source;
    bool begun, over; /* over: the source is exhausted */
    z_stream z;
    uint8_t piece[PACK_PIECE];
};

/* Begins a stream that reaches back at most window bytes; deflate is zeroed before the first use.
 * False if zlib has no such window. */
bool pack_deflate_begin(struct pack_deflate *deflate, const struct pack_source *source,
                        uint32_t window);
/* Like wry_packer.give. */
bool pack_deflate_give(struct pack_deflate *deflate, uint8_t *to, size_t room, size_t *given);
void pack_deflate_end(struct pack_deflate *deflate);

#endif
