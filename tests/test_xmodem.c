/* XMODEM in virtual time: sender and receiver over a line with a speed, a delay and noise. */
#include <stdlib.h>
#include <string.h>

#include "harness.h"
#include "sim/random.h"
#include "wrytograph/xmodem.h"

enum {
    CONTENT_MOST = 300 * 1024,
    LINE_MOST = 8192, /* bytes under way in one direction */
};

#define MINUTE UINT64_C(60000000)
#define FIRST_BLOCK UINT64_C(200000) /* us: when it is sent */

/* One direction: bytes arrive in order, each at its time. */
struct wire {
    uint8_t bytes[LINE_MOST];
    uint64_t at[LINE_MOST];
    size_t begin, end;
    uint64_t busy; /* us: until then the wire is taken */
};

struct pair {
    struct wry_xmodem_send send;
    struct wry_xmodem_receive receive;
    struct wire out, back;
    uint64_t now, byte_time, delay;
    uint64_t random;
    uint32_t damage; /* one byte of so many is damaged, doubled or lost; 0 = none */
    uint8_t *content, *got;
    uint32_t length, got_length;
    size_t said; /* bytes of the sender */
    bool deaf;   /* the receiver's answers are lost */
};

static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct pair *pair = context;

    if ((uint64_t)offset + n > pair->length)
        return false;
    memcpy(to, pair->content + offset, n);
    return true;
}

static uint32_t below(struct pair *pair, uint32_t limit)
{
    return (uint32_t)(sim_random(&pair->random) % limit);
}

static void put(struct wire *wire, uint8_t byte, uint64_t at)
{
    wire->bytes[wire->end % LINE_MOST] = byte;
    wire->at[wire->end++ % LINE_MOST] = at;
}

static void transmit(struct pair *pair, struct wire *wire, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        uint8_t byte = bytes[i];
        wire->busy = (wire->busy > pair->now ? wire->busy : pair->now) + pair->byte_time;
        if (pair->damage > 0 && below(pair, pair->damage) == 0) {
            uint32_t how = below(pair, 4);
            if (how == 0) /* lost */
                continue;
            if (how == 1) /* doubled */
                put(wire, byte, wire->busy + pair->delay);
            byte ^= (uint8_t)(1u << below(pair, 8));
        }
        put(wire, byte, wire->busy + pair->delay);
    }
}

static bool arrived(const struct pair *pair, struct wire *wire, uint8_t *byte)
{
    if (wire->begin == wire->end || wire->at[wire->begin % LINE_MOST] > pair->now)
        return false;
    *byte = wire->bytes[wire->begin++ % LINE_MOST];
    return true;
}

static uint64_t next_of(const struct wire *wire)
{
    return wire->begin < wire->end ? wire->at[wire->begin % LINE_MOST] : UINT64_MAX;
}

static uint64_t earlier(uint64_t a, uint64_t b)
{
    return a < b ? a : b;
}

static void turn(struct pair *pair)
{
    const uint8_t *bytes;
    size_t n;
    uint8_t byte;

    while (arrived(pair, &pair->out, &byte)) {
        wry_xmodem_receive_input(&pair->receive, byte, pair->now);
        n = wry_xmodem_receive_content(&pair->receive, &bytes);
        if (pair->got_length + n <= CONTENT_MOST + WRY_XMODEM_LARGE)
            memcpy(pair->got + pair->got_length, bytes, n);
        pair->got_length += (uint32_t)n;
    }
    n = wry_xmodem_receive_output(&pair->receive, pair->now, &bytes);
    if (!pair->deaf)
        transmit(pair, &pair->back, bytes, n);
    while (arrived(pair, &pair->back, &byte))
        wry_xmodem_send_input(&pair->send, byte, pair->now);
    n = wry_xmodem_send_output(&pair->send, pair->now, &bytes);
    pair->said += n;
    transmit(pair, &pair->out, bytes, n);
}

static bool goes_on(const struct pair *pair)
{
    return pair->send.state == WRY_XMODEM_RUNNING || pair->receive.state == WRY_XMODEM_RUNNING;
}

/* Moves on to whatever comes next. */
static void move_on(struct pair *pair)
{
    uint64_t next = earlier(next_of(&pair->out), next_of(&pair->back));

    if (pair->send.state == WRY_XMODEM_RUNNING)
        next = earlier(next, wry_xmodem_send_deadline(&pair->send));
    if (pair->receive.state == WRY_XMODEM_RUNNING)
        next = earlier(next, wry_xmodem_receive_deadline(&pair->receive));
    if (next < UINT64_MAX)
        pair->now = next > pair->now ? next : pair->now + 1;
}

