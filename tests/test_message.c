/* Messages, and the example bytes of docs/protocol.md. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "core/bytes/fields.h"
#include "core/wire/frame_codec.h"
#include "harness.h"
#include "rig.h"
#include "wrytograph/branch_filter.h"
#include "wrytograph/frame.h"
#include "wrytograph/lzma.h"
#include "wrytograph/message.h"

/* The bytes that the document shows in the line "example NAME: …"; 0 when there is none. */
static size_t documented(const char *name, uint8_t *to, size_t room)
{
    FILE *file = fopen(WRY_SOURCE_DIR "/docs/protocol.md", "r");
    char line[1024], start[64];
    size_t n = 0;

    if (!file)
        return 0;
    snprintf(start, sizeof start, "    example %s: ", name);
    while (n == 0 && fgets(line, sizeof line, file)) {
        if (strncmp(line, start, strlen(start)) != 0)
            continue;
        char *at = line + strlen(start), *end;
        for (unsigned long byte = strtoul(at, &end, 16); end != at && n < room;
             at = end, byte = strtoul(at, &end, 16))
            to[n++] = (uint8_t)byte;
    }
    fclose(file);
    return n;
}

static void check_example(const char *name, const uint8_t *head, size_t length,
                          const uint8_t *payload, size_t payload_length)
{
    uint8_t ours[256], theirs[256];
    struct wry_encoder encoder;

    frame_encoder_init(&encoder, head, length, payload, payload_length);
    size_t n = frame_encoder_give(&encoder, ours, sizeof ours);
    size_t m = documented(name, theirs, sizeof theirs);
    check_context("example %s", name);
    CHECK_EQUAL(n, m);
    CHECK(n == m && memcmp(ours, theirs, n) == 0);
    if (n == m && memcmp(ours, theirs, n) == 0)
        return;
    printf("example %s:", name);
    for (size_t i = 0; i < n; i++)
        printf(" %02X", ours[i]);
    printf("\n");
}

static struct wry_message split(const uint8_t *body, size_t n)
{
    struct wry_message message = {0};

    CHECK(wry_message_split(&message, body, n));
    return message;
}

static const struct wry_hello_reply board = {
    .token = 0x0A0B0C0D,
    .version = 1,
    .chip_code = 0x7402,
    .chip_revision = 1,
    .eui48 = {0x02, 0x57, 0x52, 0x01, 0x02, 0x03},
    .jedec = {0x7F, 0x51, 0x16},
    .encodings = 3,
    .capacity = 0x400000,
    .window = 0xA000,
    .payload_max = 2048,
    .top_speed = 2000000,
    .features = WRY_FEATURE_STREAMS | WRY_FEATURE_WHOLE | WRY_FEATURE_SPREAD | WRY_FEATURE_PACKED |
                WRY_FEATURE_AFTER | WRY_FEATURE_SOON | WRY_FEATURE_LZMA,
    .dictionary = 32768,
    .old_window = 0x9000,
    .old_dictionary = 0x4000,
    .filters = 0x1E,
    .flash_rate = 40,
    .old_block = 0x10000,
    .old_history = 0x3000,
    .erase_least = 0x1000,
    .size_from = WRY_SIZE_TABLE,
};

