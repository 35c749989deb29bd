/* Difference streams: made by the packer, taken apart by the rules that a board keeps. */
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "demo/program_like.h"
#include "harness.h"
#include "known.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/difference.h"
#include "wrytograph/flash.h"
#include "wrytograph/message.h"

enum {
    FLASH = 0x400000,
    OFFSET = 0x41000, /* of the content: no block begins here */
    MOST = 0x140000,
};

static uint8_t flash[FLASH], content[MOST], packed[2 * MOST], records[3 * MOST], out[MOST];

struct board {
    uint32_t block, history;
};

static size_t pack_all(const struct wry_packing *packing)
{
    struct pack *pack = pack_new();
    const struct wry_packer *packer = pack_packer(pack);
    struct wry_stream_form form;
    size_t n = 0, given;

    CHECK(packer->begin(packer->context, packing, &form));
    do {
        size_t room = sizeof packed - n < 1777 ? sizeof packed - n : 1777;
        CHECK(packer->give(packer->context, packed + n, room, &given));
        n += given;
    } while (given > 0);
    pack_free(pack);
    return n;
}

static size_t inflate_all(size_t n, int bits)
{
    z_stream z = {
        .next_in = packed, .avail_in = (uInt)n, .next_out = records, .avail_out = sizeof records};

    CHECK_EQUAL(Z_OK, inflateInit2(&z, -bits));
    CHECK_EQUAL(Z_STREAM_END, inflate(&z, Z_FINISH));
    size_t length = z.total_out;
    inflateEnd(&z);
    return length;
}

/* What a board with that memory has of the old content while it puts together what stands at at. */
static bool is_there(const struct board *board, uint32_t length, uint32_t at, uint32_t source)
{
    uint32_t block = at / board->block * board->block;
    uint32_t kept = block > board->history ? block - board->history : 0;

    return source < FLASH && (source < OFFSET || source >= OFFSET + length || source >= kept);
}

static size_t put_together(const struct board *board, uint32_t length, size_t n)
{
    struct wry_difference_reader reader;
    struct wry_difference_piece piece;
    const uint8_t *at = records;
    size_t put = 0;

    wry_difference_init(&reader, OFFSET);
    while (wry_difference_next(&reader, &at, &n, &piece) == WRY_DIFFERENCE_PIECE && n > 0) {
        if (put == length)
            return put + 1;
        if (piece.is_copy && !is_there(board, length, OFFSET + (uint32_t)put, piece.source)) {
            CHECK(!"old content that is lost");
            return put;
        }
        out[put++] = (uint8_t)(*at++ + (piece.is_copy ? flash[piece.source] : 0));
        n--;
        wry_difference_used(&reader, 1);
    }
    return put;
}

/* Packs the content against what is known; returns the stream's length after it has proved right.
 */
static size_t through(const struct board *board, const struct known *known, uint32_t length,
                      uint32_t window)
{
    struct wry_packing packing = {.content = rig_reader(content),
                                  .length = length,
                                  .coding = WRY_CODING_DIFFERENCE,
                                  .window = window,
                                  .offset = OFFSET,
                                  .old_block = board->block,
                                  .old_history = board->history,
                                  .known = &known->known};
    int bits = 0;

    while (1u << bits < window)
        bits++;
    size_t n = pack_all(&packing);
    size_t made = inflate_all(n, bits);
    CHECK_EQUAL(length, put_together(board, length, made));
    CHECK(memcmp(out, content, length) == 0);
    return n;
}

static const struct board boards[] = {{.block = 0x1000, .history = 0x1000},
                                      {.block = 0x10000, .history = 0x4000},
                                      {.block = 0x10000, .history = 0x1000},
                                      {.block = 0x8000, .history = 0x10000}};

/* All of the flash is known, and in the range an older version stands. */
static void know_all(struct known *known)
{
    known_init(known, FLASH);
    known_add(known, 0, flash, FLASH);
    known->guesses = true;
    known->recognitions = 1;
}

static bool every_fifth_is_shared(void *context, uint32_t offset)
{
    (void)context;
    CHECK(offset % WRY_SECTOR_SIZE == 0 && offset >= OFFSET);
    return (offset - OFFSET) / WRY_SECTOR_SIZE % 5 == 2;
}