static void run(struct pair *pair)
{
    for (unsigned i = 0; goes_on(pair) && i < 10000000; i++) {
        turn(pair);
        move_on(pair);
    }
    turn(pair); /* what was said last */
}

static struct pair *pair_new(uint32_t length, uint32_t speed, bool large, bool sum_only)
{
    struct pair *pair = calloc(1, sizeof *pair);
    struct wry_xmodem_options options = {
        .speed = speed, .start_time = MINUTE, .large = large, .sum_only = sum_only};

    CHECK(pair != NULL);
    pair->content = malloc(CONTENT_MOST);
    pair->got = calloc(1, CONTENT_MOST + WRY_XMODEM_LARGE);
    pair->random = length + speed;
    for (uint32_t i = 0; i < length; i++)
        pair->content[i] = (uint8_t)below(pair, 256);
    pair->length = length;
    pair->byte_time = 10000000 / speed;
    pair->delay = 2000;
    wry_xmodem_send_begin(&pair->send, &options,
                          &(struct wry_reader){.context = pair, .read = read_content}, length, 0);
    wry_xmodem_receive_begin(&pair->receive, &options, 0);
    return pair;
}

static void pair_free(struct pair *pair)
{
    free(pair->content);
    free(pair->got);
    free(pair);
}

/* The content, and nothing but padding behind it. */
static bool is_right(const struct pair *pair)
{
    if (pair->send.state != WRY_XMODEM_DONE || pair->receive.state != WRY_XMODEM_DONE ||
        pair->send.done != pair->length || pair->got_length < pair->length ||
        pair->got_length != pair->receive.done ||
        pair->got_length - pair->length >= WRY_XMODEM_LARGE)
        return false;
    for (uint32_t i = pair->length; i < pair->got_length; i++) {
        if (pair->got[i] != WRY_XMODEM_PADDING)
            return false;
    }
    return memcmp(pair->content, pair->got, pair->length) == 0;
}

static void every_length_arrives_in_every_way(void)
{
    static const uint32_t lengths[] = {0,    1,    127,  128,  129,   896,   897,
                                       1023, 1024, 1025, 2047, 33000, 40001, 270000};
    static const uint32_t speeds[] = {110, 9600, 115200, 2000000};

    for (size_t i = 0; i < sizeof lengths / sizeof lengths[0]; i++) {
        for (unsigned way = 0; way < 16; way++) {
            uint32_t speed = speeds[way / 4];
            if (speed == 110 && lengths[i] > 40000)
                continue;
            struct pair *pair = pair_new(lengths[i], speed, way & 1, way & 2);
            run(pair);
            CHECK(is_right(pair));
            CHECK_EQUAL(0, pair->send.repeated);
            CHECK_EQUAL(!(way & 2), pair->send.crc);
            pair_free(pair);
        }
    }
}

/* A block of 1024 bytes is 1029 on the line, and its answer takes a round trip. */
static void large_blocks_take_little_more_than_the_line(void)
{
    struct pair *pair = pair_new(200 * 1024, 115200, true, false);
    uint64_t line = (uint64_t)pair->length * 10 * 1000000 / 115200;

    run(pair);
    CHECK(is_right(pair));
    CHECK(pair->now * 100 < line * 106);
    CHECK_EQUAL(200 * 1029 + 2, pair->said); /* the end is announced twice */
    pair_free(pair);
}

static void damaged_blocks_are_repeated_until_right(void)
{
    static const uint32_t damages[] = {100000, 30000, 10000, 3000};

    for (unsigned seed = 0; seed < 40; seed++) {
        for (unsigned way = 0; way < 8; way++) {
            struct pair *pair = pair_new(60000, 115200, way & 1, way & 2);
            pair->damage = damages[seed % 4];
            pair->delay = way & 4 ? 100000 : 2000;
            pair->random = seed * 8 + way + 1;
            run(pair);
            /* A sum of 8 bits takes one damage of 256 for right. */
            bool wrong = pair->send.state == WRY_XMODEM_DONE && !is_right(pair);
            CHECK(!wrong || (way & 2));
            CHECK(pair->damage < 30000 || wrong || is_right(pair));

            pair_free(pair);
        }
    }
}

static void either_side_can_cancel(void)
{
    for (unsigned side = 0; side < 2; side++) {
        struct pair *pair = pair_new(60000, 115200, true, false);
        while (pair->send.done < 20480) {
            turn(pair);
            move_on(pair);
        }
        if (side == 0)
            wry_xmodem_send_cancel(&pair->send);
        else
            wry_xmodem_receive_cancel(&pair->receive);
        run(pair);
        CHECK_EQUAL(side == 0 ? WRY_XMODEM_STOPPED : WRY_XMODEM_CANCELLED, pair->send.failure);
        CHECK_EQUAL(side == 0 ? WRY_XMODEM_CANCELLED : WRY_XMODEM_STOPPED, pair->receive.failure);
        CHECK(pair->now < MINUTE);
        pair_free(pair);
    }
}

