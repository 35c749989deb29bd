/*
 * Instructions per byte of what a loader computes, counted by the processor: what the simulated
 * bench charges its boards for. Run under -icount, prints a line for each kind of work.
 */
#include "hardware.h"
#include "wire/frame_codec.h"
#include "wrytograph/branch_filter.h"
#include "wrytograph/lzma.h"

enum {
    CONTENT = 32 * 1024,
    ROOM = 48 * 1024,
    WINDOW = WRY_INFLATE_WINDOW_MAX,
    PIECE = 1024, /* bytes in a frame */
};

static uint8_t content[WRY_READ_PACKED_MOST], stream[ROOM], memory[WRY_DEFLATE_MEMORY_MOST],
    window[WINDOW];
static struct wry_deflate deflate;
static struct wry_inflate inflate;
static struct wry_lzma lzma;
static uint32_t seed = 1;

void on_interrupt(uintptr_t cause);
int main(void);

void on_interrupt(uintptr_t cause)
{
    (void)cause;
}

static uint32_t instructions(void)
{
    uintptr_t n;

    __asm__ volatile("csrr %0, minstret" : "=r"(n) : : "memory");
    return (uint32_t)n;
}

static uint8_t random_byte(void)
{
    seed = seed * 1664525 + 1013904223;
    return (uint8_t)(seed >> 24);
}

static void print(const char *text)
{
    while (*text)
        text += uart_transmit((const uint8_t *)text, 1);
}

static void print_number(uint32_t n)
{
    char digits[12];
    size_t at = sizeof digits - 1;

    digits[at] = '\0';
    do
        digits[--at] = (char)('0' + n % 10);
    while ((n /= 10) > 0);
    print(digits + at);
}

/* name, instructions, bytes of it, and of a second kind. */
static void tell(const char *name, uint32_t count, uint32_t bytes, uint32_t more)
{
    print(name);
    print(" ");
    print_number(count);
    print(" ");
    print_number(bytes);
    print(" ");
    print_number(more);
    print("\n");
}

static void count_frames(void)
{
    static const uint8_t head[] = {WRY_KIND_DATA, 0, 1, 0};
    static uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    struct wry_encoder encoder;
    struct wry_decoder decoder;
    enum wry_frame_event event = WRY_FRAME_NONE;

    uint32_t begun = instructions();
    frame_encoder_init(&encoder, head, sizeof head, content, PIECE);
    size_t n = frame_encoder_give(&encoder, stream, sizeof stream);
    tell("frame-out", instructions() - begun, sizeof head + PIECE, 0);
    frame_decoder_init(&decoder, body, sizeof body);
    begun = instructions();
    for (size_t at = 0; at < n;)
        at += frame_decoder_take(&decoder, stream + at, n - at, &event);
    tell("frame-in", instructions() - begun, (uint32_t)n, event == WRY_FRAME_GOOD);
}

