/* The readers of a packing belong to the session's thread, so the others read a copy. */
#include "ahead.h"

#include <pthread.h>
#include <stdatomic.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "difference_packer.h"
#include "wrytograph/flash.h"
#include "wrytograph/message.h"

enum {
    WAYS_MOST = 8,
    LENGTH_MOST = 0x400000, /* bytes of content: it is copied */
    PAUSE_MS = 20,          /* ms between bytes read while waiting */
};

/* Content, and the old content around it as far as that is known. */
struct copy {
    atomic_bool stopped;
    uint8_t *content;
    uint32_t length;
    uint32_t first, end; /* flash offsets of the sectors */
    uint8_t *sectors;
    bool *has, *shared; /* by sector */
    struct wry_known known;
};

struct way {
    struct pack_ahead *ahead;
    struct wry_packing packing;
    pthread_t thread;
    bool begun, done;
};

struct pack_ahead {
    struct pack_shared *place;
    struct copy copy;
    uint32_t piece, pieces;
    struct way ways[WAYS_MOST];
    unsigned count;
    pthread_mutex_t lock; /* protects done of every way */
    pthread_cond_t changed;
};

static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct copy *copy = context;

    if (atomic_load(&copy->stopped) || offset > copy->length || n > copy->length - offset)
        return false;
    memcpy(to, copy->content + offset, n);
    return true;
}

static bool has_sector(const struct copy *copy, uint32_t offset)
{
    return offset >= copy->first && offset < copy->end &&
           copy->has[(offset - copy->first) / WRY_SECTOR_SIZE];
}

static bool read_known(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct copy *copy = context;

    if (!has_sector(copy, offset))
        return false;
    memcpy(to, copy->sectors + (offset - copy->first), n);
    return true;
}

static uint32_t covers(void *context, uint32_t offset, uint32_t length)
{
    uint32_t n = 0;

    for (uint32_t at = offset; at < offset + length; at += WRY_SECTOR_SIZE)
        n += has_sector(context, at) ? WRY_SECTOR_SIZE : 0;
    return n;
}

static bool is_shared(void *context, uint32_t offset)
{
    const struct copy *copy = context;

    return offset >= copy->first && offset < copy->end &&
           copy->shared[(offset - copy->first) / WRY_SECTOR_SIZE];
}

static bool copy_known(struct copy *copy, const struct wry_packing *packing)
{
    uint32_t around = PACK_DIFFERENCE_AROUND, end = packing->offset + packing->length;
    uint32_t from = packing->offset > around ? packing->offset - around : 0;

    copy->first = from - from % WRY_SECTOR_SIZE;
    copy->end = end + around;
    size_t count = (copy->end - copy->first + WRY_SECTOR_SIZE - 1) / WRY_SECTOR_SIZE;
    copy->sectors = malloc(count * WRY_SECTOR_SIZE);
    copy->has = calloc(count, sizeof *copy->has);
    copy->shared = calloc(count, sizeof *copy->shared);
    if (!copy->sectors || !copy->has || !copy->shared)
        return false;
    for (size_t i = 0; i < count; i++) {
        uint32_t at = copy->first + (uint32_t)i * WRY_SECTOR_SIZE;
        copy->has[i] = packing->known->read(packing->known->context, at,
                                            copy->sectors + i * WRY_SECTOR_SIZE, WRY_SECTOR_SIZE);
        copy->shared[i] = packing->is_shared && at >= packing->offset && at < end &&
                          packing->is_shared(packing->content.context, at);
    }
    copy->known = (struct wry_known){.context = copy, .covers = covers, .read = read_known};
    return true;
}

static bool copy_all(struct copy *copy, const struct wry_packing *packings, unsigned count)
{
    const struct wry_packing *packing = &packings[0];

    for (unsigned i = 1; i < count && !wry_coding_needs_old(packing->coding); i++)
        packing = &packings[i];
    copy->length = packing->length;
    copy->content = malloc(copy->length);
    if (!copy->content ||
        !packing->content.read(packing->content.context, 0, copy->content, copy->length))
        return false;
    return !wry_coding_needs_old(packing->coding) || copy_known(copy, packing);
}

