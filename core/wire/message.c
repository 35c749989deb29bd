/* Encoding and checked decoding of frame bodies. */
#include "wrytograph/message.h"
#include "bytes/fields.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

#include "wrytograph/bytes.h"

enum {
    HELLO_SIZE = 8,
    HELLO_REPLY_LEAST = 40, /* bytes of a hello reply without later additions */
    HELLO_REPLY_LIMIT = 42, /* with the limits of the flash */
    HELLO_REPLY_BASIS = 43, /* and what the size rests on */
    HELLO_REPLY_SIZE = 48,
    SPEED_LEAST = 4, /* likewise of a speed request */
    SPEED_SIZE = 6,
    RANGE_SIZE = 8,
    STREAM_LEAST = 4, /* bytes of the stream fields after the range of an erase, */
    STREAM_SIZE = 8,  /* with those for old content */
    STREAM_LENGTH_SIZE = 4,
    DATA_SIZE = 8,
    PROGRESS_SIZE = 30,
    ERROR_SIZE = 8,
    ODD_SECTORS = 3, /* between selected sectors, beyond a power of two */
};

static size_t put_prefix(uint8_t *to, uint8_t kind, uint8_t flags, uint16_t seq)
{
    to[0] = kind;
    to[1] = flags;
    bytes_put16(to + 2, seq);
    return WRY_MESSAGE_PREFIX;
}

bool wry_message_split(struct wry_message *message, const uint8_t *body, size_t length)
{
    if (length < WRY_MESSAGE_PREFIX)
        return false;
    message->kind = body[0];
    message->flags = body[1];
    message->seq = bytes_get16(body + 2);
    message->fields = body + WRY_MESSAGE_PREFIX;
    message->length = length - WRY_MESSAGE_PREFIX;
    return true;
}

/* The base-2 logarithm of a power of two; 0 for 0. */
static uint8_t log2_of(uint32_t power)
{
    uint8_t n = 0;

    while (power > 1) {
        power /= 2;
        n++;
    }
    return n;
}

/* The inverse: 0 for 0. */
static uint32_t power_of(uint8_t log2)
{
    return log2 > 0 && log2 < 32 ? UINT32_C(1) << log2 : 0;
}

size_t wry_message_put_hello(uint8_t *to, uint16_t seq, const struct wry_hello_message *hello)
{
    uint8_t *f = to + put_prefix(to, WRY_KIND_HELLO, hello->heard ? WRY_FLAG_HEARD : 0, seq);

    bytes_put32(f, hello->token);
    f[4] = hello->version_min;
    f[5] = hello->version_max;
    f[6] = log2_of(hello->flash_size);
    f[7] = 0;
    return WRY_MESSAGE_PREFIX + HELLO_SIZE;
}

bool wry_message_get_hello(const struct wry_message *message, struct wry_hello_message *hello)
{
    const uint8_t *f = message->fields;

    if (message->length < HELLO_SIZE)
        return false;
    hello->heard = (message->flags & WRY_FLAG_HEARD) != 0;
    hello->token = bytes_get32(f);
    hello->version_min = f[4];
    hello->version_max = f[5];
    hello->flash_size = power_of(f[6]);
    return hello->version_min <= hello->version_max;
}

size_t wry_message_put_hello_reply(uint8_t *to, uint16_t seq, const struct wry_hello_reply *reply)
{
    uint8_t *f = to + put_prefix(to, WRY_KIND_HELLO | WRY_KIND_REPLY, 0, seq);

    bytes_put32(f, reply->token);
    f[4] = reply->version;
    f[5] = reply->continued;
    bytes_put16(f + 6, reply->features);
    bytes_put16(f + 8, reply->chip_code);
    f[10] = reply->chip_revision;
    f[11] = reply->protect;
    memcpy(f + 12, reply->eui48, WRY_EUI48_SIZE);
    memcpy(f + 18, reply->jedec, WRY_JEDEC_SIZE);
    f[21] = reply->encodings;
    bytes_put32(f + 22, reply->capacity);
    /* An older host takes the numbers for jobs with old content for every job. */
    bytes_put32(f + 26, reply->old_window);
    bytes_put16(f + 30, reply->payload_max);
    bytes_put32(f + 32, reply->top_speed);
    bytes_put32(f + 36, 0);
    f[36] = log2_of(reply->old_dictionary);
    f[37] = log2_of(reply->old_block);
    bytes_put16(f + 38, (uint16_t)(reply->old_history / WRY_PAGE_SIZE));
    f[40] = reply->flash_limit;
    f[41] = log2_of(reply->erase_least);
    f[42] = reply->size_from;
    f[43] = reply->filters;
    f[44] = log2_of(reply->dictionary);
    bytes_put16(f + 45, (uint16_t)(reply->window / WRY_PAGE_SIZE));
    f[47] = reply->flash_rate;
    return WRY_MESSAGE_PREFIX + HELLO_REPLY_SIZE;
}

