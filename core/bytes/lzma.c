/*
 * LZMA. A range decoder yields bits, each by a probability that adapts to its history; trees of
 * such bits are the symbols (LZMA specification, "The main loop of decoder"). A symbol is decoded
 * in one go, so it needs the input of the longest one; what is shorter is held until more comes.
 */
#include "wrytograph/lzma.h"

#include "bytes/memory.h"

/* Offsets of the probabilities, in order. */
enum {
    IS_MATCH = 0, /* by state and position */
    IS_FAR_REPEAT = IS_MATCH + 12 * 4,
    IS_REPEAT = IS_FAR_REPEAT + 12 * 4,
    IS_OLDER = IS_REPEAT + 12,
    IS_THIRD = IS_OLDER + 12,
    IS_FOURTH = IS_THIRD + 12,
    SLOT = IS_FOURTH + 12, /* the magnitude of a distance, by length */
    LOW_BITS = SLOT + 4 * 64,
    ALIGNED = LOW_BITS + 115,
    MATCH_LENGTH = ALIGNED + 16,
    REPEAT_LENGTH = MATCH_LENGTH + WRY_LZMA_LENGTH_PROBS,
    LITERAL = WRY_LZMA_COMMON_PROBS,
    LITERAL_SIZE = 0x300,
};

/* Within the probabilities of a length. */
enum {
    NOT_SHORT = 0,
    NOT_MIDDLE = 1,
    SHORT = 2, /* 8 for each position */
    MIDDLE = SHORT + 4 * 8,
    LONG = MIDDLE + 4 * 8,
};

enum {
    PROB_BITS = 11,
    PROB_MOVE = 5,
    LENGTH_LEAST = 2,
    LITERAL_STATES = 7, /* states below this follow a literal */
    FIRST_WITH_LOW = 4, /* slots from here on have more bits */
    FIRST_DIRECT = 14,  /* and from here on bits without a probability */
    ALIGN_BITS = 4,
    BEGIN_BYTES = 5,
};

#define RANGE_LEAST (UINT32_C(1) << 24)
#define END_MARKER UINT32_MAX

enum step {
    BEGIN, /* the first bytes of the range decoder */
    SYMBOL,
    LITERAL_FAR, /* a literal waits for a byte that the caller has */
    LITERAL_NOW, /* that byte has come */
    ENDED,
    DAMAGED,
};

/* Compilers that build for size would call these for each bit, with all in memory. */
#if defined(__GNUC__)
#define INLINE static inline __attribute__((always_inline))
#else
#define INLINE static inline
#endif

/* The range decoder, in registers while a symbol is decoded. */
struct range {
    uint32_t range, code;
    const uint8_t *in;
};

bool wry_lzma_supports(uint8_t parameters)
{
    unsigned lc = parameters % 9u, lp = parameters / 9u % 5u, pb = parameters / 45u;

    return lc + lp <= WRY_LZMA_LITERAL_BITS && pb <= WRY_LZMA_POSITION_BITS;
}

void wry_lzma_init(struct wry_lzma *lzma, uint8_t parameters, uint8_t *window, uint32_t window_size,
                   uint32_t before)
{
    unsigned lc = parameters % 9u, lp = parameters / 9u % 5u, pb = parameters / 45u;

    memset(lzma, 0, offsetof(struct wry_lzma, probs));
    lzma->window = window;
    lzma->mask = window_size - 1;
    lzma->before = before;
    lzma->range = UINT32_MAX;
    lzma->position_mask = (uint8_t)((1u << pb) - 1);
    lzma->literal_position_mask = (uint8_t)((1u << lp) - 1);
    lzma->literal_context = (uint8_t)lc;
    for (size_t i = 0; i < WRY_LZMA_PROBS; i++)
        lzma->probs[i] = 1u << PROB_BITS >> 1;
}

INLINE void normalize(struct range *r)
{
    if (r->range < RANGE_LEAST) {
        r->range <<= 8;
        r->code = r->code << 8 | *r->in++;
    }
}

INLINE unsigned bit(struct range *r, uint16_t *prob)
{
    unsigned p = *prob;

    normalize(r);
    uint32_t bound = (r->range >> PROB_BITS) * p;
    if (r->code < bound) {
        r->range = bound;
        *prob = (uint16_t)(p + (((1u << PROB_BITS) - p) >> PROB_MOVE));
        return 0;
    }
    r->range -= bound;
    r->code -= bound;
    *prob = (uint16_t)(p - (p >> PROB_MOVE));
    return 1;
}

/* A single decision. */
static unsigned decide(struct range *range, uint16_t *prob)
{
    return bit(range, prob);
}

static unsigned tree(struct range *range, uint16_t *probs, unsigned bits)
{
    struct range r = *range;
    unsigned symbol = 1, end = 1u << bits;

    while (symbol < end)
        symbol = symbol << 1 | bit(&r, probs + symbol);
    *range = r;
    return symbol - end;
}

/* The same, lowest bit first. */
static unsigned tree_reversed(struct range *range, uint16_t *probs, unsigned bits)
{
    struct range r = *range;
    unsigned node = 1, symbol = 0;

    for (unsigned i = 0; i < bits; i++) {
        unsigned b = bit(&r, probs + node);
        node = node << 1 | b;
        symbol |= b << i;
    }
    *range = r;
    return symbol;
}

