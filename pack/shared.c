/* Streams shared by several packers. */
#include "shared.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

#include "encoder.h"
#include "wrytograph/flash.h"
#include "wrytograph/message.h"

enum {
    PIECE = 16384, /* bytes encoded at once */
};

/* Both checksums of zlib, which are fast. A collision (1 in 2^64) yields the wrong stream; the
 * board's digest then differs, and the content is sent in another way. */
struct key {
    uint32_t crc, adler;
};

struct pack_stream {
    struct pack_stream *next;
    struct key key;
    uint32_t length;      /* bytes of content, part of the key */
    pthread_mutex_t lock; /* protects the following members */
    bool begun, fit;
    struct pack_encoder encoder;
    uint8_t *bytes;
    size_t n, room;
    bool over;
};

struct pack_shared {
    pthread_mutex_t lock;
    struct pack_stream *streams;
};

struct pack_shared *pack_shared_new(void)
{
    struct pack_shared *shared = calloc(1, sizeof *shared);

    if (shared)
        pthread_mutex_init(&shared->lock, NULL);
    return shared;
}

static void free_stream(struct pack_stream *stream)
{
    pack_encoder_end(&stream->encoder);
    pthread_mutex_destroy(&stream->lock);
    free(stream->bytes);
    free(stream);
}

void pack_shared_free(struct pack_shared *shared)
{
    if (!shared)
        return;
    while (shared->streams) {
        struct pack_stream *stream = shared->streams;
        shared->streams = stream->next;
        free_stream(stream);
    }
    pthread_mutex_destroy(&shared->lock);
    free(shared);
}

unsigned pack_shared_count(struct pack_shared *shared)
{
    unsigned count = 0;

    pthread_mutex_lock(&shared->lock);
    for (const struct pack_stream *stream = shared->streams; stream; stream = stream->next)
        count++;
    pthread_mutex_unlock(&shared->lock);
    return count;
}

static void add_bytes(struct key *key, const uint8_t *bytes, size_t n)
{
    key->crc = (uint32_t)crc32_z(key->crc, bytes, n);
    key->adler = (uint32_t)adler32_z(key->adler, bytes, n);
}

static void add_number(struct key *key, uint32_t number)
{
    uint8_t bytes[4] = {(uint8_t)number, (uint8_t)(number >> 8), (uint8_t)(number >> 16),
                        (uint8_t)(number >> 24)};

    add_bytes(key, bytes, sizeof bytes);
}

static bool add_content(struct key *key, const struct wry_packing *packing)
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
static void add_known(struct key *key, const struct wry_packing *packing)
{
    const struct wry_known *known = packing->known;
    uint8_t sector[WRY_SECTOR_SIZE];
    uint32_t from =
        packing->offset > PACK_DIFFERENCE_AROUND ? packing->offset - PACK_DIFFERENCE_AROUND : 0;
    uint32_t end = packing->offset + packing->length + PACK_DIFFERENCE_AROUND;

    for (uint32_t at = from - from % WRY_SECTOR_SIZE; at < end; at += WRY_SECTOR_SIZE) {
        bool is_known = known->read(known->context, at, sector, sizeof sector);
        add_number(key, is_known);
        if (is_known)
            add_bytes(key, sector, sizeof sector);
    }
}

/* Adds which sectors also have other content. */
static void add_sharing(struct key *key, const struct wry_packing *packing)
{
    for (uint32_t at = 0; at < packing->length && packing->is_shared; at += WRY_SECTOR_SIZE)
        add_number(key, packing->is_shared(packing->content.context, packing->offset + at));
}

static bool find_key(const struct wry_packing *packing, struct key *key)
{
    *key = (struct key){.adler = 1};
    add_number(key, packing->coding);
    add_number(key, packing->window);
    add_number(key, packing->length);
    if (packing->coding == WRY_CODING_DIFFERENCE) {
        add_number(key, packing->offset);
        add_number(key, packing->old_block);
        add_number(key, packing->old_history);
        add_known(key, packing);
        add_sharing(key, packing);
    }
    return add_content(key, packing);
}

static struct pack_stream *add_stream(struct pack_shared *shared, struct key key, uint32_t length)
{
    struct pack_stream *stream = calloc(1, sizeof *stream);

    if (!stream)
        return NULL;
    pthread_mutex_init(&stream->lock, NULL);
    stream->key = key;
    stream->length = length;
    stream->next = shared->streams;
    shared->streams = stream;
    return stream;
}

struct pack_stream *pack_shared_find(struct pack_shared *shared, const struct wry_packing *packing)
{
    struct key key;
    struct pack_stream *stream;

    if (!find_key(packing, &key))
        return NULL;
    pthread_mutex_lock(&shared->lock);
    for (stream = shared->streams; stream; stream = stream->next) {
        if (stream->key.crc == key.crc && stream->key.adler == key.adler &&
            stream->length == packing->length)
            break;
    }
    if (!stream)
        stream = add_stream(shared, key, packing->length);
    pthread_mutex_unlock(&shared->lock);
    if (!stream)
        return NULL;
    pthread_mutex_lock(&stream->lock);
    if (!stream->begun)
        stream->fit = pack_encoder_begin(&stream->encoder, packing);
    stream->begun = true;
    bool fit = stream->fit;
    pthread_mutex_unlock(&stream->lock);
    return fit ? stream : NULL;
}

static bool make_room(struct pack_stream *stream)
{
    size_t room = stream->n + PIECE > stream->room ? stream->room * 2 + PIECE : stream->room;
    uint8_t *bytes = room == stream->room ? stream->bytes : realloc(stream->bytes, room);

    if (!bytes)
        return false;
    stream->bytes = bytes;
    stream->room = room;
    return true;
}

static bool make_more(struct pack_stream *stream, const struct wry_packing *packing)
{
    size_t given = 0;

    if (!make_room(stream) ||
        !pack_encoder_give(&stream->encoder, packing, stream->bytes + stream->n, PIECE, &given))
        return false;
    stream->n += given;
    stream->over = given == 0;
    if (stream->over)
        pack_encoder_end(&stream->encoder);
    return true;
}

bool pack_stream_give(struct pack_stream *stream, const struct wry_packing *packing, size_t from,
                      uint8_t *to, size_t room, size_t *given)
{
    bool good = true;

    pthread_mutex_lock(&stream->lock);
    while (good && !stream->over && stream->n < from + room)
        good = make_more(stream, packing);
    *given = stream->n > from ? stream->n - from : 0;
    if (*given > room)
        *given = room;
    if (*given > 0)
        memcpy(to, stream->bytes + from, *given);
    pthread_mutex_unlock(&stream->lock);
    return good;
}
