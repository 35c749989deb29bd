/*
 * Inflate (RFC 1951). Short codes are decoded by table, long ones bit by bit from the counts of
 * each length. Before each step as many bits are collected as it may need; near the end of the
 * input a step that lacks some waits for more input, with its bits kept.
 */
#include "wrytograph/inflate.h"

#include <stdbool.h>

#include "bytes/memory.h"

enum state {
    BLOCK_HEAD,
    STORED_HEAD,
    STORED_CHECK,
    STORED,
    DYNAMIC_HEAD,
    CODE_LENGTHS, /* symbols of the code length alphabet */
    LENGTHS,
    REPEAT, /* extra bits of a repeated length */
    SYMBOL,
    LENGTH_EXTRA,
    DISTANCE,
    DISTANCE_EXTRA,
    COPY,
    ENDED,
    DAMAGED,
};

enum {
    END_OF_BLOCK = 256,
    FIRST_LENGTH = 257,
    LENGTH_CODES = 29,
    CODE_LENGTH_CODES = 19,
    SYMBOL_INPUT =
        8,     /* bytes of input for one symbol: a length and a distance take at most 48 bits */
    NONE = -1, /* more bits are needed */
    WRONG = -2,
};

static bool is_over(const struct wry_inflate *inflate)
{
    return inflate->state == ENDED || inflate->state == DAMAGED;
}

void wry_inflate_init(struct wry_inflate *inflate, uint8_t *window, uint32_t window_size)
{
    memset(inflate, 0, sizeof *inflate);
    inflate->window = window;
    inflate->mask = window_size - 1;
    inflate->literal.symbol = inflate->literal_symbols;
    inflate->literal.fast = inflate->literal_fast;
    inflate->far.fast = inflate->far_fast;
    inflate->far.symbol = inflate->far_symbols;
}

static void gather(struct wry_inflate *inflate, struct wry_inflate_input *input)
{
    while (inflate->bit_count <= 24 && input->n > 0) {
        inflate->bits |= (uint32_t)*input->bytes++ << inflate->bit_count;
        inflate->bit_count += 8;
        input->n--;
    }
}

static uint32_t drop(struct wry_inflate *inflate, unsigned n)
{
    uint32_t value = inflate->bits & ((UINT32_C(1) << n) - 1);

    inflate->bits >>= n;
    inflate->bit_count = (uint8_t)(inflate->bit_count - n);
    return value;
}

/* Takes n <= 16 bits; NONE if there are not enough. */
static int take(struct wry_inflate *inflate, unsigned n)
{
    return inflate->bit_count >= n ? (int)drop(inflate, n) : NONE;
}

/* Takes the next symbol of a code; NONE if bits are missing, WRONG if no code begins like this.
 * Section 3.2.2. */
static int take_symbol(struct wry_inflate *inflate, const struct wry_inflate_code *code)
{
    uint32_t bits = inflate->bits;
    int value = 0, first = 0, index = 0;
    unsigned fast = code->fast[bits & ((1u << WRY_INFLATE_FAST_BITS) - 1)];

    if (fast > 0 && fast % 16 <= inflate->bit_count) {
        drop(inflate, fast % 16);
        return (int)(fast / 16);
    }

    for (unsigned length = 1; length <= WRY_INFLATE_CODE_BITS; length++) {
        if (length > inflate->bit_count)
            return NONE;
        value |= (int)(bits & 1);
        bits >>= 1;
        int count = code->count[length];
        if (value - count < first) {
            drop(inflate, length);
            return code->symbol[index + (value - first)];
        }
        index += count;
        first = (first + count) << 1;
        value <<= 1;
    }
    return WRONG;
}

static unsigned reversed(unsigned code, unsigned length)
{
    unsigned result = 0;

    for (; length > 0; length--, code >>= 1)
        result = result << 1 | (code & 1);
    return result;
}