/* Bits without a probability. */
static uint32_t direct(struct range *range, unsigned bits)
{
    struct range r = *range;
    uint32_t value = 0;

    for (; bits > 0; bits--) {
        normalize(&r);
        r.range >>= 1;
        bool one = r.code >= r.range;
        r.code -= one ? r.range : 0;
        value = value << 1 | one;
    }
    *range = r;
    return value;
}

/* A literal after a match: the byte that would have continued the match selects probabilities as
 * long as it agrees. */
static unsigned literal_beside(struct range *range, uint16_t *probs, unsigned match)
{
    struct range r = *range;
    unsigned symbol = 1, beside = 0x100;

    while (symbol < 0x100) {
        match <<= 1;
        unsigned expected = match & beside;
        unsigned b = bit(&r, probs + beside + expected + symbol);
        symbol = symbol << 1 | b;
        beside &= b ? match : ~match;
    }
    *range = r;
    return symbol - 0x100;
}

static unsigned length(struct range *r, uint16_t *probs, unsigned position)
{
    if (!decide(r, probs + NOT_SHORT))
        return tree(r, probs + SHORT + position * 8, 3);
    if (!decide(r, probs + NOT_MIDDLE))
        return 8 + tree(r, probs + MIDDLE + position * 8, 3);
    return 16 + tree(r, probs + LONG, 8);
}

static uint32_t distance(struct range *r, uint16_t *probs, unsigned length_code)
{
    unsigned class = length_code < 3 ? length_code : 3;
    unsigned slot = tree(r, probs + SLOT + class * 64, 6);

    if (slot < FIRST_WITH_LOW)
        return slot;
    unsigned bits = (slot >> 1) - 1;
    uint32_t value = (2u | (slot & 1)) << bits;
    if (slot < FIRST_DIRECT)
        return value + tree_reversed(r, probs + LOW_BITS + value - slot, bits);
    value += direct(r, bits - ALIGN_BITS) << ALIGN_BITS;
    return value + tree_reversed(r, probs + ALIGNED, ALIGN_BITS);
}

/* True if the window has the byte so far back. */
static bool is_here(const struct wry_lzma *lzma, uint32_t back)
{
    return back <= lzma->total && back - 1 <= lzma->mask;
}

static bool is_allowed(const struct wry_lzma *lzma, uint32_t back)
{
    if (back > lzma->total)
        return back - lzma->total <= lzma->before;
    return back - 1 <= lzma->mask || lzma->before > 0;
}

static void put(struct wry_lzma *lzma, uint8_t byte)
{
    lzma->window[lzma->total++ & lzma->mask] = byte;
}

static uint8_t byte_back(const struct wry_lzma *lzma, uint32_t back)
{
    return lzma->window[(lzma->total - back) & lzma->mask];
}

static void decode_literal(struct wry_lzma *lzma, struct range *r)
{
    unsigned context = (lzma->total & lzma->literal_position_mask) << lzma->literal_context;

    if (lzma->literal_context > 0 && lzma->total > 0)
        context |= (unsigned)byte_back(lzma, 1) >> 7;
    uint16_t *probs = lzma->probs + LITERAL + context * LITERAL_SIZE;
    unsigned literal = lzma->state < LITERAL_STATES ? tree(r, probs, 8)
                                                    : literal_beside(r, probs, lzma->match_byte);
    put(lzma, (uint8_t)literal);
    lzma->state = (uint8_t)(lzma->state < 4    ? 0
                            : lzma->state < 10 ? lzma->state - 3
                                               : lzma->state - 6);
    lzma->step = SYMBOL;
}

/* Repeats one of the latest distances. Returns the length code; 1 byte has the code -1. */
static int decode_repeat(struct wry_lzma *lzma, struct range *r, unsigned position)
{
    uint16_t *probs = lzma->probs;
    unsigned state = lzma->state, which = 0;

    if (!decide(r, probs + IS_OLDER + state)) {
        if (!decide(r, probs + IS_FAR_REPEAT + state * 4 + position)) {
            lzma->state = state < LITERAL_STATES ? 9 : 11;
            return -1;
        }
    } else {
        which = !decide(r, probs + IS_THIRD + state)    ? 1
                : !decide(r, probs + IS_FOURTH + state) ? 2
                                                        : 3;
    }
    uint32_t taken = lzma->distance[which];
    for (; which > 0; which--)
        lzma->distance[which] = lzma->distance[which - 1];
    lzma->distance[0] = taken;
    lzma->state = state < LITERAL_STATES ? 8 : 11;
    return (int)length(r, probs + REPEAT_LENGTH, position);
}

static int decode_match(struct wry_lzma *lzma, struct range *r, unsigned position)
{
    unsigned code = length(r, lzma->probs + MATCH_LENGTH, position);

    for (unsigned i = 3; i > 0; i--)
        lzma->distance[i] = lzma->distance[i - 1];
    lzma->distance[0] = distance(r, lzma->probs, code);
    lzma->state = lzma->state < LITERAL_STATES ? 7 : 10;
    return (int)code;
}

