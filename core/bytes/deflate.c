/*
 * Deflate (RFC 1951). Matches are found by hash chains, with one step of lazy matching. Each block
 * is stored, or uses fixed or dynamic codes, whichever is shortest.
 */
#include "wrytograph/deflate.h"

#include "bytes/huffman.h"
#include "bytes/memory.h"

enum step {
    GATHERING, /* tokens come in */
    STORED_BYTES,
    CODE_LENGTHS, /* symbols of the code length alphabet */
    LENGTHS,
    TOKENS,
    OVER,
};

enum {
    MATCH_LEAST = 3,
    MATCH_MOST = 258,
    LAZY_MATCH = 96, /* match length from which no longer one is looked for a byte later, */
    QUICK_LAZY = 4,  /* or if quick */
    TRIES = 32,      /* most chain entries examined, */
    QUICK_TRIES = 8, /* or if quick */
    FAR = 4096, /* distance from which a match of the shortest length costs more than three literals
                 */
    AHEAD = MATCH_MOST + MATCH_LEAST + 1, /* bytes after the position that one step may examine */
    WAITING_MOST = 2 * AHEAD,             /* most bytes put in but not yet in tokens */
    WINDOW_MOST = 32768,
    WINDOW_LEAST = 8192,
    END_OF_BLOCK = 256,
    FIRST_LENGTH = 257,
    CODE_LENGTH_CODES = 19,
    REPEAT = 16,
    ZEROS = 17,
    MANY_ZEROS = 18,
    RUN_SHIFT = 5, /* position of a run's extra bits above its symbol */
    RUN_SYMBOL = (1 << RUN_SHIFT) - 1,
    HEAD_BITS = 14, /* bits of the three counts before the code lengths */
    CODE_BITS = 15,
    CODE_LENGTH_BITS = 7,
    STORED_HEAD = 5, /* bytes, at most */
};

static const uint8_t code_length_order[CODE_LENGTH_CODES] = {16, 17, 18, 0, 8,  7, 9,  6, 10, 5,
                                                             11, 4,  12, 3, 13, 2, 14, 1, 15};

/* Parameters by size of the caller's memory. */
static const struct share {
    uint32_t window;
    uint8_t hash_bits;
    uint16_t tokens;
} shares[] = {{WINDOW_MOST, 14, 4096}, {16384, 12, 4096}, {WINDOW_LEAST, 11, 2560}};

static size_t size_of(const struct share *share)
{
    return share->window + share->window * sizeof(uint16_t) +
           (sizeof(uint16_t) << share->hash_bits) +
           share->tokens * sizeof(struct wry_deflate_token);
}

void wry_deflate_init(struct wry_deflate *d, void *memory, size_t size)
{
    const struct share *share = shares;
    uint8_t *at = memory;

    while (size_of(share) > size && share->window > WINDOW_LEAST)
        share++;
    memset(d, 0, sizeof *d);
    d->mask = share->window - 1;
    d->hash_bits = share->hash_bits;
    d->tokens_most = share->tokens;
    d->tokens = (struct wry_deflate_token *)(void *)at;
    at += share->tokens * sizeof *d->tokens;
    d->heads = (uint16_t *)(void *)at;
    at += sizeof *d->heads << share->hash_bits;
    d->chain = (uint16_t *)(void *)at;
    at += share->window * sizeof *d->chain;
    d->window = at;
    memset(d->heads, 0, sizeof *d->heads << share->hash_bits);
}

void wry_deflate_set_quick(struct wry_deflate *d)
{
    d->quick = true;
}

/* A length or distance in its code: symbol, number of extra bits, and extra bits (section
 * 3.2.5). */
struct coded {
    uint16_t symbol, extra;
    uint8_t extra_bits;
};

static struct coded code_length(unsigned length)
{
    unsigned n = length - MATCH_LEAST, bits = 0;

