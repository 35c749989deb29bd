/* Plans, boot headers and region tables. */
#include <string.h>

#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/message.h"
#include "wrytograph/plan.h"
#include "wrytograph/region_table.h"

static uint8_t content[0x20000];

static struct wry_placement place(uint32_t offset, uint32_t length)
{
    return (struct wry_placement){
        .offset = offset, .length = length, .reader = rig_reader(content)};
}

static void placements_are_sorted_and_an_aligned_one_is_one_run(void)
{
    struct wry_placement items[] = {place(0x8000, 0x2000), place(0x1000, 0x1000)};
    struct wry_plan plan;
    struct wry_fault fault;
    struct wry_span span;
    uint32_t from, to;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, items, 2, 0x100000, &fault));
    CHECK_EQUAL(0x1000, items[0].offset);
    CHECK(wry_plan_next_span(&plan, 0, &span));
    CHECK_EQUAL(0x1000, span.start);
    CHECK_EQUAL(0x2000, span.end);
    CHECK(!wry_plan_gap(&plan, span.start, span.end - span.start, &from, &to));
    CHECK(wry_plan_next_span(&plan, span.end, &span));
    CHECK_EQUAL(0x8000, span.start);
    CHECK_EQUAL(0xA000, span.end);
    CHECK(!wry_plan_next_span(&plan, span.end, &span));
    CHECK_EQUAL(0x3000, wry_plan_total(&plan));
}

static void a_sector_shared_in_part_is_mixed(void)
{
    struct wry_placement items[] = {place(0x1800, 0x2000)};
    struct wry_plan plan;
    struct wry_fault fault;
    struct wry_span span;
    uint32_t from, to;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, items, 1, 0x100000, &fault));
    CHECK(wry_plan_next_span(&plan, 0, &span));
    CHECK_EQUAL(0x1000, span.start);
    CHECK_EQUAL(0x4000, span.end);
    CHECK(wry_plan_gap(&plan, 0x1000, 0x1000, &from, &to));
    CHECK(from == 0x1000 && to == 0x1800);
    CHECK(!wry_plan_gap(&plan, 0x2000, 0x1000, &from, &to));
    CHECK(wry_plan_gap(&plan, 0x3000, 0x1000, &from, &to));
    CHECK(from == 0x3800 && to == 0x4000);
    CHECK_EQUAL(0x800, wry_plan_covered(&plan, 0x1000, 0x1000));
}

static void overlap_names_the_bytes_and_both_placements(void)
{
    struct wry_placement items[] = {place(0x5000, 0x1000), place(0x4000, 0x1800)};
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OVERLAP, wry_plan_init(&plan, items, 2, 0x100000, &fault));
    CHECK_EQUAL(0x5000, fault.offset);
    CHECK_EQUAL(0x800, fault.length);
    CHECK_EQUAL(0, fault.expected);
    CHECK_EQUAL(1, fault.found);
}

static void what_ends_beyond_the_flash_is_refused(void)
{
    static const uint32_t cases[][2] = {
        {0xFF000, 0x1001}, {0x100000, 1}, {0xFFFFF000, 0x2000}, {0x1000, 0}};
    struct wry_plan plan;
    struct wry_fault fault;

    for (size_t i = 0; i < 4; i++) {
        struct wry_placement item = place(cases[i][0], cases[i][1]);
        check_context("case %zu", i);
        CHECK_EQUAL(WRY_BAD_RANGE, wry_plan_init(&plan, &item, 1, 0x100000, &fault));
        CHECK_EQUAL(cases[i][0], fault.offset);
    }
    struct wry_placement last = place(0xFF000, 0x1000);
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &last, 1, 0x100000, &fault));
}

/* The promise of spans: each covered byte is in one, all sectors are covered in part, and a gap
 * holds all that is not covered, and begins and ends with it. */
static void check_runs(const struct wry_plan *plan)
{
    struct wry_span span;
    uint64_t covered = 0;
    uint32_t last_end = 0, start, end;

    for (uint32_t from = 0; wry_plan_next_span(plan, from, &span); from = span.end) {
        CHECK(span.start >= last_end && span.start % WRY_SECTOR_SIZE == 0);
        CHECK(span.end > span.start && span.end <= plan->flash_size);
        last_end = span.end;
        covered += wry_plan_covered(plan, span.start, span.end - span.start);
        for (uint32_t at = span.start; at < span.end; at += WRY_SECTOR_SIZE) {
            uint32_t n = wry_plan_covered(plan, at, WRY_SECTOR_SIZE);
            CHECK(n > 0);
            CHECK_EQUAL(n < WRY_SECTOR_SIZE, wry_plan_gap(plan, at, WRY_SECTOR_SIZE, &start, &end));
            if (n == WRY_SECTOR_SIZE)
                continue;
            CHECK(start >= at && start < end && end <= at + WRY_SECTOR_SIZE);
            CHECK_EQUAL(start - at, wry_plan_covered(plan, at, start - at));
            CHECK_EQUAL(at + WRY_SECTOR_SIZE - end,
                        wry_plan_covered(plan, end, at + WRY_SECTOR_SIZE - end));
            CHECK_EQUAL(0, wry_plan_covered(plan, start, 1) + wry_plan_covered(plan, end - 1, 1));
        }
    }
    CHECK_EQUAL(wry_plan_total(plan), covered);
}

