/*
 * Streams shared by packers that run in parallel.
 *
 * Each stream is encoded once, by the thread that needs its next piece first, and kept until the
 * end. Filters are chosen and lengths estimated once as well.
 *
 *     struct pack_shared *shared = pack_shared_new();
 *     pack_share(pack, shared);
 *     ... work, with a thread for each pack; then free the packs ...
 *     pack_shared_free(shared);
 */
#ifndef WRY_PACK_SHARED_H
#define WRY_PACK_SHARED_H

#include "findings.h"
#include "wrytograph/packer.h"

struct pack_shared;
struct pack_stream;

/* Returns NULL if there is no memory; then each packer encodes alone. */
struct pack_shared *pack_shared_new(void);
void pack_shared_free(struct pack_shared *shared);

/* Forgets all streams and findings; none may be in use. */
void pack_shared_drop(struct pack_shared *shared);

/* Returns NULL if it cannot encode this, the content cannot be read or, unless adds is set, if the
 * stream is not there yet. */
struct pack_stream *pack_shared_find(struct pack_shared *shared, const struct wry_packing *packing,
                                     bool adds, struct wry_stream_form *form);

/* True for the first who asks about this content: the others wait for what that one finds out. */
bool pack_shared_claim(struct pack_shared *shared, const struct wry_packing *packing);

/* What was found out about content, likewise shared. */
struct pack_findings *pack_shared_findings(struct pack_shared *shared);

/* Provides bytes of the stream from there on; *given is 0 at its end. packing: the caller's. */
bool pack_stream_give(struct pack_stream *stream, const struct wry_packing *packing, size_t from,
                      uint8_t *to, size_t room, size_t *given);

/* Like wry_packer.measure: encodes all of it. */
bool pack_stream_measure(struct pack_stream *stream, const struct wry_packing *packing,
                         uint32_t piece, uint32_t *ends, uint32_t count);

/* The number of streams encoded, for tests. */
unsigned pack_shared_count(struct pack_shared *shared);

#endif
