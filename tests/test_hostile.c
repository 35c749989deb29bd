/*
 * The host does not trust the board: a port whose far end says anything at all, well framed or not.
 * Whatever it says, calls end with a status, nothing is read or written out of bounds (the
 * sanitizers watch), and nothing is reported as done that was not.
 */
#include <string.h>

#include "core/bytes/fields.h"
#include "core/wire/frame_codec.h"
#include "corrupter.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/frame.h"

enum {
    LINE_ROOM = 1 << 16,
    FLASH_SIZE = 0x100000,
    SEEDS = 60,
};

/* A far end that answers hellos like a board and everything else as the seed says. */
struct liar {
    uint64_t random;
    uint64_t now; /* us */
    bool honest_hello;
    bool framed; /* lies in good frames; else bytes */
    struct wry_decoder decoder;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t line[LINE_ROOM];
    size_t fill;
    struct wry_port port;
};

static void say(struct liar *liar, const uint8_t *body, size_t n)
{
    struct wry_encoder encoder;

    if (liar->fill + WRY_FRAME_WORST(n) > LINE_ROOM)
        return;
    frame_encoder_init(&encoder, body, n, NULL, 0);
    liar->fill += frame_encoder_give(&encoder, liar->line + liar->fill, LINE_ROOM - liar->fill);
}

static void say_hello(struct liar *liar, const struct wry_message *message)
{
    struct wry_hello_message hello = {0};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    wry_message_get_hello(message, &hello);
    struct wry_hello_reply reply = {.token = hello.token,
                                    .version = 1,
                                    .continued = sim_random(&liar->random) % 2,
                                    .chip_code = 0x7402,
                                    .encodings = 3,
                                    .capacity = FLASH_SIZE,
                                    .window = 0xA000,
                                    .old_window = 0xA000,
                                    .payload_max = 2048,
                                    .top_speed = 115200};
    say(liar, head, wry_message_put_hello_reply(head, message->seq, &reply));
}

/* A reply of some kind to what was asked, with fields that are nearly right or not at all. */
static void lie(struct liar *liar, const struct wry_message *message)
{
    static const uint8_t kinds[] = {0x81, 0x82, 0x83, 0x84, 0x85, 0x86, 0x87, 0x88, 0xFF, 0x03};
    uint8_t body[WRY_BODY_MAX];
    size_t n = 4 + (size_t)(sim_random(&liar->random) % 100);

    rig_random(body, sizeof body, sim_random(&liar->random));
    body[0] = sim_random(&liar->random) % 2 ? (uint8_t)(message->kind | WRY_KIND_REPLY)
                                            : kinds[sim_random(&liar->random) % sizeof kinds];
    if (sim_random(&liar->random) % 3)
        bytes_put16(body + 2, message->seq);
    if (sim_random(&liar->random) % 2 && message->length >= 8)
        memcpy(body + 4, message->fields, 8);
    if (body[0] == 0x88 && sim_random(&liar->random) % 2) {
        body[4] = (uint8_t)(sim_random(&liar->random) % 4);
        bytes_put32(body + 8, 0x40000 + (uint32_t)(sim_random(&liar->random) % 0x12000));
        bytes_put32(body + 12, 0x40000 + (uint32_t)(sim_random(&liar->random) % 0x20000));
        body[32] = (uint8_t)(sim_random(&liar->random) % 40);
        n = 34 + (size_t)body[32];
    }
    say(liar, body, n);
}

static void answer(struct liar *liar)
{
    struct wry_message message;

    if (!wry_message_split(&message, liar->body, liar->decoder.length))
        return;
    if (message.kind == WRY_KIND_HELLO && liar->honest_hello)
        say_hello(liar, &message);
    for (uint64_t i = sim_random(&liar->random) % 4; i > 0; i--)
        lie(liar, &message);
}

static enum wry_status liar_write(void *context, const uint8_t *bytes, size_t n)
{
    struct liar *liar = context;
    enum wry_frame_event event;

    for (liar->now += n; n > 0;) {
        size_t used = frame_decoder_take(&liar->decoder, bytes, n, &event);
        bytes += used;
        n -= used;
        if (event == WRY_FRAME_GOOD)
            answer(liar);
    }
    return WRY_OK;
}