    if (length == MATCH_MOST)
        return (struct coded){.symbol = 285};
    while (n >> bits >= 8)
        bits++;
    return (struct coded){.symbol = (uint16_t)(FIRST_LENGTH + bits * 4 + (n >> bits)),
                          .extra = (uint16_t)(n & ((1u << bits) - 1)),
                          .extra_bits = (uint8_t)bits};
}

static struct coded code_distance(unsigned distance)
{
    unsigned n = distance - 1, bits = 0;

    while (n >> bits >= 4)
        bits++;
    return (struct coded){.symbol = (uint16_t)(bits * 2 + (n >> bits)),
                          .extra = (uint16_t)(n & ((1u << bits) - 1)),
                          .extra_bits = (uint8_t)bits};
}

static uint8_t byte_at(const struct wry_deflate *d, uint32_t at)
{
    return d->window[at & d->mask];
}

static uint32_t hash_at(const struct wry_deflate *d, uint32_t at)
{
    uint32_t three =
        byte_at(d, at) | (uint32_t)byte_at(d, at + 1) << 8 | (uint32_t)byte_at(d, at + 2) << 16;

    return (three * UINT32_C(0x9E3779B1)) >> (32 - d->hash_bits);
}

static void remember(struct wry_deflate *d, uint32_t at, uint32_t hash)
{
    uint16_t *head = &d->heads[hash];

    d->chain[at & d->mask] = *head;
    *head = (uint16_t)at;
}

/* The longest match for the bytes at at; length 0 if none is worth it. */
static struct wry_deflate_token find(const struct wry_deflate *d, uint32_t at, uint32_t hash)
{
    struct wry_deflate_token best = {.distance = byte_at(d, at)};
    const uint8_t *window = d->window;
    const uint32_t mask = d->mask;
    /* Counts bytes that may still arrive as if they had, so that the result does not depend on the
     * pieces in which content is put in. */
    uint32_t left = d->fill - at, reach = mask + 1 - WAITING_MOST;
    unsigned most = left < MATCH_MOST ? left : MATCH_MOST;
    unsigned tries = d->quick ? QUICK_TRIES : TRIES;
    uint32_t before = 0;

    reach = reach < at ? reach : at;
    if (most < MATCH_LEAST)
        return best;
    uint16_t place = d->heads[hash];
    for (unsigned i = 0; i < tries && best.length < most; i++) {
        uint32_t distance = (uint16_t)(at - place);
        /* Positions are stored modulo 2^16 and entries are overwritten: a distance that does not
         * grow belongs to an overwritten entry. */
        if (distance <= before || distance > reach)
            break;
        before = distance;
        uint32_t from = at - distance;
        if (window[(at + best.length) & mask] == window[(from + best.length) & mask]) {
            unsigned n = 0;
            while (n < most && window[(at + n) & mask] == window[(from + n) & mask])
                n++;
            bool pays = n > MATCH_LEAST || (n == MATCH_LEAST && distance <= FAR);
            if (pays && n > best.length)
                best = (struct wry_deflate_token){.length = (uint16_t)n,
                                                  .distance = (uint16_t)distance};
        }
        place = d->chain[from & mask];
    }
    return best;
}

static void add_token(struct wry_deflate *d, struct wry_deflate_token token)
{
    d->tokens[d->token_count++] = token;
    if (token.length == 0) {
        d->literal_uses[token.distance]++;
        return;
    }
    struct coded length = code_length(token.length), far = code_distance(token.distance);
    d->literal_uses[length.symbol]++;
    d->far_uses[far.symbol]++;
    d->extra_bits += length.extra_bits + far.extra_bits;
}

/* The first block is short: it is on its way while the next one is made. */
static uint32_t tokens_most(const struct wry_deflate *d)
{
    return d->block_start == 0 ? d->tokens_most / 2 : d->tokens_most;
}

