/*
 * The loader, told anything: bytes, good frames of any content, and requests that nearly make
 * sense, with time passing in between. The flash breaks off at any change that no request asked
 * for.
 */
#include <string.h>

#include "core/wire/frame_codec.h"
#include "door.h"
#include "strict_nor.h"
#include "wrytograph/bytes.h"
#include "wrytograph/frame.h"

enum {
    LINE_ROOM = 1 << 15,
    MEMORY = 48 * 1024,
    TURNS = 400, /* after each action, at most */
};

enum action {
    SAY_BYTES,
    SAY_BODY,
    SAY_HELLO,
    SAY_ERASE,
    SAY_DATA,
    SAY_STREAM,
    SAY_READ,
    SAY_DIGEST,
    SAY_BARE,
    SAY_SPEED,
    PASS_TIME,
    ACTIONS,
};

static struct strict_nor nor;
static struct wry_loader loader;
static struct wry_decoder decoder; /* of what is said to the loader */
static uint8_t heard[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
static uint8_t line[LINE_ROOM], memory[MEMORY];
static size_t line_fill, line_at;
static uint32_t now;
static uint32_t job_offset, job_at; /* of the last erase; bytes of a stream said so far */
static uint16_t seq;
static bool over;

static size_t receive(void *context, uint8_t *to, size_t room)
{
    size_t n = line_fill - line_at < room ? line_fill - line_at : room;

    (void)context;
    memcpy(to, line + line_at, n);
    line_at += n;
    return n;
}

/* Less than it is given, at times. */
static size_t transmit(void *context, const uint8_t *from, size_t n)
{
    (void)context;
    for (size_t i = 0; i < n; i++)
        now += from[i] == 0;
    return n > 110 ? 100 + now % 7 : n;
}

static bool transmitted(void *context)
{
    (void)context;
    return now % 3 != 0;
}

static void set_speed(void *context, uint32_t baud)
{
    (void)context;
    MUST(baud > 0);
}

static void spi(void *context, const struct wry_spi_transfer *transfer)
{
    (void)context;
    strict_nor_transfer(&nor, transfer);
}

static uint32_t tell_time(void *context)
{
    (void)context;
    return now;
}

static void restart(void *context)
{
    (void)context;
    over = true;
}

static void worked(void *context, enum wry_work work, uint32_t bytes)
{
    (void)context;
    (void)work;
    now += bytes / 64;
}

static const struct wry_board_port port = {.receive = receive,
                                           .transmit = transmit,
                                           .transmitted = transmitted,
                                           .set_speed = set_speed,
                                           .spi = spi,
                                           .now = tell_time,
                                           .restart = restart,
                                           .worked = worked};

/* What was really asked for is known from the line, however it came there. */
static void overhear(const uint8_t *bytes, size_t n)
{
    struct wry_message message;
    struct wry_erase_message erase;
    enum wry_frame_event event;

    while (n > 0) {
        size_t used = frame_decoder_take(&decoder, bytes, n, &event);
        bytes += used;
        n -= used;
        if (event == WRY_FRAME_GOOD && wry_message_split(&message, heard, decoder.length) &&
            message.kind == WRY_KIND_ERASE && wry_message_get_erase(&message, &erase))
            strict_nor_allow(&nor, erase.range.offset, erase.range.length,
                             (message.flags & WRY_FLAG_PROGRAM) != 0);
    }
}

static void say(const uint8_t *bytes, size_t n)
{
    if (line_at == line_fill)
        line_at = line_fill = 0;
    if (n > LINE_ROOM - line_fill)
        return;
    overhear(bytes, n);
    memcpy(line + line_fill, bytes, n);
    line_fill += n;
}

static void say_frame(const uint8_t *head, size_t n, const uint8_t *payload, size_t m)
{
    static uint8_t frame[WRY_FRAME_WORST(WRY_BODY_MAX)];
    struct wry_encoder encoder;

    frame_encoder_init(&encoder, head, n, payload, m);
    say(frame, frame_encoder_give(&encoder, frame, sizeof frame));
}

static size_t take(struct door_input *input, const uint8_t **bytes, size_t most)
{
    size_t left = input->n - input->at;
    size_t n = door_byte(input) * 8u % (most + 1);

    n = n < left ? n : left > 0 ? left - 1 : 0;
    *bytes = input->bytes + input->at;
    input->at += n;
    return n;
}

/* Sectors as they are mostly asked for. */
static struct wry_range_message some_range(struct door_input *input)
{
    uint32_t offset = door_byte(input) % 72u * 0x1000, length = door_byte(input) % 40u * 0x1000;

    if (door_byte(input) % 16 == 0) {
        offset += door_byte(input);
        length -= door_byte(input);
    }
    return (struct wry_range_message){.offset = offset, .length = length};
}

static size_t put_data(struct door_input *input, uint8_t *head, const uint8_t **payload, size_t *m)
{
    static uint8_t content[WRY_PAYLOAD_MAX];
    uint32_t pages = 1 + door_byte(input) % 8u;
    struct wry_data_message data = {.offset = job_offset + door_byte(input) * WRY_PAGE_SIZE,
                                    .length = pages * WRY_PAGE_SIZE,
                                    .encoding = door_byte(input) % 3u};

    memset(content, door_byte(input), sizeof content);
    *payload = content;
    *m = data.encoding == WRY_ENCODING_BLANK ? 0 : data.length;
    return wry_message_put_data(head, WRY_KIND_DATA, ++seq, &data);
}

static void say_stream(struct door_input *input)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const uint8_t *bytes;
    size_t n = take(input, &bytes, WRY_PAYLOAD_MAX);
    struct wry_data_message data = {
        .offset = job_at, .length = (uint32_t)n, .encoding = WRY_ENCODING_STREAM};

    if (n == 0)
        return;
    job_at += (uint32_t)n;
    say_frame(head, wry_message_put_data(head, WRY_KIND_DATA, ++seq, &data), bytes, n);
}