static void silence_ends(void)
{
    struct pair *pair = pair_new(60000, 115200, true, false);

    pair->deaf = true;
    run(pair);
    CHECK_EQUAL(WRY_XMODEM_NOT_BEGUN, pair->send.failure);
    CHECK_EQUAL(WRY_XMODEM_NOT_BEGUN, pair->receive.failure);
    CHECK(pair->now >= MINUTE && pair->now < 2 * MINUTE);
    CHECK_EQUAL(0, pair->said);
    pair_free(pair);

    pair = pair_new(60000, 115200, true, false);
    while (pair->send.done < 20480) {
        turn(pair);
        move_on(pair);
    }
    pair->deaf = true;
    run(pair);
    CHECK_EQUAL(WRY_XMODEM_NOT_ANSWERED, pair->send.failure);
    CHECK_EQUAL(20480, pair->send.done);
    CHECK(pair->now < 5 * MINUTE);
    pair_free(pair);
}

/* Feeds a sender, and returns how much it says. */
static size_t hear(struct wry_xmodem_send *send, const char *bytes, size_t n, uint64_t now)
{
    const uint8_t *said;
    size_t all = 0;

    for (size_t i = 0; i < n; i++) {
        wry_xmodem_send_input(send, (uint8_t)bytes[i], now);
        all += wry_xmodem_send_output(send, now, &said);
    }
    return all;
}

static void begin_sender(struct wry_xmodem_send *send, struct pair *pair)
{
    struct wry_xmodem_options options = {.speed = 115200, .start_time = MINUTE, .large = true};

    wry_xmodem_send_begin(send, &options,
                          &(struct wry_reader){.context = pair, .read = read_content}, pair->length,
                          0);
}

/* A sender alone, which was asked by that byte and has sent its first block of so many bytes. */
static struct pair *pair_at_first_block(char asked, size_t length)
{
    struct pair *pair = pair_new(5000, 115200, true, false);
    const uint8_t *said;

    begin_sender(&pair->send, pair);
    hear(&pair->send, &asked, 1, 0);
    CHECK_EQUAL(length, wry_xmodem_send_output(&pair->send, FIRST_BLOCK, &said));
    return pair;
}

static void a_letter_in_a_text_begins_nothing(void)
{
    struct pair *pair = pair_new(5000, 115200, true, false);
    struct wry_xmodem_send *send = &pair->send;
    const uint8_t *said;

    begin_sender(send, pair);
    CHECK_EQUAL(0, hear(send, "Choose C", 7, 1000));
    CHECK_EQUAL(0, wry_xmodem_send_output(send, 2000000, &said));
    CHECK_EQUAL(0, hear(send, "CC", 2, 3000000));
    CHECK_EQUAL(0, wry_xmodem_send_output(send, 3040000, &said));
    CHECK_EQUAL(3050172, wry_xmodem_send_deadline(send));
    CHECK_EQUAL(1029, wry_xmodem_send_output(send, 3050172, &said));
    CHECK_EQUAL(0x02, said[0]);
    pair_free(pair);
}

/* A block that was sent twice is answered twice, and the second answer confirms nothing. */
static void an_answer_that_comes_too_early_is_none(void)
{
    struct pair *pair = pair_at_first_block('C', 1029);
    struct wry_xmodem_send *send = &pair->send;
    const uint8_t *said;
    uint64_t now = wry_xmodem_send_deadline(send);

    CHECK_EQUAL(1029, wry_xmodem_send_output(send, now, &said));
    CHECK_EQUAL(1029, hear(send, "\x06", 1, now + 90000));
    CHECK_EQUAL(1024, send->done);
    CHECK_EQUAL(0, hear(send, "\x06", 1, now + 92000));
    CHECK_EQUAL(1024, send->done);
    CHECK_EQUAL(1029, hear(send, "\x06", 1, now + 180000));
    CHECK_EQUAL(2048, send->done);
    pair_free(pair);
}

/* Over a network, an answer comes sooner than the speed would have it. */
static void a_line_may_be_faster_than_its_speed(void)
{
    struct pair *pair = pair_at_first_block('C', 1029);
    struct wry_xmodem_send *send = &pair->send;
    uint64_t now = FIRST_BLOCK;

    for (unsigned i = 1; i < 4; i++) {
        CHECK_EQUAL(1029, hear(send, "\x15", 1, now += 1000));
        CHECK_EQUAL(1029, hear(send, "\x06", 1, now += 1000));
        CHECK_EQUAL(1024 * i, send->done);
    }
    pair_free(pair);
}