/* Whether a literal can be decoded now: after a match it needs the byte at the match's distance. */
static bool has_match_byte(struct wry_lzma *lzma)
{
    uint32_t back = lzma->distance[0] + 1;

    if (lzma->step == LITERAL_NOW || lzma->state < LITERAL_STATES)
        return true;
    if (is_here(lzma, back)) {
        lzma->match_byte = byte_back(lzma, back);
        return true;
    }
    lzma->step = LITERAL_FAR;
    return false;
}

/* Decodes one symbol. */
static void decode(struct wry_lzma *lzma, struct range *r)
{
    unsigned position = lzma->total & lzma->position_mask, state = lzma->state;

    if (lzma->step == LITERAL_NOW || !decide(r, lzma->probs + IS_MATCH + state * 4 + position)) {
        if (has_match_byte(lzma))
            decode_literal(lzma, r);
        return;
    }
    int code = decide(r, lzma->probs + IS_REPEAT + state) ? decode_repeat(lzma, r, position)
                                                          : decode_match(lzma, r, position);
    uint32_t far = lzma->distance[0];
    lzma->left = (uint32_t)(code + (int)LENGTH_LEAST);
    if (far == END_MARKER) {
        lzma->left = 0;
        normalize(r);
        lzma->step = r->code == 0 && lzma->state >= LITERAL_STATES ? ENDED : DAMAGED;
    } else if (!is_allowed(lzma, far + 1)) {
        lzma->left = 0;
        lzma->step = DAMAGED;
    }
}

/* The first byte of a stream is 0, the others are the code to begin with. */
static void begin(struct wry_lzma *lzma, struct range *r)
{
    bool good = *r->in++ == 0;

    for (unsigned i = 1; i < BEGIN_BYTES; i++)
        r->code = r->code << 8 | *r->in++;
    lzma->step = good && r->code != UINT32_MAX ? SYMBOL : DAMAGED;
}

/* Decodes from input that has enough for a symbol; returns the number of bytes used. */
static size_t take(struct wry_lzma *lzma, const uint8_t *in)
{
    struct range r = {.range = lzma->range, .code = lzma->code, .in = in};

    if (lzma->step == BEGIN)
        begin(lzma, &r);
    else
        decode(lzma, &r);
    lzma->range = r.range;
    lzma->code = r.code;
    return (size_t)(r.in - in);
}

/* Input in pieces: what is too short is put together. */
static bool take_held(struct wry_lzma *lzma, struct wry_lzma_input *input)
{
    while (lzma->held_fill < WRY_LZMA_AHEAD && input->n > 0) {
        lzma->held[lzma->held_fill++] = *input->bytes++;
        input->n--;
    }
    if (lzma->held_fill < WRY_LZMA_AHEAD)
        return false;
    size_t used = take(lzma, lzma->held);
    lzma->held_fill = (uint8_t)(lzma->held_fill - used);
    memmove(lzma->held, lzma->held + used, lzma->held_fill);
    return true;
}

static void copy(struct wry_lzma *lzma, uint32_t end)
{
    uint32_t back = lzma->distance[0] + 1;

    for (; lzma->left > 0 && lzma->total != end; lzma->left--)
        put(lzma, byte_back(lzma, back));
}

enum wry_lzma_result wry_lzma_run(struct wry_lzma *lzma, struct wry_lzma_input *input,
                                  uint32_t room)
{
    uint32_t end = lzma->total + room;

    for (;;) {
        if (lzma->step == ENDED)
            return WRY_LZMA_END;
        if (lzma->step == DAMAGED)
            return WRY_LZMA_DAMAGED;
        if (lzma->total == end)
            return WRY_LZMA_OUTPUT;
        if (lzma->step == LITERAL_FAR || (lzma->left > 0 && !is_here(lzma, lzma->distance[0] + 1)))
            return WRY_LZMA_FAR;
        if (lzma->left > 0) {
            copy(lzma, end);
        } else if (lzma->held_fill == 0 && input->n >= WRY_LZMA_AHEAD) {
            size_t used = take(lzma, input->bytes);
            input->bytes += used;
            input->n -= used;
        } else if (!take_held(lzma, input)) {
            return WRY_LZMA_INPUT;
        }
    }
}

uint32_t wry_lzma_far(const struct wry_lzma *lzma, uint32_t *back)
{
    *back = lzma->distance[0] + 1;
    if (lzma->step == LITERAL_FAR)
        return 1;
    if (lzma->left == 0 || is_here(lzma, *back))
        return 0;
    uint32_t old = *back > lzma->total ? *back - lzma->total : lzma->left;
    return lzma->left < old ? lzma->left : old;
}

void wry_lzma_supply(struct wry_lzma *lzma, const uint8_t *bytes, uint32_t n)
{
    if (lzma->step == LITERAL_FAR && n > 0) {
        lzma->match_byte = bytes[0];
        lzma->step = LITERAL_NOW;
        return;
    }
    for (uint32_t i = 0; i < n; i++)
        put(lzma, bytes[i]);
    lzma->left -= n;
}