bool wry_message_get_hello_reply(const struct wry_message *message, struct wry_hello_reply *reply)
{
    const uint8_t *f = message->fields;

    if (message->length < HELLO_REPLY_LEAST)
        return false;
    bool more = message->length >= HELLO_REPLY_LIMIT, all = message->length >= HELLO_REPLY_SIZE;
    reply->token = bytes_get32(f);
    reply->version = f[4];
    reply->continued = f[5] == 1;
    reply->features = bytes_get16(f + 6);
    reply->chip_code = bytes_get16(f + 8);
    reply->chip_revision = f[10];
    reply->protect = f[11];
    memcpy(reply->eui48, f + 12, WRY_EUI48_SIZE);
    memcpy(reply->jedec, f + 18, WRY_JEDEC_SIZE);
    reply->encodings = f[21];
    reply->capacity = bytes_get32(f + 22);
    reply->old_window = bytes_get32(f + 26);
    reply->window = all ? (uint32_t)bytes_get16(f + 45) * WRY_PAGE_SIZE : reply->old_window;
    reply->payload_max = bytes_get16(f + 30);
    reply->top_speed = bytes_get32(f + 32);
    reply->old_dictionary = power_of(f[36]);
    reply->dictionary = all ? power_of(f[44]) : reply->old_dictionary;
    reply->old_block = power_of(f[37]);
    reply->old_history = (uint32_t)bytes_get16(f + 38) * WRY_PAGE_SIZE;
    reply->flash_limit = more ? f[40] : WRY_FLASH_FULL;
    reply->erase_least = more ? power_of(f[41]) : 0;
    reply->size_from = message->length >= HELLO_REPLY_BASIS ? f[42] : WRY_SIZE_UNSAID;
    reply->filters = all ? f[43] : 0;
    reply->flash_rate = all ? f[47] : 0;
    return true;
}

size_t wry_message_put_speed(uint8_t *to, uint8_t kind, uint16_t seq,
                             const struct wry_speed_message *speed)
{
    uint8_t *f = to + put_prefix(to, kind, speed->prove ? WRY_FLAG_PROVE : 0, seq);

    bytes_put32(f, speed->baud);
    bytes_put16(f + 4, speed->confirm_ms);
    return WRY_MESSAGE_PREFIX + SPEED_SIZE;
}

bool wry_message_get_speed(const struct wry_message *message, struct wry_speed_message *speed)
{
    if (message->length < SPEED_LEAST)
        return false;
    speed->prove = (message->flags & WRY_FLAG_PROVE) != 0;
    speed->baud = bytes_get32(message->fields);
    speed->confirm_ms = message->length < SPEED_SIZE ? 0 : bytes_get16(message->fields + 4);
    return speed->baud > 0;
}

size_t wry_message_put_range(uint8_t *to, uint8_t kind, uint8_t flags, uint16_t seq,
                             const struct wry_range_message *range)
{
    uint8_t *f = to + put_prefix(to, kind, flags, seq);

    bytes_put32(f, range->offset);
    bytes_put32(f + 4, range->length);
    return WRY_MESSAGE_PREFIX + RANGE_SIZE;
}

bool wry_message_get_range(const struct wry_message *message, struct wry_range_message *range)
{
    if (message->length < RANGE_SIZE)
        return false;
    range->offset = bytes_get32(message->fields);
    range->length = bytes_get32(message->fields + 4);
    return range->length > 0 && range->length <= UINT32_MAX - range->offset;
}

size_t wry_message_put_erase(uint8_t *to, uint8_t flags, uint16_t seq,
                             const struct wry_erase_message *erase)
{
    size_t n = wry_message_put_range(to, WRY_KIND_ERASE, flags, seq, &erase->range);

    if (!(flags & WRY_FLAG_STREAM))
        return n;
    to[n] = erase->coding;
    to[n + 1] = log2_of(erase->window);
    to[n + 2] = erase->filter;
    to[n + 3] = erase->parameters;
    if (erase->coding != WRY_CODING_LZMA_OLD)
        return n + STREAM_LEAST;
    bytes_put32(to + n + 4, erase->old_length);
    return n + STREAM_SIZE;
}

