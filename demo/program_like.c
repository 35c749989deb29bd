/* Made-up programs, version by version. */
#include "program_like.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

enum {
    FUNCTIONS_MOST = 8192,
    TEXTS_MOST = 4096,
    WORDS_LEAST = 12, /* instructions of a function */
    WORDS_SPREAD = 130,
    PERMILLE_CHANGED = 12, /* functions, from version to version */
    PERMILLE_NEW = 6,
    PERMILLE_TEXTS = 10,
    TEXT_SHARE = 9,       /* one byte of so many is text or table */
    FUNCTION_BYTES = 360, /* more than one takes, as a rule */
    TEXT_BYTES = 40,
};

#define CODE_BASE 0x40080000u
#define TEXT_BASE 0x3F400000u

static uint64_t next_random(uint64_t *state)
{
    uint64_t z = *state += UINT64_C(0x9E3779B97F4A7C15);

    z = (z ^ z >> 30) * UINT64_C(0xBF58476D1CE4E5B9);
    z = (z ^ z >> 27) * UINT64_C(0x94D049BB133111EB);
    return z ^ z >> 31;
}

/* A random number that depends on what it is for, and on nothing else. */
static uint64_t chance(uint64_t seed, uint64_t a, uint64_t b, uint64_t c)
{
    uint64_t state = seed ^ a * UINT64_C(0xD6E8FEB86659FD93) ^ b << 40 ^ c << 20;

    next_random(&state);
    return next_random(&state);
}

/* Small numbers are the usual ones. */
static uint32_t skewed(uint64_t r, uint32_t most)
{
    uint32_t a = (uint32_t)(r & 0xFFFF) % most, b = (uint32_t)(r >> 16 & 0xFFFF) % most;
    uint32_t c = (uint32_t)(r >> 32 & 0xFFFF) % most;

    a = a < b ? a : b;
    return a < c ? a : c;
}

struct function {
    uint32_t id, changes; /* how often it was rewritten so far */
    uint32_t words, at;
};

struct program {
    uint64_t seed;
    unsigned version, compiler;
    struct function *functions;
    uint32_t count;
    uint32_t *text_at;
    uint32_t texts;
    uint32_t named_functions, named_texts; /* that others refer to: as many in all versions */
};

static bool happens(const struct program *p, uint32_t id, unsigned version, unsigned what,
                    unsigned permille)
{
    return chance(p->seed, id, version, what) % 1000 < permille;
}

/* Functions of this version in order, with those that came in behind them. */
static void choose_functions(struct program *p, size_t code_bytes)
{
    size_t bytes = 0;

    for (uint32_t id = 0; bytes < code_bytes && p->count < FUNCTIONS_MOST; id++) {
        uint32_t changes = 0;
        bool there = chance(p->seed, id, 0, 1) % 1000 >= PERMILLE_NEW * 8u;
        for (unsigned v = 1; v <= p->version; v++) {
            changes += happens(p, id, v, 2, PERMILLE_CHANGED);
            there = there ? !happens(p, id, v, 3, PERMILLE_NEW / 2)
                          : happens(p, id, v, 4, PERMILLE_NEW * 8);
        }
        if (!there)
            continue;
        uint32_t words = WORDS_LEAST + skewed(chance(p->seed, id, 0, 5), WORDS_SPREAD) * 2;
        for (uint32_t i = 1; i <= changes; i++)
            words += (uint32_t)(chance(p->seed, id, i, 6) % 7);
        p->functions[p->count++] =
            (struct function){.id = id, .changes = changes, .words = words, .at = (uint32_t)bytes};
        bytes += (size_t)words * 4;
    }
}

static const char *const syllables[] = {"tide",  "gauge ", "harbour ",  "level ", "time",   "out ",
                                        "of ",   "range",  ": ",        "%d",     "sensor", " not ",
                                        "ready", "\n",     "pressure ", "clock "};

static uint32_t put_text(const struct program *p, uint32_t text, uint32_t changes, char to[128])
{
    uint64_t random = chance(p->seed, text, changes, 7);
    uint32_t n = 0, parts = 2 + (uint32_t)(next_random(&random) % 6);

    for (uint32_t i = 0; i < parts; i++) {
        const char *part = syllables[next_random(&random) % 16];
        size_t length = strlen(part);
        memcpy(to + n, part, length);
        n += (uint32_t)length;
    }
    do {
        to[n++] = '\0';
    } while (n % 4 != 0);
    return n;
}

static uint32_t text_changes(const struct program *p, uint32_t text)
{
    uint32_t changes = 0;

    for (unsigned v = 1; v <= p->version; v++)
        changes += happens(p, text, v, 8, PERMILLE_TEXTS);
    return changes;
}

static void put_word(uint8_t *to, size_t n, size_t at, uint32_t word)
{
    for (size_t i = 0; i < 4 && at + i < n; i++)
        to[at + i] = (uint8_t)(word >> 8 * i);
}

/* Where a function is, or the one before it where it is gone. */
static uint32_t address_of(const struct program *p, uint32_t id)
{
    uint32_t low = 0, high = p->count;

    while (high - low > 1) {
        uint32_t middle = low + (high - low) / 2;
        if (p->functions[middle].id <= id)
            low = middle;
        else
            high = middle;
    }
    return p->functions[low].at;
}

