/* Any body as a message: refused, or what it says can be said again in the same way. */
#include <string.h>

#include "door.h"
#include "wrytograph/message.h"

enum {
    PAYLOAD = 1 << 16,
};

static uint8_t first[WRY_MESSAGE_HEAD_MAX + PAYLOAD], second[WRY_MESSAGE_HEAD_MAX + PAYLOAD];

/* Writes what the message says; 0 when it is refused, or is none that this side writes. */
static size_t say_again(const struct wry_message *m, uint8_t *to)
{
    union {
        struct wry_hello_message hello;
        struct wry_hello_reply hello_reply;
        struct wry_speed_message speed;
        struct wry_range_message range;
        struct wry_erase_message erase;
        struct wry_read_message read;
        struct wry_data_message data;
        struct wry_progress_message progress;
        struct wry_error_message error;
    } u;

    memset(&u, 0, sizeof u);
    switch (m->kind) {
    case WRY_KIND_HELLO:
        return wry_message_get_hello(m, &u.hello) ? wry_message_put_hello(to, m->seq, &u.hello) : 0;
    case WRY_KIND_HELLO | WRY_KIND_REPLY:
        return wry_message_get_hello_reply(m, &u.hello_reply)
                   ? wry_message_put_hello_reply(to, m->seq, &u.hello_reply)
                   : 0;
    case WRY_KIND_SPEED:
    case WRY_KIND_SPEED | WRY_KIND_REPLY:
        return wry_message_get_speed(m, &u.speed)
                   ? wry_message_put_speed(to, m->kind, m->seq, &u.speed)
                   : 0;
    case WRY_KIND_ERASE:
        return wry_message_get_erase(m, &u.erase)
                   ? wry_message_put_erase(to, m->flags, m->seq, &u.erase)
                   : 0;
    case WRY_KIND_READ:
        return wry_message_get_read(m, &u.read) ? wry_message_put_read(to, m->seq, &u.read) : 0;
    case WRY_KIND_DIGEST:
        if (!wry_message_get_range(m, &u.range))
            return 0;
        MUST(wry_digest_stride(m->flags) >= WRY_SECTOR_SIZE);
        return wry_message_put_range(to, m->kind, m->flags, m->seq, &u.range);
    case WRY_KIND_DATA:
    case WRY_KIND_DATA | WRY_KIND_REPLY:
        if (!wry_message_get_data(m, &u.data))
            return 0;
        MUST(u.data.payload_length <= WRY_PAYLOAD_MAX && u.data.length > 0);
        MUST(u.data.payload_length == 0 ||
             (u.data.payload >= m->fields &&
              u.data.payload + u.data.payload_length <= m->fields + m->length));
        size_t n = wry_message_put_data(to, m->kind, m->seq, &u.data);
        if (u.data.payload_length > 0)
            memcpy(to + n, u.data.payload, u.data.payload_length);
        return n + u.data.payload_length;
    case WRY_KIND_STATUS | WRY_KIND_REPLY:
        if (!wry_message_get_progress(m, &u.progress))
            return 0;
        MUST(u.progress.received <= u.progress.limit &&
             u.progress.bitmap_length <= sizeof u.progress.bitmap);
        return wry_message_put_progress(to, m->seq, &u.progress);
    case WRY_KIND_ERROR:
        return wry_message_get_error(m, &u.error) ? wry_message_put_error(to, m->seq, &u.error) : 0;
    default:
        return 0;
    }
}

/* These have no writer for their whole. */
static void look_only(const struct wry_message *m)
{
    struct wry_digest_reply reply;
    uint32_t length;

    wry_message_get_read_end(m, &length);
    if (wry_message_get_digest_reply(m, &reply))
        MUST(reply.digest >= m->fields &&
             reply.digest + reply.digest_length <= m->fields + m->length);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct wry_message message;

    if (n > WRY_BODY_MAX || !wry_message_split(&message, bytes, n))
        return 0;
    look_only(&message);
    size_t length = say_again(&message, first);
    if (length == 0)
        return 0;
    MUST(wry_message_split(&message, first, length));
    MUST(say_again(&message, second) == length && memcmp(first, second, length) == 0);
    return 0;
}
