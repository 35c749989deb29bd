/* Keys of streams. */
#include "key.h"

#include <zlib.h>

#include "difference_packer.h"
#include "wrytograph/flash.h"
#include "wrytograph/message.h"

static void add_bytes(struct pack_key *key, const uint8_t *bytes, size_t n)
{
    key->crc = (uint32_t)crc32_z(key->crc, bytes, n);
    key->adler = (uint32_t)adler32_z(key->adler, bytes, n);
}

void pack_key_add(struct pack_key *key, uint32_t number)
{
    uint8_t bytes[4] = {(uint8_t)number, (uint8_t)(number >> 8), (uint8_t)(number >> 16),
                        (uint8_t)(number >> 24)};

    add_bytes(key, bytes, sizeof bytes);
}

static bool add_content(struct pack_key *key, const struct wry_packing *packing)
{
    const struct wry_reader *content = &packing->content;
    uint8_t bytes[WRY_SECTOR_SIZE];

    for (uint32_t at = 0; at < packing->length; at += sizeof bytes) {
        uint32_t left = packing->length - at, n = left < sizeof bytes ? left : sizeof bytes;
        if (!content->read(content->context, at, bytes, n))
            return false;
        add_bytes(key, bytes, n);
    }
    return true;
}

/* Adds the known old content, and where there is none. */
static void add_known(struct pack_key *key, const struct wry_packing *packing)
{
    const struct wry_known *known = packing->known;
    uint8_t sector[WRY_SECTOR_SIZE];
    uint32_t from =
        packing->offset > PACK_DIFFERENCE_AROUND ? packing->offset - PACK_DIFFERENCE_AROUND : 0;
    uint32_t end = packing->offset + packing->length + PACK_DIFFERENCE_AROUND;

    for (uint32_t at = from - from % WRY_SECTOR_SIZE; at < end; at += WRY_SECTOR_SIZE) {
        bool is_known = known->read(known->context, at, sector, sizeof sector);
        pack_key_add(key, is_known);
        if (is_known)
            add_bytes(key, sector, sizeof sector);
    }
}

/* Adds which sectors also have other content. */
static void add_sharing(struct pack_key *key, const struct wry_packing *packing)
{
    for (uint32_t at = 0; at < packing->length && packing->is_shared; at += WRY_SECTOR_SIZE)
        pack_key_add(key, packing->is_shared(packing->content.context, packing->offset + at));
}

bool pack_key_of(const struct wry_packing *packing, struct pack_key *key)
{
    *key = (struct pack_key){.adler = 1, .length = packing->length};
    pack_key_add(key, packing->coding);
    pack_key_add(key, packing->window);
    pack_key_add(key, packing->filters);
    pack_key_add(key, packing->offset);
    if (wry_coding_needs_old(packing->coding)) {
        pack_key_add(key, packing->down);
        pack_key_add(key, packing->thorough);
        pack_key_add(key, packing->old_block);
        pack_key_add(key, packing->old_history);
        add_known(key, packing);
        add_sharing(key, packing);
    }
    return add_content(key, packing);
}

bool pack_key_equal(const struct pack_key *a, const struct pack_key *b)
{
    return a->crc == b->crc && a->adler == b->adler && a->length == b->length;
}
