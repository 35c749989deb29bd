/*
 * Streams that several packers at once have in common: each is made once, by whoever needs its next
 * piece first, and kept until all is over. Two streams are the same when content, coding, window
 * and, for a difference, what is known of the old content are the same, by two checksums.
 *
 *     struct pack_shared *shared = pack_shared_new();
 *     pack_share(pack, shared);
 *     ... work, in a thread for each pack; then free the packs ...
 *     pack_shared_free(shared);
 */
#ifndef WRY_PACK_SHARED_H
#define WRY_PACK_SHARED_H

#include "wrytograph/packer.h"

struct pack_shared;
struct pack_stream;

/* NULL when there is no memory for it: then everybody packs alone. */
struct pack_shared *pack_shared_new(void);
void pack_shared_free(struct pack_shared *shared);

/* NULL when it cannot pack like this, or the content cannot be read. */
struct pack_stream *pack_shared_find(struct pack_shared *shared, const struct wry_packing *packing);

/* Bytes of the stream from there on; *given 0 at its end. packing: of who asks. */
bool pack_stream_give(struct pack_stream *stream, const struct wry_packing *packing, size_t from,
                      uint8_t *to, size_t room, size_t *given);

/* Streams that were made, for tests. */
unsigned pack_shared_count(struct pack_shared *shared);

#endif