/* RISC-V's JAL spreads the bits of its distance. */
static uint32_t jal(uint32_t distance)
{
    return 0x6Fu | 1u << 7 | (distance & 0xFF000) | (distance >> 11 & 1) << 20 |
           (distance >> 1 & 0x3FF) << 21 | (distance >> 20 & 1) << 31;
}

static uint32_t call(const struct program *p, uint64_t r, uint32_t here)
{
    uint32_t id = (uint32_t)(r >> 16) % p->named_functions;

    if (r % 3 == 0)
        id %= 48; /* the ones that all call */
    return jal(address_of(p, id) - here);
}

/* One instruction, by where it stands in the source; text and calls by address and distance. */
static uint32_t instruction(const struct program *p, uint64_t r, uint32_t here)
{
    uint32_t kind = (uint32_t)(r % 100), a = skewed(r >> 8, 16), b = skewed(r >> 20, 16);

    /* Another compiler often chooses otherwise. */
    if (p->compiler > 0 && (r >> 12) % 3 == 0) {
        a ^= p->compiler;
        b ^= p->compiler << 1;
    }

    if (kind < 9)
        return call(p, r >> 8, here);
    if (kind < 11)
        return 0x37u | a << 7 | ((TEXT_BASE + p->text_at[(r >> 32) % p->named_texts]) & ~0xFFFu);
    if (kind < 15)
        return 0x13u | a << 7 | a << 15 | p->text_at[(r >> 32) % p->named_texts] << 20;
    if (kind < 32)
        return 0x63u | b << 15 | skewed(r >> 30, 24) << 9;
    if (kind < 57)
        return 0x03u | 2u << 12 | a << 7 | 2u << 15 | skewed(r >> 30, 28) << 22;
    if (kind < 77)
        return 0x23u | 2u << 12 | a << 20 | 2u << 15 | skewed(r >> 30, 28) << 9;
    return 0x33u | a << 7 | b << 15 | skewed(r >> 40, 16) << 20 | skewed(r >> 50, 4) << 12;
}

/*
 * The words of a function. In a changed function some words are new, and the rest is kept. All
 * share common beginnings and ends, and idioms that occur in many functions.
 */
static void put_function(const struct program *p, const struct function *f, uint8_t *to, size_t n)
{
    uint32_t base = f->words;

    for (uint32_t i = 1; i <= f->changes; i++)
        base -= (uint32_t)(chance(p->seed, f->id, i, 6) % 7);
    uint32_t changed_at = (uint32_t)(chance(p->seed, f->id, 0, 9) % base);
    for (uint32_t i = 0; i < f->words; i++) {
        uint32_t here = f->at + i * 4, added = f->words - base;
        bool is_new = i >= changed_at && i < changed_at + added;
        uint32_t line = i < changed_at ? i : is_new ? i : i - added;
        uint64_t r = chance(p->seed, f->id, line, is_new ? 100 + f->changes : 10);
        uint64_t idiom = chance(p->seed, f->id, line / 6, 11);
        if (!is_new && idiom % 100 < 24)
            r = chance(p->seed, skewed(idiom >> 8, 160), line % 6, 12);
        uint32_t word = instruction(p, r, here);
        if (i < 3)
            word = 0x00812423u + (i << 25) + (f->words / 40 << 20);
        if (i + 2 >= f->words)
            word = i + 1 == f->words ? 0x00008067u : 0x01010113u + (f->words / 40 << 24);
        put_word(to, n, here, word);
    }
}

void fill_like_program_of(uint8_t *to, size_t n, const struct program_like *program)
{
    struct program p = {.seed = program->seed,
                        .version = program->version,
                        .compiler = program->compiler,
                        .functions = calloc(FUNCTIONS_MOST, sizeof *p.functions),
                        .text_at = calloc(TEXTS_MOST, sizeof *p.text_at)};
    size_t text_bytes = n / TEXT_SHARE, at = 0;
    char text[128];

    if (!p.functions || !p.text_at)
        abort();
    memset(to, 0xFF, n);
    while (at + sizeof text < text_bytes && p.texts < TEXTS_MOST) {
        p.text_at[p.texts] = (uint32_t)at;
        uint32_t length = put_text(&p, p.texts, text_changes(&p, p.texts), text);
        memcpy(to + at, text, length);
        at += length;
        p.texts++;
    }
    /* A table of addresses: of functions, once they have their places. */
    size_t table = at, entries = (n / 40) / 4, code = table + entries * 4;
    choose_functions(&p, n - code);
    p.named_functions = (uint32_t)(n / FUNCTION_BYTES);
    p.named_texts = (uint32_t)(text_bytes / TEXT_BYTES);
    for (size_t i = 0; i < entries; i++)
        put_word(to, n, table + i * 4,
                 CODE_BASE +
                     address_of(&p, (uint32_t)(chance(p.seed, i, 0, 13) % p.named_functions)));
    for (uint32_t i = 0; i < p.count; i++)
        put_function(&p, &p.functions[i], to + code, n - code);
    free(p.functions);
    free(p.text_at);
}

void fill_like_program(uint8_t *to, size_t n, uint64_t seed, unsigned version)
{
    fill_like_program_of(to, n, &(struct program_like){.seed = seed, .version = version});
}