static void hello_is_as_documented(void)
{
    struct wry_hello_message hello = {.token = 0x0A0B0C0D, .version_min = 1, .version_max = 1};
    struct wry_hello_message back;
    struct wry_hello_reply reply;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_hello(head, 0x0101, &hello);
    check_example("hello", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_hello(&message, &back));
    CHECK_EQUAL(hello.token, back.token);
    n = wry_message_put_hello_reply(head, 0x0101, &board);
    check_example("hello-reply", head, n, NULL, 0);
    message = split(head, n);
    CHECK(wry_message_get_hello_reply(&message, &reply));
    CHECK_EQUAL(board.token, reply.token);
    CHECK_EQUAL(board.version, reply.version);
    CHECK_EQUAL(board.features, reply.features);
    CHECK_EQUAL(board.chip_code, reply.chip_code);
    CHECK_EQUAL(board.chip_revision, reply.chip_revision);
    CHECK_EQUAL(board.protect, reply.protect);
    CHECK_EQUAL(board.encodings, reply.encodings);
    CHECK_EQUAL(board.capacity, reply.capacity);
    CHECK_EQUAL(board.window, reply.window);
    CHECK_EQUAL(board.payload_max, reply.payload_max);
    CHECK_EQUAL(board.top_speed, reply.top_speed);
    CHECK_EQUAL(board.dictionary, reply.dictionary);
    CHECK_EQUAL(board.old_window, reply.old_window);
    CHECK_EQUAL(board.old_dictionary, reply.old_dictionary);
    CHECK_EQUAL(board.filters, reply.filters);
    CHECK_EQUAL(board.flash_rate, reply.flash_rate);
    CHECK_EQUAL(board.old_block, reply.old_block);
    CHECK_EQUAL(board.old_history, reply.old_history);
    CHECK_EQUAL(board.flash_limit, reply.flash_limit);
    CHECK_EQUAL(board.erase_least, reply.erase_least);
    CHECK_EQUAL(board.size_from, reply.size_from);
    CHECK(memcmp(board.eui48, reply.eui48, sizeof board.eui48) == 0);
    CHECK(memcmp(board.jedec, reply.jedec, sizeof board.jedec) == 0);
    CHECK(!reply.continued);
}

/* An older board's reply ends earlier; what it cannot say is not made up. */
static void an_older_hello_reply_is_taken_as_far_as_it_goes(void)
{
    struct wry_hello_reply limited = board, reply;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    limited.flash_limit = WRY_FLASH_COARSE;
    size_t n = wry_message_put_hello_reply(head, 1, &limited);
    for (size_t cut = 0; cut <= 9; cut++) {
        struct wry_message message = split(head, n - cut);
        check_context("%zu bytes less", cut);
        CHECK_EQUAL(cut <= 8, wry_message_get_hello_reply(&message, &reply));
        if (cut > 8)
            continue;
        /* What was said before of every job is right for those with old content. */
        CHECK_EQUAL(board.old_window, reply.old_window);
        CHECK_EQUAL(board.old_dictionary, reply.old_dictionary);
        CHECK_EQUAL(cut == 0 ? board.window : board.old_window, reply.window);
        CHECK_EQUAL(cut == 0 ? board.dictionary : board.old_dictionary, reply.dictionary);
        CHECK_EQUAL(cut == 0 ? board.filters : 0, reply.filters);
        CHECK_EQUAL(cut <= 5 ? WRY_SIZE_TABLE : WRY_SIZE_UNSAID, reply.size_from);
        CHECK_EQUAL(cut <= 6 ? WRY_FLASH_COARSE : WRY_FLASH_FULL, reply.flash_limit);
        CHECK_EQUAL(cut <= 6 ? 0x1000 : 0, reply.erase_least);
    }
    check_context(NULL);
}

static void a_hello_carries_the_size_that_the_host_knows(void)
{
    static const uint32_t sizes[] = {0, 0x10000, 0x400000, 0x10000000};

    for (size_t i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        struct wry_hello_message hello = {
            .token = 1, .version_min = 1, .version_max = 1, .flash_size = sizes[i]};
        struct wry_hello_message back;
        uint8_t head[WRY_MESSAGE_HEAD_MAX];
        struct wry_message message = split(head, wry_message_put_hello(head, 1, &hello));
        CHECK(wry_message_get_hello(&message, &back));
        CHECK_EQUAL(sizes[i], back.flash_size);
    }
}

static void speed_is_as_documented(void)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_speed_message speed = {.baud = 921600, .confirm_ms = 200, .prove = true};

    size_t n = wry_message_put_speed(head, WRY_KIND_SPEED, 0x0102, &speed);
    check_example("speed", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_speed(&message, &speed));
    CHECK_EQUAL(921600, speed.baud);
    CHECK_EQUAL(200, speed.confirm_ms);
    CHECK(speed.prove);
}