/* Codes arrive first bit first, so a short code fills every table entry that begins with it. */
static void fill_fast(const struct wry_inflate_code *code)
{
    unsigned value = 0, index = 0;

    memset(code->fast, 0, sizeof(uint16_t) << WRY_INFLATE_FAST_BITS);
    for (unsigned length = 1; length <= WRY_INFLATE_FAST_BITS; length++, value <<= 1) {
        for (unsigned i = 0; i < code->count[length]; i++, index++, value++) {
            unsigned at = reversed(value, length);
            for (; at < 1u << WRY_INFLATE_FAST_BITS; at += 1u << length)
                code->fast[at] = (uint16_t)(code->symbol[index] * 16u + length);
        }
    }
}

/* Builds a code from the lengths of its symbols. Returns the unused code space; below 0 there are
 * too many codes. */
static int build(struct wry_inflate_code *code, const uint8_t *lengths, unsigned n)
{
    uint16_t at[WRY_INFLATE_CODE_BITS + 1];
    int left = 1;

    memset(code->count, 0, sizeof code->count);
    for (unsigned i = 0; i < n; i++)
        code->count[lengths[i]]++;
    code->count[0] = 0;
    at[1] = 0;
    for (unsigned length = 1; length <= WRY_INFLATE_CODE_BITS; length++) {
        left = (left << 1) - code->count[length];
        if (left < 0)
            return left;
        if (length < WRY_INFLATE_CODE_BITS)
            at[length + 1] = (uint16_t)(at[length] + code->count[length]);
    }
    for (unsigned i = 0; i < n; i++) {
        if (lengths[i] > 0)
            code->symbol[at[lengths[i]]++] = (uint16_t)i;
    }
    fill_fast(code);
    return left;
}

/* Section 3.2.6. Symbols 286 and 287 take part in the code but never occur. */
static void build_fixed(struct wry_inflate *inflate)
{
    unsigned i = 0;

    for (; i < 144; i++)
        inflate->lengths[i] = 8;
    for (; i < 256; i++)
        inflate->lengths[i] = 9;
    for (; i < 280; i++)
        inflate->lengths[i] = 7;
    for (; i < WRY_INFLATE_LITERALS; i++)
        inflate->lengths[i] = 8;
    build(&inflate->literal, inflate->lengths, WRY_INFLATE_LITERALS);
    memset(inflate->lengths, 5, WRY_INFLATE_DISTANCES);
    build(&inflate->far, inflate->lengths, WRY_INFLATE_DISTANCES);
}

/*
 * An incomplete code is allowed for distances only, with at most one code of one bit (section
 * 3.2.7). A block must have a code for its end.
 */
static enum state build_dynamic(struct wry_inflate *inflate)
{
    const uint8_t *lengths = inflate->lengths;

    if (lengths[END_OF_BLOCK] == 0 || build(&inflate->literal, lengths, inflate->literals) != 0)
        return DAMAGED;
    int left = build(&inflate->far, lengths + inflate->literals, inflate->distances);
    unsigned used = 0;
    for (unsigned length = 1; length <= WRY_INFLATE_CODE_BITS; length++)
        used += inflate->far.count[length];
    bool fine = left == 0 || (left > 0 && (used == 0 || (used == 1 && inflate->far.count[1] == 1)));
    return fine ? SYMBOL : DAMAGED;
}

static void put(struct wry_inflate *inflate, uint8_t byte)
{
    inflate->window[inflate->total++ & inflate->mask] = byte;
}

static int begin_block(struct wry_inflate *inflate)
{
    if (inflate->bit_count < 3)
        return NONE;
    inflate->last = (uint8_t)drop(inflate, 1);
    switch (drop(inflate, 2)) {
    case 0:
        drop(inflate, inflate->bit_count % 8);
        return STORED_HEAD;
    case 1:
        build_fixed(inflate);
        return SYMBOL;
    case 2:
        return DYNAMIC_HEAD;
    default:
        return DAMAGED;
    }
}

static int end_block(struct wry_inflate *inflate)
{
    return inflate->last ? ENDED : BLOCK_HEAD;
}