static void count_digest(void)
{
    uint8_t digest[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    uint32_t begun = instructions();
    wry_sha256_begin(&sha);
    for (uint32_t at = 0; at < CONTENT; at += 256)
        wry_sha256_add(&sha, content + at, 256);
    wry_sha256_end(&sha, digest);
    tell("digest", instructions() - begun, CONTENT, digest[0]);
}

/* Instructions of which some are frequent, others new, and repeated sequences. */
static void fill_like_firmware(void)
{
    enum { WORDS = 1024 }; /* of the frequent ones */
    uint32_t at = 0;

    while (at < WORDS)
        content[at++] = random_byte();
    while (at + 32 <= WRY_READ_PACKED_MOST) {
        unsigned kind = random_byte();
        uint32_t n = 4, from = at;
        if (kind < 128)
            from = (uint32_t)random_byte() * random_byte() / 256 * 4;
        else if (kind < 160 && at > 8192)
            from = at - 64 - 16u * random_byte(), n = 8 + random_byte() % 24;
        for (uint32_t i = 0; i < n; i++)
            content[at + i] = from == at ? random_byte() : content[from + i];
        at += n;
    }
}

/* Packs what there is; returns the length of the stream. */
static uint32_t count_packing(const char *name, uint32_t size, bool quick)
{
    size_t n = 0;
    uint32_t begun = instructions();

    wry_deflate_init(&deflate, memory, sizeof memory);
    if (quick)
        wry_deflate_set_quick(&deflate);
    for (uint32_t at = 0; !wry_deflate_is_over(&deflate);) {
        uint32_t room = (uint32_t)wry_deflate_room(&deflate), left = size - at;
        if (room > 0 && left > 0) {
            wry_deflate_put(&deflate, content + at, room < left ? room : left);
            at += room < left ? room : left;
        } else if (left == 0) {
            wry_deflate_finish(&deflate);
        }
        n += wry_deflate_take(&deflate, stream + n, sizeof stream - n);
    }
    tell(name, instructions() - begun, size, (uint32_t)n);
    return (uint32_t)n;
}

/* Packs what there is, and takes it apart again in pages, as the loader does. */
static void count_stream(const char *packing, const char *unpacking)
{
    uint32_t n = count_packing(packing, CONTENT, false);
    struct wry_inflate_input input = {.bytes = stream, .n = n};
    uint32_t begun = instructions();
    wry_inflate_init(&inflate, window, sizeof window);
    while (wry_inflate_run(&inflate, &input, 256) == WRY_INFLATE_OUTPUT)
        ;
    tell(unpacking, instructions() - begun, n, inflate.total);
}

/* An encoder of literals alone, which take the most instructions for a byte. */
struct range_encoder {
    uint64_t low;
    uint32_t range, pending;
    uint8_t cache;
    size_t n; /* bytes in stream */
    uint16_t literal[4], letters[2][0x100];
};

static void shift_low(struct range_encoder *e)
{
    if (e->low < 0xFF000000u || e->low > UINT32_MAX) {
        for (uint8_t byte = e->cache; e->pending > 0; byte = 0xFF, e->pending--)
            stream[e->n++] = (uint8_t)(byte + (e->low >> 32));
        e->cache = (uint8_t)(e->low >> 24);
    }
    e->pending++;
    e->low = (e->low & 0x00FFFFFF) << 8;
}

static void put_bit(struct range_encoder *e, uint16_t *prob, unsigned bit)
{
    uint32_t bound = (e->range >> 11) * *prob;

    if (bit) {
        e->low += bound;
        e->range -= bound;
        *prob = (uint16_t)(*prob - (*prob >> 5));
    } else {
        e->range = bound;
        *prob = (uint16_t)(*prob + ((2048 - *prob) >> 5));
    }
    while (e->range < 1u << 24) {
        e->range <<= 8;
        shift_low(e);
    }
}

static size_t pack_literals(void)
{
    static struct range_encoder e;

    e = (struct range_encoder){.range = UINT32_MAX, .pending = 1};
    for (size_t i = 0; i < 4 + 0x200; i++)
        *(i < 4 ? &e.literal[i] : &e.letters[(i - 4) / 0x100][i % 0x100]) = 1024;
    for (uint32_t at = 0; at < CONTENT; at++) {
        put_bit(&e, &e.literal[at % 4], 0);
        for (unsigned node = 1, i = 8; i-- > 0;) {
            unsigned bit = content[at] >> i & 1;
            put_bit(&e, &e.letters[at % 2][node], bit);
            node = node << 1 | bit;
        }
    }
    for (unsigned i = 0; i < 5 + WRY_LZMA_AHEAD; i++)
        shift_low(&e);
    return e.n;
}

static void count_lzma(void)
{
    size_t n = pack_literals();
    struct wry_lzma_input input = {.bytes = stream, .n = n};

    wry_lzma_init(&lzma, WRY_LZMA_USUAL, window, 8192, 0);
    uint32_t begun = instructions();
    while (lzma.total < CONTENT && wry_lzma_run(&lzma, &input, 256) == WRY_LZMA_OUTPUT)
        ;
    bool same = lzma.total == CONTENT;
    for (uint32_t i = CONTENT - 8192; i < CONTENT; i++)
        same &= window[i % 8192] == content[i];
    tell("lzma-letters", instructions() - begun, CONTENT, same);
}

/* What the test puts there: two lengths, a stream, and what is to come out of it. */
#define GIVEN UINT32_C(0x84000000)

static void count_given_lzma(void)
{
    const uint32_t *lengths = (const uint32_t *)(uintptr_t)GIVEN;
    const uint8_t *bytes = (const uint8_t *)(lengths + 2), *whole = bytes + lengths[0];
    struct wry_lzma_input input = {.bytes = bytes, .n = lengths[0]};
    uint32_t total = lengths[1];

    wry_lzma_init(&lzma, WRY_LZMA_USUAL, window, WINDOW, 0);
    uint32_t begun = instructions();
    while (lzma.total < total && wry_lzma_run(&lzma, &input, 256) == WRY_LZMA_OUTPUT)
        ;
    uint32_t count = instructions() - begun;
    bool same = lzma.total == total && total > WINDOW;
    for (uint32_t i = total - WINDOW; same && i < total; i++)
        same = window[i % WINDOW] == whole[i];
    tell("lzma-program", count, lengths[0], same ? total : 0);
}

static void count_filters(void)
{
    for (uint8_t kind = WRY_FILTER_RISCV; wry_branch_filter_exists(kind); kind++) {
        struct wry_branch_filter filter = {.kind = kind, .restores = true};
        uint32_t begun = instructions();
        wry_branch_filter_run(&filter, content, CONTENT);
        tell("filter", instructions() - begun, CONTENT, kind);
    }
}

int main(void)
{
    uart_start();
    for (uint32_t i = 0; i < CONTENT; i++)
        content[i] = random_byte();
    count_frames();
    count_digest();
    /* As much of a firmware as one request packs. */
    fill_like_firmware();
    count_packing("pack", WRY_READ_PACKED_MOST, false);
    count_packing("pack-quick", WRY_READ_PACKED_MOST, true);
    /* Hardly anything occurs twice: the stream is all letters. */
    for (uint32_t i = 0; i < CONTENT; i++)
        content[i] = (uint8_t)(random_byte() & random_byte() & 0x3F);
    count_stream("pack-letters", "unpack-letters");
    /* And hardly anything does not: it is all copies. */
    for (uint32_t i = 500; i < CONTENT; i++)
        content[i] = i % 97 == 0 ? random_byte() : content[i - 500];
    count_stream("pack-copies", "unpack-copies");
    for (uint32_t i = 0; i < CONTENT; i++)
        content[i] = random_byte();
    count_lzma();
    count_given_lzma();
    count_filters();
    print("done\n");
    for (;;)
        __asm__ volatile("wfi");
}