/* Adds one token, or a literal and a match if the match one byte later is longer. */
static void tokenize(struct wry_deflate *d)
{
    bool whole = d->fill - d->at >= MATCH_LEAST;
    uint32_t hash = whole ? hash_at(d, d->at) : 0;
    struct wry_deflate_token token = find(d, d->at, hash);

    if (whole)
        remember(d, d->at, hash);
    unsigned lazy = d->quick ? QUICK_LAZY : LAZY_MATCH;
    if (token.length >= MATCH_LEAST && token.length < lazy && d->fill - d->at > MATCH_LEAST &&
        d->token_count + 1 < tokens_most(d)) {
        hash = hash_at(d, d->at + 1);
        struct wry_deflate_token next = find(d, d->at + 1, hash);
        if (next.length > token.length) {
            add_token(d, (struct wry_deflate_token){.distance = byte_at(d, d->at)});
            d->at++;
            remember(d, d->at, hash);
            token = next;
        }
    }
    add_token(d, token);
    unsigned length = token.length > 0 ? token.length : 1;
    for (unsigned i = 1; i < length; i++) {
        if (d->fill - (d->at + i) >= MATCH_LEAST)
            remember(d, d->at + i, hash_at(d, d->at + i));
    }
    d->at += length;
}

/* True if the block must end. */
static bool is_full(const struct wry_deflate *d)
{
    return d->token_count == tokens_most(d);
}

/* Makes tokens while there is enough input to see the longest match; at the end, of all of it. */
static void gather(struct wry_deflate *d)
{
    while (!is_full(d) && (d->fill - d->at >= AHEAD || (d->finishing && d->at < d->fill)))
        tokenize(d);
}

size_t wry_deflate_room(const struct wry_deflate *d)
{
    if (d->step != GATHERING || d->finishing || is_full(d))
        return 0;
    return WAITING_MOST - (d->fill - d->at);
}

void wry_deflate_put(struct wry_deflate *d, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++)
        d->window[d->fill++ & d->mask] = bytes[i];
    gather(d);
}

void wry_deflate_finish(struct wry_deflate *d)
{
    d->finishing = true;
    gather(d);
}

/* Code lengths in the header of a dynamic block, with runs shortened (section 3.2.7). */
static void add_run(struct wry_deflate *d, unsigned symbol, unsigned extra)
{
    d->runs[d->run_count++] = (uint16_t)(symbol | extra << RUN_SHIFT);
}

static void find_runs(struct wry_deflate *d, const uint8_t *lengths, unsigned n)
{
    d->run_count = 0;
    for (unsigned i = 0, run; i < n; i += run) {
        unsigned most = lengths[i] == 0 ? 138 : 7;
        for (run = 1; run < most && i + run < n && lengths[i + run] == lengths[i]; run++)
            continue;
        if (lengths[i] == 0 && run >= 11) {
            add_run(d, MANY_ZEROS, run - 11);
        } else if (lengths[i] == 0 && run >= 3) {
            add_run(d, ZEROS, run - 3);
        } else if (lengths[i] > 0 && run >= 4) {
            add_run(d, lengths[i], 0);
            add_run(d, REPEAT, run - 4);
        } else {
            run = 1;
            add_run(d, lengths[i], 0);
        }
    }
}

static unsigned run_bits(unsigned symbol)
{
    return symbol == REPEAT ? 2 : symbol == ZEROS ? 3 : symbol == MANY_ZEROS ? 7 : 0;
}

/* The code lengths of the fixed codes, section 3.2.6. */
static void use_fixed(struct wry_deflate *d)
{
    for (unsigned i = 0; i < WRY_DEFLATE_LITERALS; i++)
        d->lengths[i] = i < 144 ? 8 : i < 256 ? 9 : i < 280 ? 7 : 8;
    for (unsigned i = 0; i < WRY_DEFLATE_DISTANCES; i++)
        d->lengths[WRY_DEFLATE_LITERALS + i] = 5;
}

/* Bits of the block with the current code lengths, without its header. */
static uint32_t cost(const struct wry_deflate *d)
{
    uint32_t bits = d->extra_bits;

    for (unsigned i = 0; i < WRY_DEFLATE_LITERALS; i++)
        bits += d->literal_uses[i] * d->lengths[i];
    for (unsigned i = 0; i < WRY_DEFLATE_DISTANCES; i++)
        bits += d->far_uses[i] * d->lengths[WRY_DEFLATE_LITERALS + i];
    return bits;
}