bool wry_message_get_erase(const struct wry_message *message, struct wry_erase_message *erase)
{
    const uint8_t *f = message->fields + RANGE_SIZE;
    bool has = message->length >= RANGE_SIZE + STREAM_LEAST;

    erase->coding = has ? f[0] : 0;
    erase->window = has && f[1] < 32 ? UINT32_C(1) << f[1] : 0;
    erase->filter = has ? f[2] : 0;
    erase->parameters = has ? f[3] : 0;
    erase->old_length = message->length >= RANGE_SIZE + STREAM_SIZE ? bytes_get32(f + 4) : 0;
    return wry_message_get_range(message, &erase->range);
}

/* Bytes of the selection: pages of the range, or of a stream of the greatest length, since its
 * length is not known in advance. */
static size_t choice_bytes(const struct wry_read_message *read)
{
    uint32_t length = read->packed ? WRY_READ_PAGES * WRY_PAGE_SIZE : read->range.length;

    return ((size_t)length / WRY_PAGE_SIZE + (length % WRY_PAGE_SIZE != 0) + 7) / 8;
}

size_t wry_message_put_read(uint8_t *to, uint16_t seq, const struct wry_read_message *read)
{
    uint8_t flags = 0;
    size_t n = read->chosen ? choice_bytes(read) : 0;

    if (read->frame_max > 0) {
        for (flags = 1; (uint32_t)WRY_PAGE_SIZE << (flags - 1) < read->frame_max; flags++)
            continue;
    }
    flags |= read->packed ? WRY_FLAG_PACKED : 0;
    flags |= read->soon ? WRY_FLAG_SOON : 0;
    flags |= read->quick ? WRY_FLAG_QUICK : 0;
    size_t at = wry_message_put_range(to, WRY_KIND_READ, flags, seq, &read->range);
    memcpy(to + at, read->wanted, n);
    return at + n;
}

bool wry_message_get_read(const struct wry_message *message, struct wry_read_message *read)
{
    unsigned frames = message->flags & WRY_FLAG_FRAMES;

    if (!wry_message_get_range(message, &read->range))
        return false;
    read->frame_max = frames > 0 ? (uint32_t)WRY_PAGE_SIZE << (frames - 1) : 0;
    read->packed = (message->flags & WRY_FLAG_PACKED) != 0;
    read->soon = (message->flags & WRY_FLAG_SOON) != 0;
    read->quick = (message->flags & WRY_FLAG_QUICK) != 0;
    read->chosen = message->length > RANGE_SIZE;
    memset(read->wanted, 0xFF, sizeof read->wanted);
    if (read->packed && read->range.length > WRY_READ_PACKED_MOST)
        return false;
    if (!read->chosen)
        return true;
    if (read->range.length > WRY_READ_PAGES * WRY_PAGE_SIZE ||
        message->length != RANGE_SIZE + choice_bytes(read))
        return false;
    memcpy(read->wanted, message->fields + RANGE_SIZE, choice_bytes(read));
    return true;
}

size_t wry_message_put_read_end(uint8_t *to, uint16_t seq, const struct wry_range_message *range,
                                uint32_t stream_length)
{
    size_t n =
        wry_message_put_range(to, WRY_KIND_READ | WRY_KIND_REPLY, WRY_FLAG_PACKED, seq, range);

    bytes_put32(to + n, stream_length);
    return n + STREAM_LENGTH_SIZE;
}

bool wry_message_get_read_end(const struct wry_message *message, uint32_t *stream_length)
{
    if (!(message->flags & WRY_FLAG_PACKED) ||
        message->length < (size_t)RANGE_SIZE + STREAM_LENGTH_SIZE)
        return false;
    *stream_length = bytes_get32(message->fields + RANGE_SIZE);
    return true;
}

size_t wry_message_put_data(uint8_t *to, uint8_t kind, uint16_t seq,
                            const struct wry_data_message *data)
{
    uint8_t *f = to + put_prefix(to, kind, 0, seq);

    bytes_put32(f, data->offset);
    bytes_put32(f + 4, (data->length & 0xFFFFFF) | (uint32_t)data->encoding << 24);
    return WRY_DATA_HEAD;
}

bool wry_message_get_data(const struct wry_message *message, struct wry_data_message *data)
{
    const uint8_t *f = message->fields;

    if (message->length < DATA_SIZE)
        return false;
    data->offset = bytes_get32(f);
    data->length = bytes_get32(f + 4) & 0xFFFFFF;
    data->encoding = f[7];
    data->payload = f + DATA_SIZE;
    data->payload_length = message->length - DATA_SIZE;
    if (data->length == 0 || data->length > UINT32_MAX - data->offset)
        return false;
    if (data->encoding == WRY_ENCODING_STORED || data->encoding == WRY_ENCODING_STREAM)
        return data->payload_length == data->length && data->length <= WRY_PAYLOAD_MAX;
    return data->encoding == WRY_ENCODING_BLANK && data->payload_length == 0;
}

