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

/* Returns NULL if there is no memory. A packer takes about 400 KiB, and up to 40 MiB while it
 * measures ways over old content. */
struct pack *pack_new(void);
/* Takes streams from shared from now on, and adds new ones to it; shared must outlive pack. */
void pack_share(struct pack *pack, struct pack_shared *shared);
/* NULL is allowed. */
void pack_free(struct pack *pack);
/* Valid as long as pack. */
const struct wry_packer *pack_packer(const struct pack *pack);

#endif