static enum wry_status liar_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct liar *liar = context;

    if (!liar->framed && sim_random(&liar->random) % 3 == 0) {
        *got = 1 + (size_t)(sim_random(&liar->random) % room);
        rig_random(bytes, *got, sim_random(&liar->random));
        liar->now += 1000;
        return WRY_OK;
    }
    *got = liar->fill < room ? liar->fill : room;
    memcpy(bytes, liar->line, *got);
    memmove(liar->line, liar->line + *got, liar->fill - *got);
    liar->fill -= *got;
    if (*got == 0 && deadline > liar->now)
        liar->now = deadline;
    return WRY_OK;
}

static enum wry_status liar_set_speed(void *context, uint32_t baud)
{
    (void)context;
    (void)baud;
    return WRY_OK;
}

static enum wry_status liar_set_lines(void *context, bool reset, bool boot)
{
    (void)context;
    (void)reset;
    (void)boot;
    return WRY_OK;
}

static enum wry_status liar_discard(void *context)
{
    struct liar *liar = context;

    liar->fill = 0;
    return WRY_OK;
}

static uint64_t liar_now(void *context)
{
    struct liar *liar = context;

    return liar->now;
}

static void liar_sleep(void *context, uint64_t until)
{
    struct liar *liar = context;

    liar->now = until > liar->now ? until : liar->now;
}

static void begin(struct liar *liar, uint64_t seed, bool honest_hello, bool framed)
{
    memset(liar, 0, sizeof *liar);
    liar->random = seed;
    liar->honest_hello = honest_hello;
    liar->framed = framed;
    frame_decoder_init(&liar->decoder, liar->body, sizeof liar->body);
    liar->port = (struct wry_port){.context = liar,
                                   .write = liar_write,
                                   .read = liar_read,
                                   .set_speed = liar_set_speed,
                                   .set_lines = liar_set_lines,
                                   .discard = liar_discard,
                                   .now = liar_now,
                                   .sleep = liar_sleep,
                                   .top_speed = 115200};
}

/* Bounded, since a liar could keep a patient host for ever. */
static bool enough(void *context, const struct wry_session_progress *progress)
{
    unsigned *reports = context;

    (void)progress;
    return ++*reports > 60;
}

struct noted {
    unsigned out_of_bounds, differences;
};

static bool note_bytes(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct noted *noted = context;

    (void)bytes;
    noted->out_of_bounds += offset < 0x20100 || offset + n > 0x20100 + 0x5432;
    return true;
}

static void note_difference(void *context, uint32_t offset, uint32_t length, uint8_t expected,
                            uint8_t found)
{
    struct noted *noted = context;

    noted->differences++;
    noted->out_of_bounds += offset < 0x40000 || offset + length > 0x40000 + 0x9000;
    noted->out_of_bounds += expected == found;
}

static uint8_t content[0x10000];

/* All calls in a row; returns how many of the writes and verifications claim to have succeeded. */
static unsigned work(struct liar *liar, unsigned *connected)
{
    static struct wry_session session;
    unsigned reports = 0, claimed = 0;
    struct wry_session_config config = {
        .token = 9, .patience = 300000, .context = &reports, .progress = enough};
    struct wry_placement item = {
        .offset = 0x40000, .length = 0x9000, .reader = rig_reader(content)};
    struct noted noted = {0};
    struct wry_writer writer = {.context = &noted, .write = note_bytes};
    struct wry_difference_sink sink = {.context = &noted, .difference = note_difference};
    struct wry_plan plan;
    struct wry_fault fault;
    uint8_t digest[WRY_SHA256_SIZE];

    wry_session_init(&session, &liar->port, &config);
    if (wry_session_connect(&session) != WRY_OK)
        return 0;
    ++*connected;
    wry_plan_init(&plan, &item, 1, FLASH_SIZE, &fault);
    reports = 0;
    claimed += wry_session_write(&session, &plan) == WRY_OK;
    reports = 0;
    claimed += wry_session_verify(&session, &item, WRY_VERIFY_DIGEST, &sink) == WRY_OK;
    reports = 0;
    wry_session_verify(&session, &item, WRY_VERIFY_READ_BACK, &sink);
    reports = 0;
    wry_session_read(&session, 0x20100, 0x5432, &writer);
    wry_session_digest(&session, 0, FLASH_SIZE, digest);
    wry_session_start(&session);
    CHECK_EQUAL(0, noted.out_of_bounds);
    return claimed;
}