/* Begins a stored block: a length and its complement (section 3.2.4). */
static int begin_stored(struct wry_inflate *inflate)
{
    int length = take(inflate, 16);

    if (length == NONE)
        return NONE;
    inflate->left = (uint32_t)length;
    return STORED_CHECK;
}

static int check_stored(struct wry_inflate *inflate)
{
    int complement = take(inflate, 16);

    if (complement == NONE)
        return NONE;
    if ((uint32_t)complement != (inflate->left ^ 0xFFFF))
        return DAMAGED;
    return inflate->left > 0 ? STORED : end_block(inflate);
}

/* Copies collected bits first, then bytes directly from the input. */
static int step_stored(struct wry_inflate *inflate, struct wry_inflate_input *input, uint32_t end)
{
    bool moved = inflate->bit_count > 0 || input->n > 0;

    for (; inflate->bit_count > 0 && inflate->left > 0 && inflate->total != end; inflate->left--)
        put(inflate, (uint8_t)drop(inflate, 8));
    for (; input->n > 0 && inflate->left > 0 && inflate->total != end; inflate->left--) {
        put(inflate, *input->bytes++);
        input->n--;
    }
    if (inflate->left == 0)
        return end_block(inflate);
    return moved ? STORED : NONE;
}

/* Begins a dynamic block (section 3.2.7). */
static int begin_dynamic(struct wry_inflate *inflate)
{
    if (inflate->bit_count < 14)
        return NONE;
    inflate->literals = (uint16_t)(drop(inflate, 5) + 257);
    inflate->distances = (uint16_t)(drop(inflate, 5) + 1);
    inflate->code_lengths = (uint16_t)(drop(inflate, 4) + 4);
    inflate->lengths_read = 0;
    memset(inflate->lengths, 0, sizeof inflate->lengths);
    return inflate->literals > 286 || inflate->distances > WRY_INFLATE_DISTANCES ? DAMAGED
                                                                                 : CODE_LENGTHS;
}

static int step_code_lengths(struct wry_inflate *inflate)
{
    static const uint8_t order[CODE_LENGTH_CODES] = {16, 17, 18, 0, 8,  7, 9,  6, 10, 5,
                                                     11, 4,  12, 3, 13, 2, 14, 1, 15};
    int length = take(inflate, 3);

    if (length == NONE)
        return NONE;
    inflate->lengths[order[inflate->lengths_read++]] = (uint8_t)length;
    if (inflate->lengths_read < inflate->code_lengths)
        return CODE_LENGTHS;
    inflate->lengths_read = 0;
    return build(&inflate->far, inflate->lengths, CODE_LENGTH_CODES) == 0 ? LENGTHS : DAMAGED;
}

static int after_length(struct wry_inflate *inflate)
{
    return inflate->lengths_read < inflate->literals + inflate->distances
               ? LENGTHS
               : (int)build_dynamic(inflate);
}

static int step_lengths(struct wry_inflate *inflate)
{
    int symbol = take_symbol(inflate, &inflate->far);

    if (symbol < 0)
        return symbol == NONE ? NONE : DAMAGED;
    if (symbol < 16) {
        inflate->lengths[inflate->lengths_read++] = (uint8_t)symbol;
        return after_length(inflate);
    }
    inflate->symbol = (uint8_t)symbol;
    return symbol == 16 && inflate->lengths_read == 0 ? DAMAGED : REPEAT;
}

/* Repeats: 16 the previous length 3 to 6 times, 17 and 18 zeros 3 to 10 and 11 to 138 times. */
static int step_repeat(struct wry_inflate *inflate)
{
    static const uint8_t bits[] = {2, 3, 7}, base[] = {3, 3, 11};
    unsigned kind = inflate->symbol - 16u;
    int extra = take(inflate, bits[kind]);
    uint8_t length = kind == 0 ? inflate->lengths[inflate->lengths_read - 1] : 0;

    if (extra == NONE)
        return NONE;
    unsigned times = base[kind] + (unsigned)extra;
    if (inflate->lengths_read + times > (unsigned)inflate->literals + inflate->distances)
        return DAMAGED;
    memset(inflate->lengths + inflate->lengths_read, length, times);
    inflate->lengths_read = (uint16_t)(inflate->lengths_read + times);
    return after_length(inflate);
}

