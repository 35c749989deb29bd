/* The packer: it encodes its stream alone, or shares it with others. */
#include "content_packer.h"

#include <stdlib.h>

#include "encoder.h"
#include "shared.h"

struct pack {
    struct wry_packer packer;
    struct wry_packing packing;
    struct pack_encoder encoder;
    struct pack_shared *shared; /* NULL: not shared */
    struct pack_stream *stream; /* the shared stream in use; NULL: the encoder's */
    size_t given;               /* bytes of it returned so far */
    uint8_t memory[2 * WRY_PACKER_MEMORY_LEAST];
};

static bool begin(void *context, const struct wry_packing *packing)
{
    struct pack *pack = context;

    pack->packing = *packing;
    pack->given = 0;
    pack->stream = pack->shared ? pack_shared_find(pack->shared, packing) : NULL;
    return pack->shared ? pack->stream != NULL : pack_encoder_begin(&pack->encoder, packing);
}

static bool give(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack *pack = context;

    if (!pack->stream)
        return pack_encoder_give(&pack->encoder, &pack->packing, to, room, given);
    if (!pack_stream_give(pack->stream, &pack->packing, pack->given, to, room, given))
        return false;
    pack->given += *given;
    return true;
}

struct pack *pack_new(void)
{
    struct pack *pack = calloc(1, sizeof *pack);

    if (pack)
        pack->packer = (struct wry_packer){.context = pack,
                                           .begin = begin,
                                           .give = give,
                                           .memory = pack->memory,
                                           .size = sizeof pack->memory};
    return pack;
}

void pack_share(struct pack *pack, struct pack_shared *shared)
{
    if (pack)
        pack->shared = shared;
}

void pack_free(struct pack *pack)
{
    if (!pack)
        return;
    pack_encoder_end(&pack->encoder);
    free(pack);
}

const struct wry_packer *pack_packer(const struct pack *pack)
{
    return &pack->packer;
}
