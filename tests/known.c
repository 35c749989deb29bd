/* Content that a test claims to know. */
#include "known.h"

#include <stdlib.h>
#include <string.h>

#include "wrytograph/bytes.h"
#include "wrytograph/flash.h"

static bool recognise(void *context, uint32_t offset, const uint8_t *digest, size_t n)
{
    struct known *known = context;
    struct wry_sha256 sha;
    uint8_t ours[WRY_SHA256_SIZE];
    size_t sector = offset / WRY_SECTOR_SIZE;

    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, known->bytes + offset, WRY_SECTOR_SIZE);
    wry_sha256_end(&sha, ours);
    known->recognised[sector] = known->has[sector] && memcmp(ours, digest, n) == 0;
    known->recognitions += known->recognised[sector];
    return known->recognised[sector];
}

static bool is_known(const struct known *known, uint32_t offset)
{
    size_t sector = offset / WRY_SECTOR_SIZE;

    return offset < known->size && known->has[sector] &&
           (known->recognised[sector] || (known->guesses && known->recognitions > 0));
}

static uint32_t covers(void *context, uint32_t offset, uint32_t length)
{
    uint32_t n = 0;

    for (uint32_t at = offset; at < offset + length; at += WRY_SECTOR_SIZE)
        n += is_known(context, at) ? WRY_SECTOR_SIZE : 0;
    return n;
}

static bool read_known(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct known *known = context;

    if (!is_known(known, offset))
        return false;
    memcpy(to, known->bytes + offset, n);
    return true;
}

static void forget(void *context, uint32_t offset, uint32_t length)
{
    struct known *known = context;

    for (uint32_t at = offset; at < offset + length; at += WRY_SECTOR_SIZE)
        known->has[at / WRY_SECTOR_SIZE] = known->recognised[at / WRY_SECTOR_SIZE] = false;
}

void known_init(struct known *known, uint32_t flash_size)
{
    size_t sectors = flash_size / WRY_SECTOR_SIZE;

    *known = (struct known){.size = flash_size,
                            .bytes = calloc(1, flash_size),
                            .has = calloc(sectors, 1),
                            .recognised = calloc(sectors, 1)};
    known->known = (struct wry_known){.context = known,
                                      .recognise = recognise,
                                      .covers = covers,
                                      .read = read_known,
                                      .forget = forget};
}

void known_add(struct known *known, uint32_t offset, const uint8_t *bytes, size_t n)
{
    uint32_t end = offset + (uint32_t)n;
    uint32_t first = (offset + WRY_SECTOR_SIZE - 1) / WRY_SECTOR_SIZE;

    memcpy(known->bytes + offset, bytes, n);
    for (uint32_t sector = first; (sector + 1) * WRY_SECTOR_SIZE <= end; sector++)
        known->has[sector] = true;
}

void known_free(struct known *known)
{
    free(known->bytes);
    free(known->has);
    free(known->recognised);
}