/* The same, if the other side takes a while for each block, but not for one that it has already,
 * whose answer was lost: it asks again, and answers early again. */
static void an_early_answer_counts_if_no_other_ever_comes(void)
{
    struct pair *pair = pair_at_first_block('C', 1029);
    struct wry_xmodem_send *send = &pair->send;
    uint64_t now = FIRST_BLOCK;

    CHECK_EQUAL(1029, hear(send, "\x06", 1, now += 100000));
    for (unsigned i = 0; i < 4 && send->done == 1024; i++) {
        CHECK_EQUAL(1029, hear(send, "\x15", 1, now += 4000000));
        hear(send, "\x06", 1, now += 1000);
    }
    CHECK_EQUAL(2048, send->done);
    CHECK_EQUAL(1029, hear(send, "\x15", 1, now += 100000));
    CHECK_EQUAL(1029, hear(send, "\x06", 1, now += 1000));
    CHECK_EQUAL(3072, send->done);
    pair_free(pair);
}

static void a_receiver_that_never_accepts_is_given_up(void)
{
    struct pair *pair = pair_at_first_block(0x15, 132);
    struct wry_xmodem_send *send = &pair->send;
    uint64_t now = FIRST_BLOCK;
    unsigned frames = 1;

    for (; send->state == WRY_XMODEM_RUNNING; now += 100000)
        frames += hear(send, "\x15", 1, now + 100000) == 132;
    CHECK_EQUAL(WRY_XMODEM_REFUSED, send->failure);
    CHECK_EQUAL(WRY_XMODEM_TRIES, frames);
    pair_free(pair);
}

/* The block as the description draws it, and the value that the CRC's catalogues list. */
static void blocks_are_as_described(void)
{
    struct pair *pair = pair_new(100, 115200, true, false);
    const uint8_t *said;

    CHECK_EQUAL(0x31C3, wry_xmodem_crc(0, (const uint8_t *)"123456789", 9));
    begin_sender(&pair->send, pair);
    hear(&pair->send, "C", 1, 0);
    CHECK_EQUAL(133, wry_xmodem_send_output(&pair->send, 200000, &said));
    CHECK_EQUAL(0x01, said[0]);
    CHECK_EQUAL(0x01, said[1]);
    CHECK_EQUAL(0xFE, said[2]);
    CHECK(memcmp(said + 3, pair->content, 100) == 0);
    CHECK_EQUAL(0x1A, said[130]);
    CHECK_EQUAL(0, wry_xmodem_crc(0, said + 3, 130));
    pair_free(pair);
}

/* Gives the receiver block number, whose content is all 'a'. */
static void give_block(struct wry_xmodem_receive *receive, uint8_t number, uint64_t now)
{
    uint8_t frame[133] = {0x01, number, (uint8_t)~number};

    memset(frame + 3, 'a', 128);
    uint16_t crc = wry_xmodem_crc(0, frame + 3, 128);
    frame[131] = (uint8_t)(crc >> 8);
    frame[132] = (uint8_t)crc;
    for (size_t i = 0; i < sizeof frame; i++)
        wry_xmodem_receive_input(receive, frame[i], now);
}

static void blocks_out_of_order_are_refused(void)
{
    struct wry_xmodem_options options = {.speed = 115200, .start_time = MINUTE};
    struct wry_xmodem_receive receive;
    const uint8_t *said;

    wry_xmodem_receive_begin(&receive, &options, 0);
    give_block(&receive, 1, 1000);
    give_block(&receive, 1, 2000); /* its answer was lost */
    CHECK_EQUAL(128, receive.done);
    give_block(&receive, 2, 3000);
    CHECK_EQUAL(256, receive.done);
    give_block(&receive, 4, 4000);
    CHECK_EQUAL(WRY_XMODEM_OUT_OF_ORDER, receive.failure);
    CHECK_EQUAL(256, receive.done);
    CHECK_EQUAL(3, wry_xmodem_receive_output(&receive, 4000, &said));
    CHECK_EQUAL(0x18, said[0]);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_length_arrives_in_every_way),
        FACT(large_blocks_take_little_more_than_the_line),
        FACT(damaged_blocks_are_repeated_until_right),
        FACT(either_side_can_cancel),
        FACT(silence_ends),
        FACT(a_letter_in_a_text_begins_nothing),
        FACT(an_answer_that_comes_too_early_is_none),
        FACT(a_line_may_be_faster_than_its_speed),
        FACT(an_early_answer_counts_if_no_other_ever_comes),
        FACT(a_receiver_that_never_accepts_is_given_up),
        FACT(blocks_are_as_described),
        FACT(blocks_out_of_order_are_refused),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
