/*
 * The way that a write chooses beside other ways, in simulated time: without guesses about old
 * content, with every sector written, only those that differ, as pages, and as a deflate stream.
 *
 * usage: perf_ways                   pairs of versions of the demo's programs, and odd pairs
 *        perf_ways OLD NEW           a pair of files
 *        perf_ways --bytes OLD NEW   only how many bytes the chosen way takes at 115200 baud
 *        perf_ways --files DIR       writes all pairs as files
 *
 * Bytes are those of content on the line. The last columns are the chosen way's time divided by
 * that of a look, and by the best other one's.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "tests/ways.h"
#include "wrytograph/chip.h"

enum {
    MOST = 0x180000,
    OFFSET = 0x40000,
    ODD = 384 * 1024, /* bytes of the pairs that are no versions of one program */
};

static const char *const way_names[] = {"chosen", "no guess", "every", "look", "pages", "deflate"};

static uint8_t old[MOST], content[MOST];

struct pair {
    const char *name;
    uint32_t old_length, length; /* bytes */
    unsigned latency;            /* ms */
};

static struct ways_result write_once(const struct pair *pair, uint16_t chip, uint32_t baud,
                                     enum way way)
{
    struct ways_case one = {.offset = OFFSET,
                            .before = old,
                            .before_length = pair->old_length,
                            .after = content,
                            .length = pair->length,
                            .chip = chip,
                            .baud = baud,
                            .latency_ms = pair->latency};
    struct ways_result result = ways_write(&one, way);

    if (!result.written) {
        fprintf(stderr, "perf_ways: a write failed\n");
        exit(1);
    }
    return result;
}

/* Returns the ratio of the chosen way. */
static double compare(const struct pair *pair, uint16_t chip, const char *chip_name, uint32_t baud)
{
    struct ways_result results[WAYS];
    double best = 1e9;

    for (enum way way = WAY_CHOSEN; way < WAYS; way++) {
        results[way] = write_once(pair, chip, baud, way);
        if (way != WAY_LOOK && results[way].seconds < best)
            best = results[way].seconds;
    }
    double ratio = results[WAY_CHOSEN].seconds / best;
    printf("%-12s %4u ms %-13s %8u %8u", pair->name, pair->latency, chip_name, (unsigned)baud,
           results[WAY_CHOSEN].bytes);
    for (enum way way = WAY_CHOSEN; way < WAYS; way++)
        printf(" %8.3f s", results[way].seconds);
    printf("  %.3f  %.3f\n", results[WAY_CHOSEN].seconds / results[WAY_LOOK].seconds, ratio);
    return ratio;
}

static const struct {
    const char *name;
    uint16_t code;
    uint32_t top;
} chips[] = {{"Sanderling S1", WRY_CHIP_SANDERLING_S1, 921600},
             {"Turnstone T2", WRY_CHIP_TURNSTONE_T2, 2000000},
             {"Dunlin D3", WRY_CHIP_DUNLIN_D3, 2000000}};

static double compare_all(const struct pair *pair)
{
    static const uint32_t speeds[] = {57600, 115200, 230400, 460800, 921600, 2000000};
    double worst = 0;

    for (size_t c = 0; c < sizeof chips / sizeof chips[0]; c++) {
        for (size_t s = 0; s < sizeof speeds / sizeof speeds[0]; s++) {
            if (speeds[s] > chips[c].top)
                continue;
            double ratio = compare(pair, chips[c].code, chips[c].name, speeds[s]);
            worst = ratio > worst ? ratio : worst;
        }
    }
    return worst;
}

static void print_bytes(const struct pair *pair)
{
    for (size_t c = 0; c < sizeof chips / sizeof chips[0]; c++)
        printf("%s: %u\n", chips[c].name,
               write_once(pair, chips[c].code, 115200, WAY_CHOSEN).bytes);
}

static uint32_t load(const char *path, uint8_t *to)
{
    FILE *file = fopen(path, "rb");

    if (!file) {
        perror(path);
        exit(1);
    }
    size_t n = fread(to, 1, MOST, file);
    fclose(file);
    return (uint32_t)n;
}