static void ranges_are_as_documented(void)
{
    struct wry_range_message range = {.offset = 0x40000, .length = 0xE2000}, back;
    uint8_t head[WRY_MESSAGE_HEAD_MAX], digest[32];

    size_t n = wry_message_put_range(head, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x0103, &range);
    check_example("erase", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_range(&message, &back));
    CHECK_EQUAL(range.offset, back.offset);
    CHECK_EQUAL(range.length, back.length);
    n = wry_message_put_range(head, WRY_KIND_READ, 0, 0x0104, &range);
    check_example("read", head, n, NULL, 0);
    n = wry_message_put_range(head, WRY_KIND_DIGEST, 0, 0x0105, &range);
    check_example("digest", head, n, NULL, 0);
    n = wry_message_put_range(head, WRY_KIND_DIGEST, WRY_FLAG_SECTORS | WRY_FLAG_AFTER, 0x0106,
                              &range);
    check_example("digest-after", head, n, NULL, 0);
    n = wry_message_put_range(head, WRY_KIND_DIGEST,
                              WRY_FLAG_SECTORS | WRY_FLAG_WHOLE | WRY_FLAG_TOGETHER, 0x0106,
                              &range);
    check_example("digest-together", head, n, NULL, 0);
    n = wry_message_put_range(head, WRY_KIND_DIGEST, WRY_FLAG_SECTORS | WRY_FLAG_ODD | 0x20, 0x0107,
                              &range);
    check_example("digest-odd", head, n, NULL, 0);
    n = wry_message_put_range(head, WRY_KIND_DIGEST | WRY_KIND_REPLY, 0, 0x0105, &range);
    for (uint8_t i = 0; i < 32; i++)
        digest[i] = i;
    check_example("digest-reply", head, n, digest, sizeof digest);
}

static void a_stream_is_announced_as_documented(void)
{
    struct wry_erase_message erase = {.range = {.offset = 0x40000, .length = 0xE2000},
                                      .coding = WRY_CODING_DEFLATE,
                                      .window = 0x8000},
                             back;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const uint8_t flags = WRY_FLAG_PROGRAM | WRY_FLAG_STREAM;

    size_t n = wry_message_put_erase(head, flags, 0x010A, &erase);
    check_example("erase-stream", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_erase(&message, &back));
    CHECK_EQUAL(erase.range.length, back.range.length);
    CHECK_EQUAL(erase.coding, back.coding);
    CHECK_EQUAL(erase.window, back.window);
    erase.coding = WRY_CODING_DIFFERENCE;
    n = wry_message_put_erase(head, flags, 0x010C, &erase);
    check_example("erase-difference", head, n, NULL, 0);
    erase = (struct wry_erase_message){.range = erase.range,
                                       .coding = WRY_CODING_LZMA,
                                       .window = 0x2000,
                                       .filter = WRY_FILTER_THUMB,
                                       .parameters = WRY_LZMA_USUAL};
    n = wry_message_put_erase(head, flags, 0x010D, &erase);
    check_example("erase-lzma", head, n, NULL, 0);
    erase.coding = WRY_CODING_LZMA_OLD;
    erase.filter = WRY_FILTER_NONE;
    erase.old_length = 0xD8000;
    n = wry_message_put_erase(head, flags | WRY_FLAG_DOWN, 0x010E, &erase);
    check_example("erase-lzma-old", head, n, NULL, 0);
    message = split(head, n);
    CHECK(wry_message_get_erase(&message, &back));
    CHECK_EQUAL(WRY_LZMA_USUAL, back.parameters);
    CHECK_EQUAL(0xD8000, back.old_length);
    /* Without the flag the fields are not sent, and read as none. */
    n = wry_message_put_erase(head, WRY_FLAG_PROGRAM, 0x0103, &erase);
    message = split(head, n);
    CHECK(wry_message_get_erase(&message, &back));
    CHECK(back.coding == 0 && back.window == 0);
}