/* What is known is wrong everywhere: what a board makes of it is wrong, but for those sectors. */
static void shared_sectors_do_not_depend_on_what_is_known(void)
{
    enum { LENGTH = 200 * 1024 + 100 };
    struct known known;

    fill_like_program(flash + OFFSET, LENGTH, 3, 0);
    fill_like_program(content, LENGTH, 3, 1);
    know_all(&known);
    for (size_t i = 0; i < sizeof boards / sizeof boards[0]; i++) {
        struct wry_packing packing = {.content = rig_reader(content),
                                      .length = LENGTH,
                                      .coding = WRY_CODING_DIFFERENCE,
                                      .window = 32768,
                                      .offset = OFFSET,
                                      .old_block = boards[i].block,
                                      .old_history = boards[i].history,
                                      .known = &known.known,
                                      .is_shared = every_fifth_is_shared};
        unsigned wrong = 0;
        size_t made = inflate_all(pack_all(&packing), 15);
        CHECK_EQUAL(LENGTH, put_together(&boards[i], LENGTH, made));
        CHECK(memcmp(out, content, LENGTH) == 0);
        for (size_t k = 0; k < sizeof flash; k++)
            flash[k] ^= 0x5A;
        CHECK_EQUAL(LENGTH, put_together(&boards[i], LENGTH, made));
        for (uint32_t at = 0; at < LENGTH; at++) {
            bool same = out[at] == content[at];
            CHECK(same || !every_fifth_is_shared(NULL, (OFFSET + at) & ~(WRY_SECTOR_SIZE - 1)));
            wrong += !same;
        }
        CHECK(wrong > LENGTH / 2);
        for (size_t k = 0; k < sizeof flash; k++)
            flash[k] ^= 0x5A;
    }
    known_free(&known);
}

static void an_upgrade_is_a_fraction_of_its_size(void)
{
    enum { LENGTH = 900 * 1024 };
    struct known known;

    rig_random(flash, sizeof flash, 1);
    fill_like_program(flash + OFFSET, LENGTH, 2, 0);
    fill_like_program(content, LENGTH, 2, 1);
    know_all(&known);
    for (size_t i = 0; i < sizeof boards / sizeof boards[0]; i++) {
        size_t n = through(&boards[i], &known, LENGTH, i == 0 ? 4096 : 32768);
        check_context("block %u: %zu bytes, %u per thousand", boards[i].block, n,
                      (unsigned)(n * 1000 / LENGTH));
        CHECK(n <= LENGTH * 85 / 1000);
    }
    known_free(&known);
}

/* Pieces of the old content, moved, changed here and there, with new bytes between. */
static uint32_t shuffle(uint64_t seed)
{
    uint64_t random = seed + 1;
    uint32_t length = 1 + (uint32_t)(sim_random(&random) % (seed % 4 == 0 ? MOST : 0x20000));

    for (uint32_t at = 0; at < length;) {
        uint32_t n = 1 + (uint32_t)(sim_random(&random) % 9000), kind = sim_random(&random) % 8;
        uint32_t near = OFFSET + at + (uint32_t)(sim_random(&random) % 40000) - 20000u;
        uint32_t source = kind == 0 ? (uint32_t)(sim_random(&random) % (FLASH - 9000)) : near;
        for (; n > 0 && at < length; n--, at++, source++) {
            bool other = kind == 7 || sim_random(&random) % 1000 < kind * 40;
            content[at] = other ? (uint8_t)sim_random(&random) : flash[source % FLASH];
        }
    }
    memset(content + length, 0xFF, sizeof content - length);
    return (length + WRY_SECTOR_SIZE - 1) / WRY_SECTOR_SIZE * WRY_SECTOR_SIZE;
}

static void whatever_moves_comes_out_right(void)
{
    for (uint64_t seed = 0; seed < 40; seed++) {
        const struct board *board = &boards[seed % 4];
        struct known known;
        rig_random(flash, sizeof flash, seed % 5);
        if (seed % 3 == 0)
            memset(flash + 0x60000, 0xFF, 0x30000);
        known_init(&known, FLASH);
        known.guesses = true;
        known.recognitions = 1;
        /* Holes in what is known, from none to nearly all. */
        for (uint32_t at = 0; at < FLASH; at += WRY_SECTOR_SIZE) {
            if (at * UINT64_C(0x9E3779B9) % 7 >= seed % 7)
                known_add(&known, at, flash + at, WRY_SECTOR_SIZE);
        }
        uint32_t length = shuffle(seed);
        check_context("seed %u, %u bytes", (unsigned)seed, (unsigned)length);
        CHECK(through(board, &known, length, 4096u << seed % 4) > 0);
        known_free(&known);
    }
}

