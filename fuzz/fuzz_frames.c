/* Any bytes as a line's: the same frames come out in any pieces, and what came out can be framed
 * again. */
#include <string.h>

#include "core/wire/frame_codec.h"
#include "door.h"
#include "wrytograph/bytes.h"
#include "wrytograph/frame.h"

enum {
    BODY_MAX = 256,
};

static void again(const uint8_t *body, size_t n)
{
    uint8_t line[WRY_FRAME_WORST(BODY_MAX)], room[BODY_MAX + WRY_FRAME_FCS_SIZE];
    struct wry_encoder encoder;
    struct wry_decoder decoder;
    enum wry_frame_event event = WRY_FRAME_NONE;
    size_t head = n / 3, length = 0, given;

    frame_encoder_init(&encoder, body, head, body + head, n - head);
    while ((given = frame_encoder_give(&encoder, line + length, 1 + length % 7)) > 0)
        length += given;
    frame_decoder_init(&decoder, room, sizeof room);
    for (size_t at = 0; at < length; at++)
        MUST(frame_decoder_take(&decoder, line + at, 1, &event) == 1);
    MUST(event == WRY_FRAME_GOOD && decoder.length == n && memcmp(room, body, n) == 0);
}

/* A number that stands for all events and bodies. */
static uint32_t events(const uint8_t *bytes, size_t n, size_t step)
{
    uint8_t room[BODY_MAX + WRY_FRAME_FCS_SIZE];
    struct wry_decoder decoder;
    enum wry_frame_event event;
    uint32_t seen = 0;

    frame_decoder_init(&decoder, room, sizeof room);
    for (size_t at = 0; at < n;) {
        size_t used =
            frame_decoder_take(&decoder, bytes + at, n - at < step ? n - at : step, &event);
        MUST(used > 0 && used <= step);
        at += used;
        if (event == WRY_FRAME_BAD)
            seen = wry_crc32(seen, (const uint8_t *)"bad", 3);
        if (event != WRY_FRAME_GOOD)
            continue;
        MUST(decoder.length > 0 && decoder.length <= BODY_MAX);
        seen = wry_crc32(seen, room, decoder.length);
        if (step == 1)
            again(room, decoder.length);
    }
    return seen;
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    uint32_t seen = events(bytes, n, 1);

    MUST(seen == events(bytes, n, n + 1));
    MUST(seen == events(bytes, n, 5));
    return 0;
}
