/* The packer: content, or records of its difference to what was there, deflated. */
#include "packer.h"

#include <stdlib.h>

#include "deflate.h"
#include "difference.h"
#include "wrytograph/message.h"

struct pack {
    struct wry_packer packer;
    struct wry_packing packing;
    uint32_t taken; /* bytes of content */
    struct pack_deflate deflate;
    struct pack_difference *difference;
    uint8_t memory[2 * WRY_PACKER_MEMORY_LEAST];
};

static bool take_content(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack *pack = context;
    const struct wry_reader *content = &pack->packing.content;
    uint32_t left = pack->packing.length - pack->taken;
    uint32_t n = left < room ? left : (uint32_t)room;

    *given = n;
    if (n > 0 && !content->read(content->context, pack->taken, to, n))
        return false;
    pack->taken += n;
    return true;
}

static bool take_records(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack *pack = context;

    return pack_difference_take(pack->difference, to, room, given);
}

static bool begin(void *context, const struct wry_packing *packing)
{
    struct pack *pack = context;
    struct pack_source source = {.context = pack, .take = take_content};

    pack->packing = *packing;
    pack->taken = 0;
    pack_difference_free(pack->difference);
    pack->difference = NULL;
    if (packing->coding == WRY_CODING_DIFFERENCE) {
        pack->difference = pack_difference_new(packing);
        source.take = take_records;
        if (!pack->difference)
            return false;
    } else if (packing->coding != WRY_CODING_DEFLATE) {
        return false;
    }
    return pack_deflate_begin(&pack->deflate, &source, packing->window);
}

static bool give(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack *pack = context;

    return pack_deflate_give(&pack->deflate, to, room, given);
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

void pack_free(struct pack *pack)
{
    if (!pack)
        return;
    pack_deflate_end(&pack->deflate);
    pack_difference_free(pack->difference);
    free(pack);
}

const struct wry_packer *pack_packer(const struct pack *pack)
{
    return &pack->packer;
}