/* The example of docs/protocol.md. */
static void records_are_as_documented(void)
{
    static const uint8_t example[] = {0x06, 0xAA, 0xBB, 0xCC, 0x09, 0x40, 0x00, 0x01, 0x00, 0x00};
    uint8_t head[WRY_DIFFERENCE_HEAD_MAX];
    struct board board = {.block = 0x10000, .history = 0};

    rig_random(flash, sizeof flash, 9);
    memcpy(records, example, sizeof example);
    CHECK_EQUAL(7, put_together(&board, WRY_SECTOR_SIZE, sizeof example));
    CHECK(out[0] == 0xAA && out[2] == 0xCC);
    for (unsigned i = 0; i < 4; i++)
        CHECK_EQUAL((uint8_t)(flash[OFFSET + 3 + 0x20 + i] + (i == 1)), out[3 + i]);
    CHECK_EQUAL(1, wry_difference_put_head(head, false, 3, 0));
    CHECK_EQUAL(0x06, head[0]);
    CHECK_EQUAL(2, wry_difference_put_head(head, true, 4, 0x20));
    CHECK(head[0] == 0x09 && head[1] == 0x40);
}

static void heads_of_records_say_what_they_said(void)
{
    static const int32_t changes[] = {0, 1, -1, 63, -64, 64, 100000, -100000, INT32_MAX, INT32_MIN};
    static const uint32_t lengths[] = {1, 63, 64, 8191, 8192, 0x7FFFFFFF};
    uint8_t head[WRY_DIFFERENCE_HEAD_MAX];

    for (size_t i = 0; i < sizeof changes / sizeof changes[0]; i++) {
        for (size_t j = 0; j < sizeof lengths / sizeof lengths[0]; j++) {
            struct wry_difference_reader reader;
            struct wry_difference_piece piece = {0};
            size_t n = wry_difference_put_head(head, true, lengths[j], changes[i]);
            wry_difference_init(&reader, 1000);
            for (size_t k = 0; k < n; k++) { /* byte by byte */
                const uint8_t *at = head + k;
                size_t left = 1;
                CHECK_EQUAL(k + 1 < n ? WRY_DIFFERENCE_INPUT : WRY_DIFFERENCE_PIECE,
                            wry_difference_next(&reader, &at, &left, &piece));
                CHECK_EQUAL(0, left);
            }
            CHECK(piece.is_copy);
            CHECK_EQUAL(lengths[j], piece.length);
            CHECK_EQUAL(1000 + (uint32_t)changes[i], piece.source);
        }
    }
}

static void what_is_no_record_is_damaged(void)
{
    static const uint8_t empty[] = {0x00}, empty_copy[] = {0x01},
                         wide[] = {0xFF, 0xFF, 0xFF, 0xFF, 0x1F},
                         endless[] = {0x83, 0x80, 0x80, 0x80, 0x80, 0x01},
                         wide_distance[] = {0x03, 0xFF, 0xFF, 0xFF, 0xFF, 0x10};
    static const struct {
        const uint8_t *bytes;
        size_t n;
    } cases[] = {{empty, sizeof empty},
                 {empty_copy, sizeof empty_copy},
                 {wide, sizeof wide},
                 {endless, sizeof endless},
                 {wide_distance, sizeof wide_distance}};

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        struct wry_difference_reader reader;
        struct wry_difference_piece piece;
        const uint8_t *at = cases[i].bytes;
        size_t n = cases[i].n;
        wry_difference_init(&reader, 0);
        check_context("case %zu", i);
        CHECK_EQUAL(WRY_DIFFERENCE_DAMAGED, wry_difference_next(&reader, &at, &n, &piece));
        CHECK_EQUAL(WRY_DIFFERENCE_DAMAGED, wry_difference_next(&reader, &at, &n, &piece));
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(records_are_as_documented),
        FACT(heads_of_records_say_what_they_said),
        FACT(what_is_no_record_is_damaged),
        FACT(shared_sectors_do_not_depend_on_what_is_known),
        FACT(an_upgrade_is_a_fraction_of_its_size),
        FACT(whatever_moves_comes_out_right),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