static void a_packed_read_is_as_documented(void)
{
    struct wry_read_message read = {.range = {.offset = 0x40000, .length = 0xF000}, .packed = true},
                            back;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    uint32_t length;

    size_t n = wry_message_put_read(head, 0x010D, &read);
    check_example("read-packed", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_read(&message, &back));
    CHECK(back.packed && !back.chosen);
    CHECK(!wry_message_get_read_end(&message, &length));
    struct wry_read_message some = read;
    some.soon = some.chosen = true;
    some.wanted[0] = 0x06;
    n = wry_message_put_read(head, 0x010E, &some);
    check_example("read-soon", head, n, NULL, 0);
    message = split(head, n);
    CHECK(wry_message_get_read(&message, &back));
    CHECK(back.packed && back.soon && back.chosen && back.wanted[0] == 0x06);
    some = (struct wry_read_message){.range = read.range, .packed = true, .quick = true};
    n = wry_message_put_read(head, 0x010F, &some);
    check_example("read-quick", head, n, NULL, 0);
    message = split(head, n);
    CHECK(wry_message_get_read(&message, &back));
    CHECK(back.packed && back.quick && !back.soon);
    n = wry_message_put_read_end(head, 0x010D, &read.range, 0x6A7B);
    check_example("read-end", head, n, NULL, 0);
    message = split(head, n);
    CHECK(wry_message_get_read_end(&message, &length));
    CHECK_EQUAL(0x6A7B, length);
    /* A choice among pages of the stream has one length. */
    read.chosen = true;
    read.wanted[31] = 0x80;
    n = wry_message_put_read(head, 0x010E, &read);
    message = split(head, n);
    CHECK(wry_message_get_read(&message, &back));
    CHECK(back.chosen && back.wanted[31] == 0x80);
    message = split(head, n - 1);
    CHECK(!wry_message_get_read(&message, &back));
    read.range.length = WRY_READ_PACKED_MOST + 1;
    n = wry_message_put_read(head, 0x010E, &read);
    message = split(head, n);
    CHECK(!wry_message_get_read(&message, &back));
}

static void digests_may_be_spread(void)
{
    CHECK_EQUAL(0x1000, wry_digest_stride(WRY_FLAG_SECTORS));
    CHECK_EQUAL(0x8000, wry_digest_stride(WRY_FLAG_SECTORS | 0x30));
    CHECK_EQUAL(0x7000, wry_digest_stride(WRY_FLAG_SECTORS | WRY_FLAG_ODD | 0x20));
    CHECK_EQUAL(0x8003000, wry_digest_stride(WRY_FLAG_SECTORS | WRY_FLAG_ODD | 0xF0));
    CHECK_EQUAL(0x1000, wry_digest_stride(WRY_FLAG_SECTORS | WRY_FLAG_ODD));
    CHECK_EQUAL(0x4000,
                wry_digest_stride(WRY_FLAG_SECTORS | WRY_FLAG_WHOLE | WRY_FLAG_TOGETHER | 0x20));
    CHECK_EQUAL(4 * 8, wry_digest_size(WRY_FLAG_SECTORS | 0x30, 0x19000));
    CHECK_EQUAL(3 * 8, wry_digest_size(WRY_FLAG_SECTORS | WRY_FLAG_ODD | 0x20, 0xF000));
    CHECK_EQUAL(2 * 8, wry_digest_size(WRY_FLAG_SECTORS | WRY_FLAG_ODD | 0x20, 0xE000));
    CHECK_EQUAL(3 * 8, wry_digest_size(WRY_FLAG_SECTORS | 0x30, 0x18000));
    CHECK_EQUAL(32, wry_digest_size(0, 0x18000));
    CHECK_EQUAL(24 * 32, wry_digest_size(WRY_FLAG_SECTORS | WRY_FLAG_WHOLE, 0x18000));
    CHECK_EQUAL(32,
                wry_digest_size(WRY_FLAG_SECTORS | WRY_FLAG_WHOLE | WRY_FLAG_TOGETHER, 0x18000));
}

static void data_of_unknown_encodings_and_false_lengths_is_refused(void)
{
    struct wry_data_message data = {.offset = 0x1000, .length = 256};
    uint8_t body[WRY_BODY_MAX];
    struct wry_message message;

    for (unsigned encoding = 0; encoding < 4; encoding++) {
        for (unsigned payload = 0; payload <= 512; payload += 256) {
            data.encoding = (uint8_t)encoding;
            size_t n = wry_message_put_data(body, WRY_KIND_DATA, 1, &data);
            memset(body + n, 0, payload);
            CHECK(wry_message_split(&message, body, n + payload));
            struct wry_data_message got;
            check_context("encoding %u, %u bytes", encoding, payload);
            CHECK_EQUAL((encoding != 1 && encoding < 3 && payload == 256) ||
                            (encoding == 1 && payload == 0),
                        wry_message_get_data(&message, &got));
        }
    }
}

