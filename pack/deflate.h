/*
 * Content packed by zlib: a raw deflate stream (RFC 1951), as the board's inflater takes it.
 *
 *     struct pack_deflate *deflate = pack_deflate_new();
 *     config.packer = pack_deflate_packer(deflate);
 *     ...
 *     pack_deflate_free(deflate);
 */
#ifndef WRY_PACK_DEFLATE_H
#define WRY_PACK_DEFLATE_H

#include "wrytograph/packer.h"

struct pack_deflate;

/* About 600 KiB; NULL without memory. */
struct pack_deflate *pack_deflate_new(void);
void pack_deflate_free(struct pack_deflate *deflate);

const struct wry_packer *pack_deflate_packer(const struct pack_deflate *deflate);

#endif
