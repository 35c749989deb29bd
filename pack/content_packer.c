/* The packer: it takes its streams from those that it shares with others or has measured, or
 * encodes them as they are needed. */
#include "content_packer.h"

#include <stdlib.h>

#include "ahead.h"
#include "encoder.h"
#include "measure.h"

struct pack {
    struct wry_packer packer;
    struct wry_packing packing;
    struct pack_shared *own;     /* streams that were measured for the latest part */
    struct pack_shared *shared;  /* NULL: not shared */
    struct pack_ahead *ahead;    /* what is measured for the choice of a way; NULL: nothing */
    struct pack_stream *stream;  /* the one in use; NULL: the encoder's */
    struct pack_encoder encoder; /* of a stream that nobody else needs */
    size_t given;                /* bytes of the stream returned so far */
    uint8_t memory[2 * WRY_PACKER_MEMORY_LEAST];
};

static void end_ahead(struct pack *pack)
{
    pack_ahead_end(pack->ahead);
    pack->ahead = NULL;
}

/* Where streams and findings for this part are. */
static struct pack_shared *place_for(struct pack *pack, const struct wry_packing *packing)
{
    if (pack->shared)
        return pack->shared;
    if (pack->packing.offset != packing->offset || pack->packing.length != packing->length) {
        end_ahead(pack);
        pack_shared_drop(pack->own);
        pack->packing = *packing;
    }
    return pack->own;
}

static bool begin(void *context, const struct wry_packing *packing, struct wry_stream_form *form)
{
    struct pack *pack = context;
    struct pack_shared *place = place_for(pack, packing);

    end_ahead(pack);
    pack->packing = *packing;
    pack->given = 0;
    pack_encoder_end(&pack->encoder);
    if (!pack_decide_filter(place, &pack->packing))
        return false;
    pack->stream = pack_shared_find(place, &pack->packing, pack->shared != NULL, form);
    if (pack->stream || pack->shared)
        return pack->stream != NULL;
    bool begun = pack_encoder_begin(&pack->encoder, &pack->packing);
    *form = pack->encoder.form;
    return begun;
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

static void prepare(void *context, const struct wry_packing *packings, unsigned count,
                    uint32_t piece, uint32_t pieces)
{
    struct pack *pack = context;
    struct pack_shared *place = place_for(pack, &packings[0]);

    end_ahead(pack);
    if (!pack->shared || pack_shared_claim(place, &packings[count - 1]))
        pack->ahead = pack_ahead_begin(place, packings, count, piece, pieces);
}

static bool measure(void *context, const struct wry_packing *packing, bool exact, uint32_t piece,
                    uint32_t *ends, uint32_t count)
{
    struct pack *pack = context;
    struct pack_shared *place = place_for(pack, packing);

    if (!exact && !pack_ahead_await(pack->ahead, packing))
        return false;
    return pack_measure(place, packing, exact, piece, ends, count);
}

struct pack *pack_new(void)
{
    struct pack *pack = calloc(1, sizeof *pack);

    if (!pack)
        return NULL;
    pack->own = pack_shared_new();
    pack->packer = (struct wry_packer){.context = pack,
                                       .begin = begin,
                                       .give = give,
                                       .prepare = prepare,
                                       .measure = measure,
                                       .memory = pack->memory,
                                       .size = sizeof pack->memory};
    if (pack->own)
        return pack;
    free(pack);
    return NULL;
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
    end_ahead(pack);
    pack_encoder_end(&pack->encoder);
    pack_shared_free(pack->own);
    free(pack);
}

const struct wry_packer *pack_packer(const struct pack *pack)
{
    return &pack->packer;
}