size_t wry_message_put_bare(uint8_t *to, uint8_t kind, uint16_t seq)
{
    return put_prefix(to, kind, 0, seq);
}

size_t wry_message_put_progress(uint8_t *to, uint16_t seq,
                                const struct wry_progress_message *progress)
{
    uint8_t *f = to + put_prefix(to, WRY_KIND_STATUS | WRY_KIND_REPLY, 0, seq);

    f[0] = progress->job;
    f[1] = progress->error;
    bytes_put16(f + 2, progress->last_seq);
    bytes_put32(f + 4, progress->received);
    bytes_put32(f + 8, progress->limit);
    bytes_put32(f + 12, progress->erased);
    bytes_put32(f + 16, progress->programmed);
    bytes_put32(f + 20, progress->digested);
    bytes_put32(f + 24, progress->error_offset);
    f[28] = progress->bitmap_length;
    f[29] = 0;
    memcpy(f + PROGRESS_SIZE, progress->bitmap, progress->bitmap_length);
    return WRY_MESSAGE_PREFIX + PROGRESS_SIZE + (size_t)progress->bitmap_length;
}

bool wry_message_get_progress(const struct wry_message *message,
                              struct wry_progress_message *progress)
{
    const uint8_t *f = message->fields;

    if (message->length < PROGRESS_SIZE)
        return false;
    progress->job = f[0];
    progress->error = f[1];
    progress->last_seq = bytes_get16(f + 2);
    progress->received = bytes_get32(f + 4);
    progress->limit = bytes_get32(f + 8);
    progress->erased = bytes_get32(f + 12);
    progress->programmed = bytes_get32(f + 16);
    progress->digested = bytes_get32(f + 20);
    progress->error_offset = bytes_get32(f + 24);
    progress->bitmap_length = f[28];
    if (progress->bitmap_length > sizeof progress->bitmap ||
        message->length != (size_t)PROGRESS_SIZE + progress->bitmap_length)
        return false;
    memset(progress->bitmap, 0, sizeof progress->bitmap);
    memcpy(progress->bitmap, f + PROGRESS_SIZE, progress->bitmap_length);
    return progress->received <= progress->limit;
}

bool wry_progress_has_page(const struct wry_progress_message *progress, uint32_t page)
{
    return page / 8 < progress->bitmap_length && bits_has(progress->bitmap, page);
}

bool wry_digest_is_together(uint8_t flags)
{
    const uint8_t all = WRY_FLAG_SECTORS | WRY_FLAG_WHOLE | WRY_FLAG_TOGETHER;

    return (flags & all) == all;
}

uint32_t wry_digest_stride(uint8_t flags)
{
    bool odd = (flags & (WRY_FLAG_ODD | WRY_FLAG_WHOLE)) == WRY_FLAG_ODD;
    uint32_t stride = (uint32_t)WRY_SECTOR_SIZE << ((flags & WRY_FLAG_SPREAD) >> 4);

    return odd && (flags & WRY_FLAG_SPREAD) ? stride + ODD_SECTORS * WRY_SECTOR_SIZE : stride;
}

size_t wry_digest_size(uint8_t flags, uint32_t length)
{
    bool together = wry_digest_is_together(flags);
    bool sectors = (flags & WRY_FLAG_SECTORS) != 0 && !together,
         whole = (flags & WRY_FLAG_WHOLE) != 0;
    uint32_t stride = wry_digest_stride(flags);

    return (sectors ? (length + stride - WRY_SECTOR_SIZE) / stride : 1) *
           (sectors && !whole ? WRY_SECTOR_DIGEST_SIZE : WRY_SHA256_SIZE);
}

bool wry_message_get_digest_reply(const struct wry_message *message, struct wry_digest_reply *reply)
{
    if (!wry_message_get_range(message, &reply->range))
        return false;
    reply->digest = message->fields + RANGE_SIZE;
    reply->digest_length = message->length - RANGE_SIZE;
    return reply->digest_length > 0;
}

size_t wry_message_put_error(uint8_t *to, uint16_t seq, const struct wry_error_message *error)
{
    uint8_t *f = to + put_prefix(to, WRY_KIND_ERROR, 0, seq);

    f[0] = error->of_kind;
    f[1] = error->code;
    bytes_put16(f + 2, 0);
    bytes_put32(f + 4, error->offset);
    return WRY_MESSAGE_PREFIX + ERROR_SIZE;
}

bool wry_message_get_error(const struct wry_message *message, struct wry_error_message *error)
{
    if (message->length < ERROR_SIZE)
        return false;
    error->of_kind = message->fields[0];
    error->code = message->fields[1];
    error->offset = bytes_get32(message->fields + 4);
    return true;
}