static void *measure(void *context)
{
    struct way *way = context;
    struct pack_ahead *ahead = way->ahead;
    uint32_t *ends = calloc(ahead->pieces, sizeof *ends);

    if (ends) /* what is found out stays in the place */
        pack_measure(ahead->place, &way->packing, false, ahead->piece, ends, ahead->pieces);
    free(ends);
    pthread_mutex_lock(&ahead->lock);
    way->done = true;
    pthread_cond_broadcast(&ahead->changed);
    pthread_mutex_unlock(&ahead->lock);
    return NULL;
}

static void begin_way(struct pack_ahead *ahead, const struct wry_packing *packing)
{
    struct way *way = &ahead->ways[ahead->count++];

    way->ahead = ahead;
    way->packing = *packing;
    way->packing.content = (struct wry_reader){.context = &ahead->copy, .read = read_content};
    way->packing.known = &ahead->copy.known;
    way->packing.is_shared = packing->is_shared ? is_shared : NULL;
    way->begun = pthread_create(&way->thread, NULL, measure, way) == 0;
}

static void free_ahead(struct pack_ahead *ahead)
{
    pthread_cond_destroy(&ahead->changed);
    pthread_mutex_destroy(&ahead->lock);
    free(ahead->copy.content);
    free(ahead->copy.sectors);
    free(ahead->copy.has);
    free(ahead->copy.shared);
    free(ahead);
}

struct pack_ahead *pack_ahead_begin(struct pack_shared *place, const struct wry_packing *packings,
                                    unsigned count, uint32_t piece, uint32_t pieces)
{
    struct pack_ahead *ahead = packings[0].length <= LENGTH_MOST ? calloc(1, sizeof *ahead) : NULL;
    pthread_condattr_t attributes;

    if (!ahead)
        return NULL;
    ahead->place = place;
    ahead->piece = piece;
    ahead->pieces = pieces;
    pthread_condattr_init(&attributes);
    pthread_condattr_setclock(&attributes, CLOCK_MONOTONIC);
    pthread_mutex_init(&ahead->lock, NULL);
    pthread_cond_init(&ahead->changed, &attributes);
    pthread_condattr_destroy(&attributes);
    if (!copy_all(&ahead->copy, packings, count)) {
        free_ahead(ahead);
        return NULL;
    }
    for (unsigned i = 0; i < count && i < WAYS_MOST; i++)
        begin_way(ahead, &packings[i]);
    return ahead;
}

static struct way *find(struct pack_ahead *ahead, const struct wry_packing *packing)
{
    for (unsigned i = 0; i < ahead->count; i++) {
        struct way *way = &ahead->ways[i];
        if (way->packing.coding == packing->coding && way->packing.down == packing->down)
            return way;
    }
    return NULL;
}

/* True once the way is done; false after a pause. */
static bool await(struct pack_ahead *ahead, const struct way *way)
{
    struct timespec until;

    clock_gettime(CLOCK_MONOTONIC, &until);
    until.tv_nsec += PAUSE_MS * 1000000L;
    until.tv_sec += until.tv_nsec / 1000000000L;
    until.tv_nsec %= 1000000000L;
    pthread_mutex_lock(&ahead->lock);
    while (!way->done && pthread_cond_timedwait(&ahead->changed, &ahead->lock, &until) == 0)
        ;
    bool done = way->done;
    pthread_mutex_unlock(&ahead->lock);
    return done;
}

bool pack_ahead_await(struct pack_ahead *ahead, const struct wry_packing *packing)
{
    const struct way *way = ahead ? find(ahead, packing) : NULL;
    uint8_t byte;

    while (way && way->begun && !await(ahead, way)) {
        if (!packing->content.read(packing->content.context, 0, &byte, 1))
            return false;
    }
    return true;
}

void pack_ahead_end(struct pack_ahead *ahead)
{
    if (!ahead)
        return;
    atomic_store(&ahead->copy.stopped, true);
    for (unsigned i = 0; i < ahead->count; i++) {
        if (ahead->ways[i].begun)
            pthread_join(ahead->ways[i].thread, NULL);
    }
    free_ahead(ahead);
}