/* Extra bits of a length: four codes per power of two, except the first eight and the last (section
 * 3.2.5). */
static unsigned length_bits(unsigned code)
{
    return code < 8 || code == 28 ? 0 : code / 4 - 1;
}

static uint32_t length_of(unsigned code, uint32_t extra)
{
    if (code < 8)
        return 3 + code;
    return code == 28 ? 258 : 3 + ((4 + code % 4) << length_bits(code)) + extra;
}

/* Extra bits of a distance: two codes per power of two, except the first four. */
static unsigned distance_bits(unsigned code)
{
    return code < 4 ? 0 : code / 2 - 1;
}

static uint32_t distance_of(unsigned code, uint32_t extra)
{
    return 1 + (code < 4 ? code : ((2 + code % 2) << distance_bits(code)) + extra);
}

static int step_length(struct wry_inflate *inflate)
{
    int extra = take(inflate, length_bits(inflate->symbol));

    if (extra == NONE)
        return NONE;
    inflate->left = length_of(inflate->symbol, (uint32_t)extra);
    return DISTANCE;
}

static int step_distance(struct wry_inflate *inflate)
{
    int symbol = take_symbol(inflate, &inflate->far);

    if (symbol == NONE)
        return NONE;
    inflate->symbol = (uint8_t)symbol;
    return symbol < 0 ? DAMAGED : DISTANCE_EXTRA;
}

static bool is_within(const struct wry_inflate *inflate, uint32_t distance)
{
    return distance <= inflate->total && distance <= inflate->mask + 1;
}

static int step_distance_extra(struct wry_inflate *inflate)
{
    int extra = take(inflate, distance_bits(inflate->symbol));

    if (extra == NONE)
        return NONE;
    inflate->distance = distance_of(inflate->symbol, (uint32_t)extra);
    return is_within(inflate, inflate->distance) ? COPY : DAMAGED;
}

static int step_copy(struct wry_inflate *inflate, uint32_t end)
{
    uint8_t *window = inflate->window;
    uint32_t mask = inflate->mask, to = inflate->total, from = to - inflate->distance;
    uint32_t n = end - to < inflate->left ? end - to : inflate->left;

    inflate->total += n;
    inflate->left -= n;
    for (; n > 0; n--)
        window[to++ & mask] = window[from++ & mask];
    return inflate->left > 0 ? COPY : SYMBOL;
}

/* Decodes one symbol, or several literals in a row. */
static int step_symbol(struct wry_inflate *inflate, struct wry_inflate_input *input, uint32_t end)
{
    for (;;) {
        int symbol = take_symbol(inflate, &inflate->literal);
        if (symbol == NONE)
            return NONE;
        if (symbol < 0 || symbol >= FIRST_LENGTH + LENGTH_CODES)
            return DAMAGED;
        if (symbol == END_OF_BLOCK)
            return end_block(inflate);
        if (symbol > END_OF_BLOCK) {
            inflate->symbol = (uint8_t)(symbol - FIRST_LENGTH);
            return LENGTH_EXTRA;
        }
        put(inflate, (uint8_t)symbol);
        if (inflate->total == end)
            return SYMBOL;
        gather(inflate, input);
    }
}

#ifndef __OPTIMIZE_SIZE__

/* A local copy of the collected bits, which a compiler can keep in registers. */
struct bits {
    uint32_t held;
    unsigned count;
};

static inline void refill(struct bits *bits, struct wry_inflate_input *input)
{
    for (; bits->count <= 24; bits->count += 8, input->n--)
        bits->held |= (uint32_t)*input->bytes++ << bits->count;
}

static inline uint32_t draw(struct bits *bits, unsigned n)
{
    uint32_t value = bits->held & ((UINT32_C(1) << n) - 1);

    bits->held >>= n;
    bits->count -= n;
    return value;
}