static void a_choice_of_pages_comes_whole_or_not_at_all(void)
{
    struct wry_read_message read = {.range = {.offset = 0x100, .length = 0x901}, .chosen = true};
    uint8_t body[WRY_MESSAGE_HEAD_MAX];
    struct wry_message message;
    struct wry_read_message got;

    read.wanted[0] = 0x81;
    read.wanted[1] = 0x02;
    for (unsigned frames = 0; frames <= 4; frames++) {
        read.frame_max = frames > 0 ? 256u << (frames - 1) : 0;
        size_t n = wry_message_put_read(body, 7, &read);
        CHECK_EQUAL(WRY_MESSAGE_PREFIX + 8 + 2, n); /* ten pages */
        CHECK(wry_message_split(&message, body, n) && wry_message_get_read(&message, &got));
        CHECK_EQUAL(read.frame_max, got.frame_max);
        CHECK(got.chosen && got.wanted[0] == 0x81 && got.wanted[1] == 0x02);
        CHECK(wry_message_split(&message, body, n - 1) && !wry_message_get_read(&message, &got));
        CHECK(wry_message_split(&message, body, n - 2) && wry_message_get_read(&message, &got));
        CHECK(!got.chosen && got.wanted[31] == 0xFF);
    }
    read.range.length = WRY_READ_PAGES * WRY_PAGE_SIZE;
    size_t n = wry_message_put_read(body, 7, &read);
    CHECK(wry_message_split(&message, body, n) && wry_message_get_read(&message, &got));
    bytes_put32(body + 8, read.range.length + 1);
    CHECK(wry_message_split(&message, body, n) && !wry_message_get_read(&message, &got));
}

static void data_is_as_documented(void)
{
    static const uint8_t page[4] = {0x7E, 0x00, 0x7D, 0xFF};
    struct wry_data_message data = {.offset = 0x40000, .length = sizeof page};
    struct wry_data_message blank = {
        .offset = 0x41000, .length = 0x1000, .encoding = WRY_ENCODING_BLANK};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_data(head, WRY_KIND_DATA, 0x0106, &data);
    check_example("data-stored", head, n, page, sizeof page);
    n = wry_message_put_data(head, WRY_KIND_DATA, 0x0107, &blank);
    check_example("data-blank", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_data(&message, &data));
    CHECK_EQUAL(WRY_ENCODING_BLANK, data.encoding);
    CHECK_EQUAL(0x1000, data.length);
}

static void short_messages_are_as_documented(void)
{
    struct wry_error_message error = {
        .of_kind = WRY_KIND_ERASE, .code = WRY_ERROR_BAD_RANGE, .offset = 0x500000};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    check_example("start", head, wry_message_put_bare(head, WRY_KIND_START, 0x0108), NULL, 0);
    check_example("status", head, wry_message_put_bare(head, WRY_KIND_STATUS, 0x0109), NULL, 0);
    check_example("error", head, wry_message_put_error(head, 0x0103, &error), NULL, 0);
}

static void progress_is_as_documented(void)
{
    struct wry_progress_message progress = {.job = WRY_JOB_RUNNING,
                                            .last_seq = 0x0107,
                                            .received = 0x41000,
                                            .limit = 0x4A000,
                                            .erased = 0x50000,
                                            .programmed = 0x40000,
                                            .digested = 0x40000,
                                            .bitmap_length = 2,
                                            .bitmap = {0xF0, 0x01}};
    struct wry_progress_message back;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_progress(head, 0, &progress);
    check_example("progress", head, n, NULL, 0);
    struct wry_message message = split(head, n);
    CHECK(wry_message_get_progress(&message, &back));
    CHECK_EQUAL(progress.limit, back.limit);
    CHECK(!wry_progress_has_page(&back, 3));
    CHECK(wry_progress_has_page(&back, 4));
    CHECK(wry_progress_has_page(&back, 8));
    CHECK(!wry_progress_has_page(&back, 200));
    progress.received = 0x4B000;
    n = wry_message_put_progress(head, 0, &progress);
    message = split(head, n);
    CHECK(!wry_message_get_progress(&message, &back));
}