/* Pairs of versions of the demo's programs. */
static const struct {
    const char *name;
    uint32_t old_length, length;
    unsigned latency;
    struct program_like before, after;
} demos[] = {
    {"one later", 900 * 1024, 900 * 1024, 2, {.seed = 2}, {.seed = 2, .version = 1}},
    {"grown", 860 * 1024, 900 * 1024, 2, {.seed = 2, .version = 2}, {.seed = 2, .version = 5}},
    {"grown", 860 * 1024, 900 * 1024, 100, {.seed = 2, .version = 2}, {.seed = 2, .version = 5}},
    {"shrunk", 900 * 1024, 850 * 1024, 16, {.seed = 3, .version = 4}, {.seed = 3, .version = 2}},
    {"recompiled", 600 * 1024, 610 * 1024, 2, {.seed = 4}, {.seed = 4, .compiler = 1}},
    /* The end shares its sector with other content. */
    {"odd end", 500 * 1024, 500 * 1024 - 700, 2, {.seed = 6}, {.seed = 6, .version = 3}},
    {"small", 60 * 1024, 60 * 1024, 16, {.seed = 7}, {.seed = 7, .version = 2}},
    {"same", 300 * 1024, 300 * 1024, 2, {.seed = 5}, {.seed = 5}},
    {"to blank", 0, 900 * 1024, 2, {.seed = 2}, {.seed = 2}},
};

static void make_pair(size_t i)
{
    if (demos[i].old_length > 0)
        fill_like_program_of(old, demos[i].old_length, &demos[i].before);
    fill_like_program_of(content, demos[i].length, &demos[i].after);
}

static void save(const char *folder, const char *name, const char *kind, const uint8_t *bytes,
                 uint32_t length)
{
    char path[4096];

    snprintf(path, sizeof path, "%s/%s.%s", folder, name, kind);
    FILE *file = fopen(path, "wb");
    if (!file || fwrite(bytes, 1, length, file) != length || fclose(file) != 0) {
        perror(path);
        exit(1);
    }
}

static void save_pairs(const char *folder)
{
    for (size_t i = 0; i < sizeof demos / sizeof demos[0]; i++) {
        make_pair(i);
        save(folder, demos[i].name, "old", old, demos[i].old_length);
        save(folder, demos[i].name, "new", content, demos[i].length);
    }
    for (size_t i = 0; i < odd_pair_count; i++) {
        odd_pairs[i].make(old, content, ODD);
        save(folder, odd_pairs[i].name, "old", old, ODD);
        save(folder, odd_pairs[i].name, "new", content, ODD);
    }
}

static struct pair load_pair(char **paths)
{
    struct pair pair = {.name = "files", .latency = 2};

    pair.old_length = load(paths[0], old);
    pair.length = load(paths[1], content);
    return pair;
}

int main(int argc, char **argv)
{
    double worst = 0;

    if (argc == 3 && strcmp(argv[1], "--files") == 0) {
        save_pairs(argv[2]);
        return 0;
    }
    if (argc == 4 && strcmp(argv[1], "--bytes") == 0) {
        struct pair pair = load_pair(argv + 2);
        print_bytes(&pair);
        return 0;
    }

    printf("Ways to write\n\n%-12s %7s %-13s %8s %8s", "pair", "latency", "chip", "baud", "bytes");
    for (enum way way = WAY_CHOSEN; way < WAYS; way++)
        printf(" %10s", way_names[way]);
    printf("  (look)  ratio\n");
    if (argc == 3) {
        struct pair pair = load_pair(argv + 1);
        worst = compare_all(&pair);
    }
    for (size_t i = 0; argc != 3 && i < sizeof demos / sizeof demos[0]; i++) {
        struct pair pair = {demos[i].name, demos[i].old_length, demos[i].length, demos[i].latency};
        make_pair(i);
        double ratio = compare_all(&pair);
        worst = ratio > worst ? ratio : worst;
    }
    for (size_t i = 0; argc != 3 && i < odd_pair_count; i++) {
        struct pair pair = {odd_pairs[i].name, ODD, ODD, 2};
        odd_pairs[i].make(old, content, ODD);
        double ratio = compare_all(&pair);
        worst = ratio > worst ? ratio : worst;
    }
    printf("\n%-68s  %.3f\n", "worst", worst);
    return 0;
}