static inline int draw_symbol(struct wry_inflate *inflate, struct bits *bits,
                              const struct wry_inflate_code *code)
{
    unsigned fast = code->fast[bits->held & ((1u << WRY_INFLATE_FAST_BITS) - 1)];

    if (fast > 0) {
        draw(bits, fast % 16);
        return (int)(fast / 16);
    }
    inflate->bits = bits->held;
    inflate->bit_count = (uint8_t)bits->count;
    int symbol = take_symbol(inflate, code);
    bits->held = inflate->bits;
    bits->count = inflate->bit_count;
    return symbol;
}

/* The fast path: decodes symbols in a loop while there is enough input for any symbol. */
static int run_symbols(struct wry_inflate *inflate, struct wry_inflate_input *input, uint32_t end)
{
    struct bits bits = {.held = inflate->bits, .count = inflate->bit_count};
    int next = SYMBOL;

    while (input->n >= SYMBOL_INPUT && inflate->total != end && next == SYMBOL) {
        refill(&bits, input);
        int symbol = draw_symbol(inflate, &bits, &inflate->literal);
        if (symbol >= 0 && symbol < END_OF_BLOCK) {
            put(inflate, (uint8_t)symbol);
        } else if (symbol == END_OF_BLOCK) {
            next = end_block(inflate);
        } else if (symbol < 0 || symbol >= FIRST_LENGTH + LENGTH_CODES) {
            next = DAMAGED;
        } else {
            unsigned code = (unsigned)symbol - FIRST_LENGTH;
            inflate->left = length_of(code, draw(&bits, length_bits(code)));
            refill(&bits, input);
            symbol = draw_symbol(inflate, &bits, &inflate->far);
            refill(&bits, input);
            code = (unsigned)symbol;
            if (symbol >= 0)
                inflate->distance = distance_of(code, draw(&bits, distance_bits(code)));
            next = symbol >= 0 && is_within(inflate, inflate->distance) ? step_copy(inflate, end)
                                                                        : DAMAGED;
        }
    }
    inflate->bits = bits.held;
    inflate->bit_count = (uint8_t)bits.count;
    return next == SYMBOL && inflate->total != end ? step_symbol(inflate, input, end) : next;
}

#endif

/* Does one step; returns the next state, or NONE. No output goes beyond end. */
static int step(struct wry_inflate *inflate, struct wry_inflate_input *input, uint32_t end)
{
    switch ((enum state)inflate->state) {
    case BLOCK_HEAD:
        return begin_block(inflate);
    case STORED_HEAD:
        return begin_stored(inflate);
    case STORED_CHECK:
        return check_stored(inflate);
    case STORED:
        return step_stored(inflate, input, end);
    case DYNAMIC_HEAD:
        return begin_dynamic(inflate);
    case CODE_LENGTHS:
        return step_code_lengths(inflate);
    case LENGTHS:
        return step_lengths(inflate);
    case REPEAT:
        return step_repeat(inflate);
    case SYMBOL:
#ifdef __OPTIMIZE_SIZE__
        return step_symbol(inflate, input, end);
#else
        return run_symbols(inflate, input, end);
#endif
    case LENGTH_EXTRA:
        return step_length(inflate);
    case DISTANCE:
        return step_distance(inflate);
    case DISTANCE_EXTRA:
        return step_distance_extra(inflate);
    case COPY:
        return step_copy(inflate, end);
    case ENDED:
    case DAMAGED:
        break;
    }
    return inflate->state;
}

enum wry_inflate_result wry_inflate_run(struct wry_inflate *inflate,
                                        struct wry_inflate_input *input, uint32_t room)
{
    uint32_t end = inflate->total + room;

    while (!is_over(inflate) && inflate->total != end) {
        if (inflate->state != STORED)
            gather(inflate, input);
        int next = step(inflate, input, end);
        if (next == NONE)
            return WRY_INFLATE_INPUT;
        inflate->state = (uint8_t)next;
    }
    if (inflate->state == ENDED)
        return WRY_INFLATE_END;
    return inflate->state == DAMAGED ? WRY_INFLATE_DAMAGED : WRY_INFLATE_OUTPUT;
}