/* Any decoder over a message of a kind. */
static bool decodes(const struct wry_message *message)
{
    struct wry_hello_message hello;
    struct wry_hello_reply reply;
    struct wry_speed_message speed;
    struct wry_range_message range;
    struct wry_data_message data;
    struct wry_progress_message progress;
    struct wry_digest_reply digest;
    struct wry_error_message error;

    switch (message->kind) {
    case WRY_KIND_HELLO:
        return wry_message_get_hello(message, &hello);
    case WRY_KIND_HELLO | WRY_KIND_REPLY:
        return wry_message_get_hello_reply(message, &reply);
    case WRY_KIND_SPEED:
        return wry_message_get_speed(message, &speed);
    case WRY_KIND_ERASE:
        return wry_message_get_range(message, &range);
    case WRY_KIND_DATA:
        return wry_message_get_data(message, &data);
    case WRY_KIND_STATUS | WRY_KIND_REPLY:
        return wry_message_get_progress(message, &progress);
    case WRY_KIND_DIGEST | WRY_KIND_REPLY:
        return wry_message_get_digest_reply(message, &digest);
    case WRY_KIND_ERROR:
        return wry_message_get_error(message, &error);
    default:
        return false;
    }
}

static void a_message_cut_short_is_refused(void)
{
    static const char *const names[] = {"hello",      "hello-reply", "speed",        "erase",
                                        "data-blank", "progress",    "digest-reply", "error"};
    uint8_t line[256], body[256];
    struct wry_decoder decoder;
    enum wry_frame_event event;
    struct wry_message message;

    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        size_t n = documented(names[i], line, sizeof line);
        frame_decoder_init(&decoder, body, sizeof body);
        frame_decoder_take(&decoder, line, n, &event);
        CHECK_EQUAL(WRY_FRAME_GOOD, event);
        check_context("%s", names[i]);
        message = split(body, decoder.length);
        CHECK(decodes(&message));
        /* An older peer leaves the last bytes of these out. */
        size_t cut = strcmp(names[i], "hello-reply") == 0 ? 9
                     : strcmp(names[i], "speed") == 0     ? 3
                                                          : 1;
        bool digest = strcmp(names[i], "digest-reply") == 0;
        message = split(body, digest ? 12 : decoder.length - cut);
        CHECK(!decodes(&message));
        CHECK(!wry_message_split(&message, body, 3));
    }
}

static void ranges_that_wrap_are_refused(void)
{
    struct wry_range_message range = {.offset = 0xFFFFF000, .length = 0x1000}, back;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_message message;
    size_t n = wry_message_put_range(head, WRY_KIND_READ, 0, 1, &range);

    message = split(head, n);
    CHECK(!wry_message_get_range(&message, &back));
    range.length = 0;
    n = wry_message_put_range(head, WRY_KIND_READ, 0, 1, &range);
    message = split(head, n);
    CHECK(!wry_message_get_range(&message, &back));
}

static void arbitrary_bodies_are_decoded_or_refused(void)
{
    static const uint8_t kinds[] = {0x01, 0x81, 0x02, 0x03, 0x04, 0x88, 0x86, 0xFF};
    uint8_t body[120];
    struct wry_message message;
    unsigned accepted = 0, refused = 0;

    for (uint64_t seed = 0; seed < 20000; seed++) {
        rig_random(body, sizeof body, seed);
        body[0] = kinds[seed % sizeof kinds];
        message = split(body, 4 + (size_t)(seed / 8 % 116));
        if (decodes(&message))
            accepted++;
        else
            refused++;
    }
    CHECK(accepted > 1000);
    CHECK(refused > 1000);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(hello_is_as_documented),
        FACT(an_older_hello_reply_is_taken_as_far_as_it_goes),
        FACT(a_hello_carries_the_size_that_the_host_knows),
        FACT(speed_is_as_documented),
        FACT(ranges_are_as_documented),
        FACT(data_is_as_documented),
        FACT(a_stream_is_announced_as_documented),
        FACT(a_packed_read_is_as_documented),
        FACT(digests_may_be_spread),
        FACT(data_of_unknown_encodings_and_false_lengths_is_refused),
        FACT(a_choice_of_pages_comes_whole_or_not_at_all),
        FACT(short_messages_are_as_documented),
        FACT(progress_is_as_documented),
        FACT(a_message_cut_short_is_refused),
        FACT(ranges_that_wrap_are_refused),
        FACT(arbitrary_bodies_are_decoded_or_refused),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