/* Chooses codes by the frequencies in this block. */
static void use_dynamic(struct wry_deflate *d)
{
    uint8_t *far = d->lengths + WRY_DEFLATE_LITERALS;

    huffman_lengths(d->literal_uses, WRY_DEFLATE_LITERALS, CODE_BITS, d->lengths, d->order,
                    d->weights);
    huffman_lengths(d->far_uses, WRY_DEFLATE_DISTANCES, CODE_BITS, far, d->order, d->weights);
    d->literals = WRY_DEFLATE_LITERALS;
    while (d->literals > FIRST_LENGTH && d->lengths[d->literals - 1] == 0)
        d->literals--;
    d->distances = WRY_DEFLATE_DISTANCES;
    while (d->distances > 1 && far[d->distances - 1] == 0)
        d->distances--;
}

/* n is at most 16. The caller has checked the room. */
static void put_bits(struct wry_deflate *d, uint32_t value, unsigned n)
{
    uint32_t bits = d->bits | value << d->bit_count;
    unsigned count = d->bit_count + n;

    for (; count >= 8; count -= 8, bits >>= 8)
        *d->out++ = (uint8_t)bits;
    d->bits = bits;
    d->bit_count = (uint8_t)count;
}

/* Makes the header of a dynamic block: the lengths of both codes, run-length encoded, in a code of
 * their own alphabet. Returns its bits. */
static uint32_t make_head(struct wry_deflate *d)
{
    uint16_t uses[CODE_LENGTH_CODES] = {0};
    uint8_t all[WRY_DEFLATE_LITERALS + WRY_DEFLATE_DISTANCES];

    memcpy(all, d->lengths, d->literals);
    memcpy(all + d->literals, d->lengths + WRY_DEFLATE_LITERALS, d->distances);
    find_runs(d, all, (unsigned)d->literals + d->distances);
    for (unsigned i = 0; i < d->run_count; i++)
        uses[d->runs[i] & RUN_SYMBOL]++;
    huffman_lengths(uses, CODE_LENGTH_CODES, CODE_LENGTH_BITS, d->head_lengths, d->order,
                    d->weights);
    huffman_codes(d->head_lengths, CODE_LENGTH_CODES, d->head_codes);
    d->code_lengths = CODE_LENGTH_CODES;
    while (d->code_lengths > 4 && d->head_lengths[code_length_order[d->code_lengths - 1]] == 0)
        d->code_lengths--;
    uint32_t bits = HEAD_BITS + d->code_lengths * 3u;
    for (unsigned i = 0; i < CODE_LENGTH_CODES; i++)
        bits += uses[i] * (d->head_lengths[i] + run_bits(i));
    return bits;
}

static void make_codes(struct wry_deflate *d)
{
    huffman_codes(d->lengths, WRY_DEFLATE_LITERALS, d->codes);
    huffman_codes(d->lengths + WRY_DEFLATE_LITERALS, WRY_DEFLATE_DISTANCES,
                  d->codes + WRY_DEFLATE_LITERALS);
}

/* Begins a stored block: aligned to a byte, the length and its complement (section 3.2.4). */
static void begin_stored(struct wry_deflate *d)
{
    uint32_t length = d->at - d->block_start;

    put_bits(d, 0, (8u - d->bit_count) % 8u);
    put_bits(d, length, 16);
    put_bits(d, length ^ 0xFFFFu, 16);
    d->step = STORED_BYTES;
}

