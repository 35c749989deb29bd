#include "ways.h"

#include <string.h>

#include "demo/program_like.h"
#include "rig.h"
#include "sim/random.h"

enum {
    SECTOR = 4096,
};

static void programs(uint8_t *before, uint8_t *after, size_t n)
{
    fill_like_program(before, n, 21, 0);
    fill_like_program(after, n, 21, 4);
}

static void blank(uint8_t *content, size_t n, unsigned from, unsigned percent)
{
    memset(content + n / 100 * from, 0xFF, n / 100 * percent);
}

static void gap_in_the_new(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memcpy(after, before, n / 100 * 30);
    blank(after, n, 30, 25);
}

static void gap_in_the_old(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    blank(before, n, 30, 25);
}

static void gap_in_both(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    blank(before, n, 30, 25);
    blank(after, n, 30, 25);
}

static void mostly_gap(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    blank(before, n, 24, 48);
    blank(after, n, 14, 58);
}

static void write_text(uint8_t *to, size_t n, uint64_t seed)
{
    uint64_t words = 3; /* the same few thousand words in every text */
    char list[2048][12];

    for (size_t i = 0; i < 2048; i++) {
        size_t length = 2 + sim_random(&words) % 8;
        for (size_t j = 0; j < length; j++)
            list[i][j] = (char)('a' + sim_random(&words) % 26);
        list[i][length] = ' ';
        list[i][length + 1] = '\0';
    }
    for (size_t at = 0; at < n;) {
        const char *word = list[sim_random(&seed) % 2048];
        for (; *word != '\0' && at < n; word++)
            to[at++] = (uint8_t)*word;
    }
}

static void text_half_new(uint8_t *before, uint8_t *after, size_t n)
{
    write_text(before, n, 5);
    memcpy(after, before, n / 2);
    write_text(after + n / 2, n - n / 2, 6);
}

static void some_sectors_new(uint8_t *before, uint8_t *after, size_t n, unsigned of, unsigned first)
{
    programs(before, after, n);
    for (size_t at = 0; at < n; at += SECTOR) {
        if (at / SECTOR % of != first)
            memcpy(after + at, before + at, SECTOR);
    }
}

static void every_second_sector_new(uint8_t *before, uint8_t *after, size_t n)
{
    some_sectors_new(before, after, n, 2, 1);
}

static void every_fourth_sector_new(uint8_t *before, uint8_t *after, size_t n)
{
    some_sectors_new(before, after, n, 4, 0);
}

static void every_tenth_sector_new(uint8_t *before, uint8_t *after, size_t n)
{
    some_sectors_new(before, after, n, 10, 3);
}

static void byte_of_each_sector_new(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memcpy(after, before, n);
    for (size_t at = 17; at < n; at += SECTOR)
        after[at] ^= 0x55;
}

static void moved_by_a_byte(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    after[0] = 'X';
    memcpy(after + 1, before, n - 1);
}

static void halves_exchanged(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memcpy(after, before + n / 2, n / 2);
    memcpy(after + n / 2, before, n / 2);
}

static void half_erased(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memcpy(after, before, n);
    blank(after, n, 50, 50);
}

/* A write that was cut: over the old program, and over blank flash. */
static void cut(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memcpy(before, after, n / SECTOR / 5 * SECTOR);
}

static void cut_over_blank(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memcpy(before, after, n);
    memset(before + n / SECTOR / 6 * SECTOR + 700, 0xFF, n - n / SECTOR / 6 * SECTOR - 700);
}

static void zeros(uint8_t *before, uint8_t *after, size_t n)
{
    programs(before, after, n);
    memset(after, 0, n / 3);
}

static void noise(uint8_t *before, uint8_t *after, size_t n)
{
    rig_random(before, n, 7);
    rig_random(after, n, 8);
}

const struct odd_pair odd_pairs[] = {
    {"gap, new", gap_in_the_new, 0},
    {"gap, old", gap_in_the_old, 0},
    {"gap, both", gap_in_both, 0},
    {"mostly gap", mostly_gap, 0},
    /* Virtual time leaves out how long the computer would take to pack the rest anew. */
    {"half erased", half_erased, 25},
    {"text", text_half_new, 0},
    {"each 2nd", every_second_sector_new, 0},
    {"each 4th", every_fourth_sector_new, 0},
    {"each 10th", every_tenth_sector_new, 0},
    {"byte each", byte_of_each_sector_new, 0},
    {"moved", moved_by_a_byte, 0},
    {"exchanged", halves_exchanged, 0},
    {"cut", cut, 0},
    {"cut, blank", cut_over_blank, 0},
    {"zeros", zeros, 0},
    {"noise", noise, 0},
};

const size_t odd_pair_count = sizeof odd_pairs / sizeof odd_pairs[0];