static size_t put_erase(struct door_input *input, uint8_t *head)
{
    struct wry_erase_message erase = {.range = some_range(input)};
    uint8_t flags = door_byte(input) % 32, coding = door_byte(input);

    erase.coding = 1 + coding % 5;
    erase.filter = coding / 32 % 6;
    erase.parameters = coding % 3 == 0 ? coding : WRY_LZMA_USUAL;
    erase.window = 256u << door_byte(input) % 8;
    erase.old_length = (coding / 5 + 1u) * WRY_SECTOR_SIZE;
    job_offset = erase.range.offset;
    job_at = 0;
    return wry_message_put_erase(head, flags, ++seq, &erase);
}

static size_t put_read(struct door_input *input, uint8_t *head)
{
    struct wry_read_message read = {.range = some_range(input)};
    uint8_t how = door_byte(input);

    read.frame_max = how & 1 ? 0 : 256u << (how >> 5);
    read.packed = how & 2;
    read.soon = how & 4;
    read.chosen = how & 8;
    if (read.chosen && read.range.length > WRY_READ_PAGES * WRY_PAGE_SIZE)
        read.range.length = WRY_READ_PAGES * WRY_PAGE_SIZE;
    read.wanted[0] = door_byte(input);
    read.wanted[3] = door_byte(input);
    return wry_message_put_read(head, ++seq, &read);
}

static void act(struct door_input *input)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const uint8_t *bytes = NULL;
    size_t n = 0, m = 0;
    struct wry_range_message range;

    switch ((enum action)(door_byte(input) % ACTIONS)) {
    case SAY_BYTES:
        n = take(input, &bytes, 2048);
        say(bytes, n);
        return;
    case SAY_BODY:
        n = take(input, &bytes, 2048);
        say_frame(bytes, n, NULL, 0);
        return;
    case SAY_HELLO:
        n = wry_message_put_hello(head, ++seq,
                                  &(struct wry_hello_message){.token = door_byte(input) % 4u,
                                                              .version_min = 1,
                                                              .version_max = 1});
        break;
    case SAY_ERASE:
        n = put_erase(input, head);
        break;
    case SAY_DATA:
        n = put_data(input, head, &bytes, &m);
        break;
    case SAY_STREAM:
        say_stream(input);
        return;
    case SAY_READ:
        n = put_read(input, head);
        break;
    case SAY_DIGEST:
        range = some_range(input);
        n = wry_message_put_range(head, WRY_KIND_DIGEST, door_byte(input), ++seq, &range);
        break;
    case SAY_BARE:
        n = wry_message_put_bare(head, door_byte(input) % 32 ? WRY_KIND_STATUS : WRY_KIND_START,
                                 ++seq);
        break;
    case SAY_SPEED:
        n = wry_message_put_speed(
            head, WRY_KIND_SPEED, ++seq,
            &(struct wry_speed_message){.baud = door_number(input) % 3000000,
                                        .confirm_ms = (uint16_t)door_number(input),
                                        .prove = door_number(input) & 1});
        break;
    case PASS_TIME:
        now += door_byte(input) * 5000u;
        return;
    case ACTIONS:
        return;
    }
    say_frame(head, n, bytes, m);
}

static void turn(void)
{
    uint32_t rest = 0;

    for (unsigned i = 0; i < TURNS && rest < 1000 && !over; i++) {
        rest = wry_loader_poll(&loader);
        MUST(rest <= WRY_LOADER_REST_MOST);
        now += 1 + rest;
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct door_input input = {.bytes = bytes, .n = n};
    struct wry_board_identity identity = {.chip_code = 0x7402, .eui48 = {2}, .top_speed = 921600};
    uint8_t how = door_byte(&input);
    static const size_t memories[] = {WRY_LOADER_MEMORY_LEAST, 16 * 1024, 40 * 1024, MEMORY};

    strict_nor_init(&nor, how & 0x80 ? door_byte(&input) : 0, door_byte(&input));
    identity.usual_protection = how & 0x40;
    line_fill = line_at = 0;
    now = 0;
    seq = 0;
    over = false;
    job_offset = job_at = 0;
    frame_decoder_init(&decoder, heard, sizeof heard);
    wry_loader_init(&loader, &port, &identity, memory, memories[how % 4]);
    turn();
    while (input.at < n && !over) {
        act(&input);
        turn();
    }
    return 0;
}