/* Chooses the encoding of the completed block. */
static void begin_block(struct wry_deflate *d)
{
    uint32_t length = d->at - d->block_start;

    d->last = d->finishing && d->at == d->fill;
    d->literal_uses[END_OF_BLOCK]++;
    use_fixed(d);
    uint32_t fixed = cost(d);
    use_dynamic(d);
    uint32_t dynamic = cost(d) + make_head(d);
    bool can_store = length + WAITING_MOST <= d->mask + 1;
    uint32_t best = fixed < dynamic ? fixed : dynamic;
    put_bits(d, d->last, 1);
    d->given = 0;
    if (can_store && (length + STORED_HEAD) * 8 < best) {
        put_bits(d, 0, 2);
        begin_stored(d);
    } else if (fixed <= dynamic) {
        put_bits(d, 1, 2);
        use_fixed(d);
        make_codes(d);
        d->step = TOKENS;
    } else {
        put_bits(d, 2, 2);
        put_bits(d, d->literals - 257u, 5);
        put_bits(d, d->distances - 1u, 5);
        put_bits(d, d->code_lengths - 4u, 4);
        make_codes(d);
        d->step = CODE_LENGTHS;
    }
}

static void end_block(struct wry_deflate *d)
{
    memset(d->literal_uses, 0, sizeof d->literal_uses);
    memset(d->far_uses, 0, sizeof d->far_uses);
    d->token_count = d->extra_bits = 0;
    d->block_start = d->at;
    d->step = d->last ? OVER : GATHERING;
    gather(d);
}

static void give_symbol(struct wry_deflate *d, unsigned symbol)
{
    put_bits(d, d->codes[symbol], d->lengths[symbol]);
}

static void give_token(struct wry_deflate *d)
{
    if (d->given == d->token_count) {
        give_symbol(d, END_OF_BLOCK);
        end_block(d);
        return;
    }
    struct wry_deflate_token token = d->tokens[d->given++];
    if (token.length == 0) {
        give_symbol(d, token.distance);
        return;
    }
    struct coded length = code_length(token.length), far = code_distance(token.distance);
    give_symbol(d, length.symbol);
    put_bits(d, length.extra, length.extra_bits);
    give_symbol(d, WRY_DEFLATE_LITERALS + far.symbol);
    put_bits(d, far.extra, far.extra_bits);
}

static void give_run(struct wry_deflate *d)
{
    if (d->given == d->run_count) {
        d->given = 0;
        d->step = TOKENS;
        return;
    }
    unsigned run = d->runs[d->given++], symbol = run & RUN_SYMBOL;
    put_bits(d, d->head_codes[symbol], d->head_lengths[symbol]);
    put_bits(d, run >> RUN_SHIFT, run_bits(symbol));
}

static void give_code_length(struct wry_deflate *d)
{
    put_bits(d, d->head_lengths[code_length_order[d->given++]], 3);
    if (d->given == d->code_lengths) {
        d->given = 0;
        d->step = LENGTHS;
    }
}

static void give_stored(struct wry_deflate *d)
{
    if (d->block_start + d->given == d->at)
        end_block(d);
    else
        put_bits(d, byte_at(d, d->block_start + d->given++), 8);
}

/* Writes the next few bits; false if there are none. */
static bool give(struct wry_deflate *d)
{
    switch ((enum step)d->step) {
    case GATHERING:
        if (!is_full(d) && !(d->finishing && d->at == d->fill))
            return false;
        begin_block(d);
        return true;
    case STORED_BYTES:
        give_stored(d);
        return true;
    case CODE_LENGTHS:
        give_code_length(d);
        return true;
    case LENGTHS:
        give_run(d);
        return true;
    case TOKENS:
        give_token(d);
        return true;
    case OVER:
        break;
    }
    if (d->bit_count == 0)
        return false;
    put_bits(d, 0, 8u - d->bit_count);
    return true;
}

size_t wry_deflate_take(struct wry_deflate *d, uint8_t *to, size_t room)
{
    d->out = to;
    while (room - (size_t)(d->out - to) >= WRY_DEFLATE_TAKE_LEAST && give(d))
        continue;
    return (size_t)(d->out - to);
}

bool wry_deflate_is_over(const struct wry_deflate *d)
{
    return d->step == OVER && d->bit_count == 0;
}