static void runs_cover_random_plans_exactly(void)
{
    struct wry_placement items[12];
    struct wry_plan plan;
    struct wry_fault fault;
    unsigned valid = 0;

    for (uint64_t seed = 0; seed < 500; seed++) {
        uint64_t random = seed;
        uint32_t at = 0;
        size_t count = 1 + sim_random(&random) % 12;
        for (size_t i = 0; i < count; i++) {
            at += (uint32_t)(sim_random(&random) % (seed % 2 ? 300 : 9000));
            items[i] = place(at, 1 + (uint32_t)(sim_random(&random) % 9000));
            at += items[i].length;
        }
        check_context("seed %llu", (unsigned long long)seed);
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, items, count, 0x100000, &fault));
        check_runs(&plan);
        valid++;
    }
    CHECK_EQUAL(500, valid);
}

static void overlay_changes_only_what_is_covered(void)
{
    struct wry_placement items[] = {place(0x1010, 0x20), place(0x1100, 0x10)};
    struct wry_plan plan;
    struct wry_fault fault;
    uint8_t bytes[0x200];

    rig_random(content, sizeof content, 1);
    memset(bytes, 0xAA, sizeof bytes);
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, items, 2, 0x100000, &fault));
    CHECK(wry_plan_overlay(&plan, 0x1000, bytes, sizeof bytes));
    for (uint32_t i = 0; i < sizeof bytes; i++) {
        uint8_t expected = i >= 0x10 && i < 0x30     ? content[i - 0x10]
                           : i >= 0x100 && i < 0x110 ? content[i - 0x100]
                                                     : 0xAA;
        CHECK_EQUAL(expected, bytes[i]);
    }
}

static void a_boot_header_comes_back_as_it_was_put(void)
{
    struct wry_boot_header header = {.chip_code = 0x7402,
                                     .flash_size_log2 = 22,
                                     .read_lines = 2,
                                     .read_clock = 40,
                                     .body_length = 12345,
                                     .version = "tide-gauge 2.3.1"};
    struct wry_boot_header back;
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];

    wry_boot_header_put(bytes, &header);
    CHECK(wry_boot_header_present(bytes));
    CHECK(wry_boot_header_get(&back, bytes));
    CHECK_EQUAL(header.body_length, back.body_length);
    CHECK(strcmp(header.version, back.version) == 0);
    for (size_t i = 0; i < sizeof bytes; i++) {
        bytes[i] ^= 0x10;
        check_context("byte %zu", i);
        CHECK(!wry_boot_header_get(&back, bytes));
        bytes[i] ^= 0x10;
    }
}

static void a_region_table_comes_back_as_it_was_put(void)
{
    struct wry_region_table table = {.flash_size = 0x400000, .count = 2};
    struct wry_region_table back;
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];

    table.regions[0] =
        (struct wry_region){.name = "start", .kind = 1, .offset = 0x4000, .length = 0xA000};
    table.regions[1] = (struct wry_region){
        .name = "sixteen-letters_", .kind = 3, .offset = 0x40000, .length = 0x1000};
    size_t n = wry_region_table_put(bytes, &table);
    CHECK_EQUAL(WRY_REGION_TABLE_SIZE(2), n);
    CHECK(wry_region_table_get(&back, bytes, n));
    CHECK_EQUAL(2, back.count);
    CHECK_EQUAL(0x400000, back.flash_size);
    CHECK(strcmp("sixteen-letters_", back.regions[1].name) == 0);
    CHECK_EQUAL(0x40000, back.regions[1].offset);
    CHECK(!wry_region_table_get(&back, bytes, n - 1));
    for (size_t i = 0; i < n; i++) {
        bytes[i] ^= 0x01;
        check_context("byte %zu", i);
        CHECK(!wry_region_table_get(&back, bytes, n));
        bytes[i] ^= 0x01;
    }
}

static void a_region_table_with_unfit_fields_is_refused(void)
{
    struct wry_region_table table = {.count = 1}, back;
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];

    table.regions[0] =
        (struct wry_region){.name = "ok", .kind = 1, .offset = 0x4100, .length = 0x1000};
    CHECK(!wry_region_table_get(&back, bytes, wry_region_table_put(bytes, &table)));
    table.regions[0].offset = 0x4000;
    CHECK(wry_region_table_get(&back, bytes, wry_region_table_put(bytes, &table)));
    strcpy(table.regions[0].name, "no good");
    CHECK(!wry_region_table_get(&back, bytes, wry_region_table_put(bytes, &table)));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(placements_are_sorted_and_an_aligned_one_is_one_run),
        FACT(a_sector_shared_in_part_is_mixed),
        FACT(overlap_names_the_bytes_and_both_placements),
        FACT(what_ends_beyond_the_flash_is_refused),
        FACT(runs_cover_random_plans_exactly),
        FACT(overlay_changes_only_what_is_covered),
        FACT(a_boot_header_comes_back_as_it_was_put),
        FACT(a_region_table_comes_back_as_it_was_put),
        FACT(a_region_table_with_unfit_fields_is_refused),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
