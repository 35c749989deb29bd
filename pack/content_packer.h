/*
 * A packer for sessions: deflate streams over zlib, and difference streams.
 *
 *     struct pack *pack = pack_new();
 *     config.packer = pack_packer(pack);
 */
#ifndef WRY_PACK_CONTENT_PACKER_H
#define WRY_PACK_CONTENT_PACKER_H

#include "wrytograph/packer.h"

struct pack;
struct pack_shared;

/* NULL when there is no memory for it. About 400 KiB, and 12 MiB while a difference is made. */
struct pack *pack_new(void);
/* From now on its streams are taken from those, and added to them; shared outlives pack. */
void pack_share(struct pack *pack, struct pack_shared *shared);
/* NULL is fine. */
void pack_free(struct pack *pack);
/* Lives as long as pack. */
const struct wry_packer *pack_packer(const struct pack *pack);

#endif
