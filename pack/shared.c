/* Streams shared by several packers. */
#include "shared.h"

#include <pthread.h>
#include <stdlib.h>
#include <string.h>

#include "encoder.h"
#include "key.h"

enum {
    PIECE = 2048, /* bytes encoded at once */
};

/* How far a stream was after each piece. */
struct mark {
    uint32_t content, stream; /* bytes */
};

struct pack_stream {
    struct pack_stream *next;
    struct pack_key key;
    pthread_mutex_t lock; /* protects the following members */
    bool begun, fit;
    struct pack_encoder encoder;
    uint8_t *bytes;
    size_t n, room;
    struct mark *marks;
    size_t mark_count;
    bool over;
};

struct pack_shared {
    pthread_mutex_t lock;
    struct pack_stream *streams;
    struct pack_findings *findings;
};

struct pack_shared *pack_shared_new(void)
{
    struct pack_shared *shared = calloc(1, sizeof *shared);

    if (!shared)
        return NULL;
    shared->findings = pack_findings_new();
    if (!shared->findings) {
        free(shared);
        return NULL;
    }
    pthread_mutex_init(&shared->lock, NULL);
    return shared;
}

struct pack_findings *pack_shared_findings(struct pack_shared *shared)
{
    return shared->findings;
}

static void free_stream(struct pack_stream *stream)
{
    pack_encoder_end(&stream->encoder);
    pthread_mutex_destroy(&stream->lock);
    free(stream->bytes);
    free(stream->marks);
    free(stream);
}

void pack_shared_drop(struct pack_shared *shared)
{
    while (shared->streams) {
        struct pack_stream *stream = shared->streams;
        shared->streams = stream->next;
        free_stream(stream);
    }
    pack_findings_drop(shared->findings);
}

void pack_shared_free(struct pack_shared *shared)
{
    if (!shared)
        return;
    pack_shared_drop(shared);
    pack_findings_free(shared->findings);
    pthread_mutex_destroy(&shared->lock);
    free(shared);
}

bool pack_shared_claim(struct pack_shared *shared, const struct wry_packing *packing)
{
    return pack_findings_claim(shared->findings, packing);
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

static struct pack_stream *add_stream(struct pack_shared *shared, const struct pack_key *key)
{
    struct pack_stream *stream = calloc(1, sizeof *stream);

    if (!stream)
        return NULL;
    pthread_mutex_init(&stream->lock, NULL);
    stream->key = *key;
    stream->next = shared->streams;
    shared->streams = stream;
    return stream;
}

/* The stream with this key; adds it if asked to. */
static struct pack_stream *look_up(struct pack_shared *shared, const struct pack_key *key,
                                   bool adds)
{
    struct pack_stream *stream;

    pthread_mutex_lock(&shared->lock);
    for (stream = shared->streams; stream && !pack_key_equal(&stream->key, key);)
        stream = stream->next;
    if (!stream && adds)
        stream = add_stream(shared, key);
    pthread_mutex_unlock(&shared->lock);
    return stream;
}

struct pack_stream *pack_shared_find(struct pack_shared *shared, const struct wry_packing *packing,
                                     bool adds, struct wry_stream_form *form)
{
    struct pack_key key;
    struct pack_stream *stream = pack_key_of(packing, &key) ? look_up(shared, &key, adds) : NULL;

    if (!stream)
        return NULL;
    pthread_mutex_lock(&stream->lock);
    if (!stream->begun)
        stream->fit = pack_encoder_begin(&stream->encoder, packing);
    stream->begun = true;
    bool fit = stream->fit;
    *form = stream->encoder.form;
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

static bool note_mark(struct pack_stream *stream)
{
    size_t n = stream->mark_count;

    if ((n & (n - 1)) == 0) { /* a power of two: the array is full */
        struct mark *more = realloc(stream->marks, (n > 0 ? n * 2 : 1) * sizeof *more);
        if (!more)
            return false;
        stream->marks = more;
    }
    stream->marks[stream->mark_count++] = (struct mark){
        .content = pack_encoder_taken(&stream->encoder), .stream = (uint32_t)stream->n};
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
    if (!note_mark(stream))
        return false;
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

/* The bytes of stream for the first so many bytes of content; *mark advances. */
static uint32_t stream_until(const struct pack_stream *stream, uint32_t content, size_t *mark)
{
    const struct mark *marks = stream->marks;
    struct mark before = {0};

    while (*mark + 1 < stream->mark_count && marks[*mark].content < content)
        ++*mark;
    if (*mark > 0)
        before = marks[*mark - 1];
    uint32_t span = marks[*mark].content - before.content;
    uint32_t part = content < marks[*mark].content ? content - before.content : span;
    if (span == 0)
        return marks[*mark].stream;
    return before.stream +
           (uint32_t)((uint64_t)(marks[*mark].stream - before.stream) * part / span);
}

/* Records are encoded long after the content was read: reading a byte of it shows that the session
 * is not stopped, and keeps the board awake. */
static bool may_go_on(const struct wry_packing *packing)
{
    uint8_t byte;

    return packing->content.read(packing->content.context, 0, &byte, 1);
}

bool pack_stream_measure(struct pack_stream *stream, const struct wry_packing *packing,
                         uint32_t piece, uint32_t *ends, uint32_t count)
{
    bool good = true;
    size_t mark = 0;

    pthread_mutex_lock(&stream->lock);
    while (good && !stream->over)
        good = may_go_on(packing) && make_more(stream, packing);
    for (uint32_t i = 0; good && i < count; i++) {
        uint32_t content =
            (uint64_t)(i + 1) * piece < packing->length ? (i + 1) * piece : packing->length;
        ends[i] = i + 1 == count ? (uint32_t)stream->n : stream_until(stream, content, &mark);
    }
    pthread_mutex_unlock(&stream->lock);
    return good;
}
