/* RFC 1662 framing in both directions. */
#include <string.h>

#include "core/bytes/fields.h"
#include "core/wire/frame_codec.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/bytes.h"
#include "wrytograph/frame.h"

enum {
    BODY_MAX = 300,
};

struct receiver {
    struct wry_decoder decoder;
    uint8_t room[BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t last[BODY_MAX];
    size_t last_length;
    unsigned good, bad;
    size_t outside;
};

static void begin(struct receiver *r)
{
    memset(r, 0, sizeof *r);
    frame_decoder_init(&r->decoder, r->room, sizeof r->room);
}

static void take(struct receiver *r, const uint8_t *bytes, size_t n)
{
    while (n > 0) {
        enum wry_frame_event event;
        size_t used = frame_decoder_take(&r->decoder, bytes, n, &event);
        CHECK(used > 0 && used <= n);
        bytes += used;
        n -= used;
        r->outside += event == WRY_FRAME_OUTSIDE ? used : 0;
        r->bad += event == WRY_FRAME_BAD;
        if (event == WRY_FRAME_GOOD) {
            r->good++;
            r->last_length = r->decoder.length;
            CHECK(r->last_length <= sizeof r->last);
            memcpy(r->last, r->decoder.body, r->decoder.length);
        }
    }
}

static size_t encode(const uint8_t *body, size_t n, size_t head, uint8_t *to, size_t piece)
{
    struct wry_encoder encoder;
    size_t length = 0, given;

    frame_encoder_init(&encoder, body, head, body + head, n - head);
    while ((given = frame_encoder_give(&encoder, to + length, piece)) > 0)
        length += given;
    return length;
}

static void a_frame_has_flags_stuffing_and_the_fcs_low_byte_first(void)
{
    const uint8_t body[] = {0x01, 0x7E, 0x7D, 0x11};
    uint8_t line[32];
    uint32_t fcs = wry_crc32(0, body, sizeof body);
    size_t n = encode(body, sizeof body, 2, line, sizeof line);
    const uint8_t start[] = {0x7E, 0x01, 0x7D, 0x5E, 0x7D, 0x5D, 0x11};

    CHECK(memcmp(line, start, sizeof start) == 0);
    CHECK_EQUAL(0x7E, line[n - 1]);
    CHECK_EQUAL(fcs & 0xFF, line[sizeof start]);
}

static void the_fcs_leaves_the_good_residue_of_rfc_1662(void)
{
    uint8_t frame[13];

    memcpy(frame, "123456789", 9);
    bytes_put32(frame + 9, wry_crc32(0, frame, 9));
    /* Section C.3: 0xDEBB20E3 before the final complement. */
    CHECK_EQUAL(0xDEBB20E3, (uint32_t)~wry_crc32(0, frame, 13));
}

static void bodies_come_through_in_any_pieces(void)
{
    uint8_t body[BODY_MAX], line[WRY_FRAME_WORST(BODY_MAX)];
    struct receiver r;
    uint64_t seed = 9;

    for (unsigned round = 0; round < 400; round++) {
        size_t n = 1 + sim_random(&seed) % BODY_MAX;
        size_t out = 1 + sim_random(&seed) % 40, in = 1 + sim_random(&seed) % 40;
        rig_random(body, n, seed);
        if (round % 4 == 0)
            memset(body, round % 8 ? 0x7E : 0x7D, n);
        size_t length = encode(body, n, sim_random(&seed) % (n + 1), line, out);
        begin(&r);
        for (size_t at = 0; at < length; at += in)
            take(&r, line + at, length - at < in ? length - at : in);
        check_context("round %u", round);
        CHECK_EQUAL(1, r.good);
        CHECK_EQUAL(0, r.bad);
        CHECK_EQUAL(n, r.last_length);
        CHECK(memcmp(r.last, body, n) == 0);
    }
}

static void the_worst_case_of_the_header_is_never_exceeded(void)
{
    uint8_t body[64], line[WRY_FRAME_WORST(sizeof body) + 1];

    memset(body, 0x7E, sizeof body);
    CHECK(encode(body, sizeof body, 0, line, sizeof line) <= WRY_FRAME_WORST(sizeof body));
}

static void text_between_frames_is_told_apart(void)
{
    uint8_t line[64];
    struct receiver r;
    size_t n = encode((const uint8_t *)"hello", 5, 0, line, sizeof line);

    begin(&r);
    take(&r, (const uint8_t *)"boot text", 9);
    take(&r, line, n);
    take(&r, (const uint8_t *)"more", 4);
    take(&r, line, n);
    CHECK_EQUAL(2, r.good);
    CHECK_EQUAL(0, r.bad);
    CHECK_EQUAL(13, r.outside);
}

static void a_damaged_byte_costs_one_frame(void)
{
    uint8_t body[40], line[3 * WRY_FRAME_WORST(sizeof body)];
    struct receiver r;

    rig_random(body, sizeof body, 3);
    size_t one = encode(body, sizeof body, 4, line, sizeof line);
    memcpy(line + one, line, one);
    memcpy(line + 2 * one, line, one);
    for (size_t at = 0; at < one; at++) {
        for (unsigned bit = 0; bit < 8; bit++) {
            line[one + at] ^= (uint8_t)(1u << bit);
            begin(&r);
            take(&r, line, 3 * one);
            line[one + at] ^= (uint8_t)(1u << bit);
            check_context("byte %zu bit %u", at, bit);
            CHECK_EQUAL(2, r.good);
        }
    }
}

static void frames_too_long_or_aborted_or_too_short_are_refused(void)
{
    uint8_t line[2 * BODY_MAX];
    struct receiver r;

    begin(&r);
    memset(line, 0x33, sizeof line);
    line[0] = line[sizeof line - 1] = WRY_FRAME_FLAG;
    take(&r, line, sizeof line);
    CHECK_EQUAL(1, r.bad);
    take(&r, (const uint8_t *)"\x7E\x12\x7D\x7E", 4);
    CHECK_EQUAL(2, r.bad);
    take(&r, (const uint8_t *)"\x7E\x7E\x12\x7E\x7E", 5);
    CHECK_EQUAL(2, r.bad);
    CHECK_EQUAL(0, r.good);
}

static void arbitrary_bytes_do_no_harm(void)
{
    uint8_t bytes[997];
    struct receiver r;

    begin(&r);
    for (uint64_t seed = 0; seed < 500; seed++) {
        rig_random(bytes, sizeof bytes, seed);
        for (size_t i = 0; i < sizeof bytes; i += seed % 7 + 2)
            bytes[i] = seed % 2 ? WRY_FRAME_FLAG : WRY_FRAME_ESCAPE;
        take(&r, bytes, sizeof bytes);
    }
    CHECK_EQUAL(0, r.good);
    CHECK(r.bad > 1000);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_frame_has_flags_stuffing_and_the_fcs_low_byte_first),
        FACT(the_fcs_leaves_the_good_residue_of_rfc_1662),
        FACT(bodies_come_through_in_any_pieces),
        FACT(the_worst_case_of_the_header_is_never_exceeded),
        FACT(text_between_frames_is_told_apart),
        FACT(a_damaged_byte_costs_one_frame),
        FACT(frames_too_long_or_aborted_or_too_short_are_refused),
        FACT(arbitrary_bytes_do_no_harm),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