static void lies_in_good_frames_do_no_harm(void)
{
    static struct liar liar;
    unsigned connected = 0;

    for (uint64_t seed = 0; seed < SEEDS; seed++) {
        check_context("seed %llu", (unsigned long long)seed);
        begin(&liar, seed, true, true);
        CHECK_EQUAL(0, work(&liar, &connected));
    }
    CHECK(connected > SEEDS / 2);
}

static void lies_in_the_hello_do_no_harm(void)
{
    static struct liar liar;
    unsigned connected = 0;

    for (uint64_t seed = 0; seed < SEEDS; seed++) {
        check_context("seed %llu", (unsigned long long)seed);
        begin(&liar, seed, false, true);
        CHECK_EQUAL(0, work(&liar, &connected));
    }
}

static void arbitrary_bytes_between_good_frames_do_no_harm(void)
{
    static struct liar liar;
    unsigned connected = 0;

    for (uint64_t seed = 0; seed < SEEDS; seed++) {
        check_context("seed %llu", (unsigned long long)seed);
        begin(&liar, seed, true, false);
        CHECK_EQUAL(0, work(&liar, &connected));
    }
    CHECK(connected > SEEDS / 3);
}

static struct rig *begin_twisted(struct corrupter *t, uint64_t seed)
{
    static uint64_t random;
    struct rig *rig = rig_new(&(struct rig_setup){.seed = seed, .flash_size = 0x400000});

    random = seed;
    rig->config.patience = 3000000;
    rig_new_session(rig, (uint32_t)seed + 1);
    corrupter_begin(t, rig, corrupter_seeded, &random);
    return rig;
}

/* Whatever is bent on the way, "written" is only said of a flash that holds it, neighbours too. */
static void a_board_that_lies_after_a_while_is_never_believed_to_have_written(void)
{
    static struct corrupter t;
    struct wry_placement items[2] = {
        {.offset = 0x40123, .length = 0x5432, .reader = rig_reader(content)},
        {.offset = 0x90000, .length = 0x2345, .reader = rig_reader(content + 0x8000)}};
    struct wry_plan plan;
    struct wry_fault fault;
    unsigned written = 0, bent[256] = {0}, apart = check_one_in(3);

    for (uint64_t seed = 0; seed < 6 * SEEDS; seed += apart) {
        struct rig *rig = begin_twisted(&t, seed);
        check_context("seed %llu", (unsigned long long)seed);
        wry_plan_init(&plan, items, 2, rig->flash_size, &fault);
        enum wry_status status = wry_session_connect(&rig->session);
        if (status == WRY_OK)
            status = wry_session_write(&rig->session, &plan);
        if (status == WRY_OK)
            CHECK(rig_holds(rig, items, 2));
        written += status == WRY_OK;
        CHECK(rig->adapter.now < UINT64_C(400000000000));
        for (size_t k = 0; k < 256; k++)
            bent[k] += apart * t.bent[k];
        rig_free(rig);
    }
    CHECK(apart * written > 20);
    CHECK(bent[0x81] > 10 && bent[0x83] > 10 && bent[0x84] > 100 && bent[0x86] > 50 &&
          bent[0x88] > 500);
}

static void a_board_that_lies_after_a_while_is_never_believed_to_agree(void)
{
    static struct corrupter t;
    struct wry_placement item = {
        .offset = 0x40123, .length = 0x9432, .reader = rig_reader(content)};
    unsigned agreed = 0, apart = check_one_in(3);

    for (uint64_t seed = 1000; seed < 1000 + 3 * SEEDS; seed += apart) {
        struct rig *rig = begin_twisted(&t, seed);
        bool same = seed % 2 == 0;
        check_context("seed %llu", (unsigned long long)seed);
        if (same)
            memcpy(rig->flash + item.offset, content, item.length);
        enum wry_status status = wry_session_connect(&rig->session);
        if (status == WRY_OK)
            status = wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, NULL);
        CHECK(status != WRY_OK || same);
        agreed += status == WRY_OK;
        rig_free(rig);
    }
    CHECK(apart * agreed > 10);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(lies_in_good_frames_do_no_harm),
        FACT(lies_in_the_hello_do_no_harm),
        FACT(a_board_that_lies_after_a_while_is_never_believed_to_have_written),
        FACT(a_board_that_lies_after_a_while_is_never_believed_to_agree),
        FACT(arbitrary_bytes_between_good_frames_do_no_harm),
    };
    rig_random(content, sizeof content, 3);
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
