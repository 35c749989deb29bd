/* Flash parts of other kinds than the usual one, and in whatever state they were left. */
#include <string.h>

#include "harness.h"
#include "rig.h"

enum { LENGTH = 0x19000 + 300 };

static uint8_t content[LENGTH];

static struct wry_placement place(uint32_t offset)
{
    return (struct wry_placement){
        .offset = offset, .length = sizeof content, .reader = rig_reader(content)};
}

static enum wry_status write_at(struct rig *rig, uint32_t offset)
{
    struct wry_placement item = place(offset);
    struct wry_fault fault;
    struct wry_plan plan;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    return wry_session_write(&rig->session, &plan);
}

static struct rig *begin(uint64_t seed, uint32_t size)
{
    rig_random(content, sizeof content, seed + 5);
    return rig_new(
        &(struct rig_setup){.seed = seed, .chip_code = WRY_CHIP_DUNLIN_D3, .flash_size = size});
}

/* Every kind of part in every size: whatever it lacks is replaced, what it has is made use of. */
static void what_a_part_lacks_is_replaced(void)
{
    static const uint32_t sizes[] = {0x200000, 0x1000000, 0x2000000};
    unsigned kinds = 0;

    for (unsigned i = 0; i < 3 * 16; i++) {
        uint32_t size = sizes[i % 3];
        struct sim_nor_part part = {.sfdp = (i / 3 & 1) != 0,
                                    .lacks_32k = (i / 3 & 2) != 0,
                                    .lacks_64k = (i / 3 & 4) != 0,
                                    .by_mode = (i / 3 & 8) != 0};
        /* Nothing but SFDP tells of the mode. */
        if (part.by_mode && (!part.sfdp || size <= 0x1000000))
            continue;
        struct rig *rig = begin(i, size);
        struct wry_placement item = place(size - 0x30000 + 123);
        check_context("part %u", i);
        rig->board.die.part = part;
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(size, wry_session_board(&rig->session)->capacity);
        CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
        CHECK(rig_holds(rig, &item, 1));
        /* 26 sectors: one unit of 64 KiB, one of 32, two sectors; or more of the smaller ones.
         * Where nothing names the units, larger ones are used only far from what stands beside. */
        uint64_t erased = rig->board.die.erased_bytes;
        CHECK(erased == 0x1A000);
        uint64_t erases = rig->board.die.operations - rig->board.die.programmed_pages;
        CHECK_EQUAL(!part.sfdp       ? 26
                    : part.lacks_64k ? part.lacks_32k ? 26 : 5
                    : part.lacks_32k ? 11
                                     : 4,
                    erases);
        rig_free(rig);
        kinds++;
    }
    CHECK(kinds > 25);
}

/* Flash as it is built, and what is to come of it: WRY_OK, a refusal, or a failure. */
struct geometry {
    const char *name;
    uint32_t size; /* 0: 4 MiB */
    enum wry_status status;
    enum wry_flash_limit limit;
    struct sim_nor_part part;
};

static const struct geometry geometries[] = {
    {.name = "usual", .part = {.sfdp = true}},
    {.name = "4 and 256 KiB", .part = {.sfdp = true, .lacks_32k = true, .large_log2 = 18}},
    {.name = "4 and 128 KiB", .part = {.sfdp = true, .large_log2 = 17}},
    {.name = "4 and 256 KiB, 32 MiB",
     .size = 0x2000000,
     .part = {.sfdp = true, .large_log2 = 18, .by_mode = true}},
    {.name = "4 and 256 KiB, without a table", .part = {.large_log2 = 18}},
    {.name = "4 and 256 KiB, not named",
     .part = {.sfdp = true, .no_types = true, .large_log2 = 18}},
    {.name = "two dies", .size = 0x2000000, .part = {.sfdp = true, .die_size = 0x1000000}},
    {.name = "four small dies", .part = {.sfdp = true, .die_size = 0x100000}},
    {.name = "pages programmed once", .part = {.sfdp = true, .once = true}},
    {.name = "flag status", .part = {.sfdp = true, .by_flag = true}},
    {.name = "two status registers", .part = {.sfdp = true, .two_registers = true}},
    {.name = "256 KiB alone",
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_COARSE,
     .part = {.sfdp = true, .lacks_4k = true, .lacks_32k = true, .large_log2 = 18}},
    {.name = "256 KiB alone, 32 MiB",
     .size = 0x2000000,
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_COARSE,
     .part = {.sfdp = true, .lacks_4k = true, .lacks_32k = true, .large_log2 = 18}},
    {.name = "64 KiB alone",
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_COARSE,
     .part = {.sfdp = true, .lacks_4k = true, .lacks_32k = true}},
    {.name = "not named, without sectors",
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_COARSE,
     .part = {.sfdp = true, .no_types = true, .lacks_4k = true, .large_log2 = 18}},
    {.name = "sectors at the start only",
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_MIXED,
     .part = {.sfdp = true, .fine_end = 0x20000, .large_log2 = 18}},
    {.name = "sectors at the start only, 32 MiB",
     .size = 0x2000000,
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_MIXED,
     .part = {.sfdp = true, .fine_end = 0x20000, .large_log2 = 18}},
    {.name = "pages of 64",
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_SHORT_PAGES,
     .part = {.sfdp = true, .page = 64}},
    {.name = "one command for two units",
     .status = WRY_FLASH_LIMITED,
     .limit = WRY_FLASH_UNCLEAR,
     .part = {.sfdp = true, .clashes = true}},
    {.name = "256 KiB alone, without a table",
     .status = WRY_FLASH_FAILED,
     .part = {.lacks_4k = true, .lacks_32k = true, .large_log2 = 18}},
    {.name = "sectors at the start only, without a table",
     .status = WRY_FLASH_FAILED,
     .part = {.fine_end = 0x20000, .large_log2 = 18}},
};

static bool holds_outside(const struct rig *rig, uint32_t offset, uint32_t length)
{
    uint32_t end = offset + length;

    return memcmp(rig->before, rig->flash, offset) == 0 &&
           memcmp(rig->before + end, rig->flash + end, rig->flash_size - end) == 0;
}

/* Every byte outside what was asked for stays, whatever the part erases at once. */
static void no_geometry_is_guessed(void)
{
    static const uint32_t offsets[] = {0x50000, 0x50123, 0xFF0FF, 0x1C7F01};

    for (size_t g = 0; g < sizeof geometries / sizeof geometries[0]; g++) {
        const struct geometry *geometry = &geometries[g];
        /* Content, and what an erase writes; the first offset is that of a block of 64 KiB. */
        for (unsigned i = 0; i < 2 * sizeof offsets / sizeof offsets[0]; i++) {
            struct rig *rig = begin(i, geometry->size > 0 ? geometry->size : 0x400000);
            uint32_t offset = offsets[i / 2] + (geometry->size > 0 ? 0xE80000 : 0);
            check_context("%s, case %u", geometry->name, i);
            rig->board.die.part = geometry->part;
            if (i % 2 == 1)
                memset(content, 0xFF, sizeof content);
            CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
            CHECK_EQUAL(geometry->limit, wry_session_board(&rig->session)->flash_limit);
            CHECK_EQUAL(geometry->status, write_at(rig, offset));
            CHECK(holds_outside(rig, offset, sizeof content));
            if (geometry->status == WRY_OK)
                CHECK(memcmp(rig->flash + offset, content, sizeof content) == 0);
            else if (geometry->limit != WRY_FLASH_FULL)
                CHECK(memcmp(rig->before, rig->flash, rig->flash_size) == 0);
            rig_free(rig);
        }
    }
}

/* The chip starts from four data lines only with a bit that stands in the second register. */
static void the_second_status_register_stays(void)
{
    for (unsigned i = 0; i < 2; i++) {
        struct rig *rig = begin(i, 0x400000);
        struct sim_nor_die *die = &rig->board.die;
        check_context("%s table", i == 0 ? "with" : "without");
        die->part.two_registers = true;
        die->part.sfdp = i == 0;
        die->status = 3 << 2;
        die->second = 0x02;
        rig->config.clear_protection = true;
        rig_new_session(rig, 77);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, write_at(rig, 0x3C0123));
        CHECK_EQUAL(0, die->status & 0x7C);
        CHECK_EQUAL(0x02, die->second);
        rig_free(rig);
    }
}

/* A part of another size than its ID has it: SFDP is what counts. */
static void the_table_tells_the_size(void)
{
    struct rig *rig = begin(3, 0x2000000);
    struct wry_placement item = place(0x1200123);

    rig->board.die.jedec[2] = 0x15;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(0x15, wry_session_board(&rig->session)->jedec[2]);
    CHECK_EQUAL(0x2000000, wry_session_board(&rig->session)->capacity);
    CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
    CHECK(rig_holds(rig, &item, 1));
    rig_free(rig);
}

/* A table that tells of no erase unit, as damaged ones do: the usual ones are tried. */
static void a_table_without_units_is_no_part_without_units(void)
{
    for (unsigned i = 0; i < 2; i++) {
        struct rig *rig = begin(i, i == 0 ? 0x400000 : 0x2000000);
        struct wry_placement item = place(0x200123);
        check_context("case %u", i);
        rig->board.die.part.no_types = true;
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
        CHECK(rig_holds(rig, &item, 1));
        rig_free(rig);
    }
}

/* Whatever ran before: asleep, in mid-erase, with four address bytes, or all of that. */
static void a_part_is_taken_as_it_was_left(void)
{
    for (unsigned left = 0; left < 24; left++) {
        struct rig *rig = begin(left, left & 4 ? 0x2000000 : 0x400000);
        struct wry_placement item = place(0x40123);
        struct sim_nor_die *die = &rig->board.die;
        check_context("left %u", left);
        die->part.by_mode = die->long_mode = (left & 4) != 0;
        die->asleep = left & 1;
        die->left = (uint8_t)(left / 8); /* enum sim_nor_left */
        if (left & 2) {
            die->pending_length = 0x1000; /* of a sector that nothing is checked in */
            die->pending_offset = 0x100000;
            memset(rig->flash + 0x100000, 0xFF, 0x1000);
            memset(rig->before + 0x100000, 0xFF, 0x1000);
            die->busy_until = UINT64_C(300000000);
        }
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
        CHECK(rig_holds(rig, &item, 1));
        /* The firmware finds it as the chip wants it: three address bytes. */
        CHECK_EQUAL(WRY_OK, wry_session_start(&rig->session));
        CHECK(!die->long_mode);
        rig_free(rig);
    }
}

static unsigned awaited;

static bool count_awaited(void *context, const struct wry_session_progress *progress)
{
    (void)context;
    awaited += progress->flash_busy;
    return false;
}

/* An erase of all goes on through a reset, for minutes. */
static void a_part_that_is_busy_is_waited_for(void)
{
    struct rig *rig = begin(1, 0x400000);
    struct sim_nor_die *die = &rig->board.die;
    struct wry_placement item = place(0x40123);

    die->pending_length = rig->flash_size;
    memset(rig->flash, 0xFF, rig->flash_size);
    memset(rig->before, 0xFF, rig->flash_size);
    die->busy_until = UINT64_C(200000000000);
    rig->session.config.progress = count_awaited;
    awaited = 0;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK(awaited > 100);
    CHECK(rig->adapter.now > die->busy_until);
    CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
    CHECK(rig_holds(rig, &item, 1));
    rig_free(rig);
}

/* No tables: the size is what the ID says, in the numberings that are in use. */
static void the_size_is_that_of_the_id(void)
{
    static const struct {
        uint8_t jedec[3];
        uint32_t size;
    } cases[] = {
        {{0x7F, 0x51, 0x10}, 0x10000},    {{0x7F, 0x51, 0x16}, 0x400000},
        {{0x7F, 0x51, 0x19}, 0x2000000},  {{0x7F, 0x51, 0x1A}, 0x4000000},
        {{0x7F, 0x51, 0x1C}, 0x10000000}, {{0x7F, 0x51, 0x20}, 0x4000000},
        {{0x7F, 0x51, 0x21}, 0x8000000},  {{0x7F, 0x51, 0x22}, 0x10000000},
        {{0x7F, 0x25, 0x36}, 0x400000},   {{0x7F, 0x25, 0x3B}, 0x8000000},
        {{0x01, 0x02, 0x15}, 0x400000},   {{0x01, 0x20, 0x15}, 0x200000},
        {{0x01, 0x02, 0x19}, 0x2000000},  {{0x7F, 0x51, 0x0F}, 0},
        {{0x7F, 0x51, 0x1D}, 0},          {{0x7F, 0x51, 0x1F}, 0},
        {{0x7F, 0x51, 0x23}, 0},          {{0x7F, 0x51, 0x2F}, 0},
        {{0x7F, 0x51, 0x3D}, 0},          {{0x7F, 0x51, 0x41}, 0},
        {{0x7F, 0x51, 0x00}, 0},          {{0x7F, 0x51, 0xFF}, 0},
    };

    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        struct rig *rig = begin(i, 0x400000);
        const struct wry_hello_reply *board = wry_session_board(&rig->session);
        check_context("%02X %02X %02X", cases[i].jedec[0], cases[i].jedec[1], cases[i].jedec[2]);
        rig->board.die.part.sfdp = false;
        memcpy(rig->board.die.jedec, cases[i].jedec, 3);
        CHECK_EQUAL(cases[i].size ? WRY_OK : WRY_FLASH_UNSIZED, wry_session_connect(&rig->session));
        CHECK_EQUAL(cases[i].size, board->capacity);
        CHECK(!cases[i].size || board->size_from == WRY_SIZE_ID);
        rig_free(rig);
    }
    check_context(NULL);
}

/* The host's knowledge counts only where the flash says nothing, and is checked as it is used. */
static void a_size_that_the_host_knows_is_used_where_the_flash_has_none(void)
{
    struct rig *rig = begin(1, 0x400000);
    struct wry_placement item = place(0x3E0123);
    const struct wry_hello_reply *board = wry_session_board(&rig->session);

    rig->board.die.part.sfdp = false;
    rig->board.die.jedec[2] = 0x41;
    rig->session.config.flash_size = 0x400000;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(0x400000, board->capacity);
    CHECK_EQUAL(WRY_SIZE_TOLD, board->size_from);
    CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
    CHECK(rig_holds(rig, &item, 1));
    rig_free(rig);

    rig = begin(2, 0x400000);
    board = wry_session_board(&rig->session);
    rig->session.config.flash_size = 0x1000000;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(0x400000, board->capacity);
    CHECK_EQUAL(WRY_SIZE_TABLE, board->size_from);
    rig_free(rig);
}

static void a_size_that_is_not_so_is_found_out_before_a_write(void)
{
    struct rig *rig = begin(3, 0x400000);
    struct wry_fault fault;
    struct wry_plan plan;
    struct wry_placement item = place(0x600123);

    rig->board.die.part.sfdp = false;
    rig->board.die.jedec[2] = 0x41;
    rig->session.config.flash_size = 0x800000;
    rig->session.config.trust_capacity = true;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, 0x800000, &fault));
    CHECK_EQUAL(WRY_FLASH_SMALLER, wry_session_write(&rig->session, &plan));
    CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
    rig_free(rig);
}

/* A part that is not there at all has a status of its own. */
static void a_part_that_does_not_answer_is_told(void)
{
    struct rig *rig = begin(1, 0x400000);

    rig->board.die.asleep = true;
    rig->board.die.part.sfdp = false;
    rig->board.die.dead = true;
    CHECK_EQUAL(WRY_FLASH_SILENT, wry_session_connect(&rig->session));
    CHECK_EQUAL(0xFF, wry_session_board(&rig->session)->jedec[0]);
    rig_free(rig);
}

/* Bits that nobody can read the meaning of: what was tried and refused is told with its offset, and
 * what is not protected is written. */
static void unknown_protection_shows_when_it_is_tried(void)
{
    struct rig *rig = begin(2, 0x400000);
    struct wry_placement below = place(0x300123);

    rig->board.identity.usual_protection = false;
    rig->board.die.part.other_protection = true;
    rig->board.die.status = 3 << 2; /* four blocks: from 0x3C0000 on */
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK((wry_session_board(&rig->session)->features & WRY_FEATURE_BLIND) != 0);
    CHECK_EQUAL(0, wry_session_board(&rig->session)->protect);
    CHECK_EQUAL(WRY_OK, write_at(rig, below.offset));
    CHECK(rig_holds(rig, &below, 1));

    CHECK_EQUAL(WRY_PROTECTED, write_at(rig, 0x3B0123));
    CHECK_EQUAL(0x3C0000, wry_session_fault(&rig->session)->offset);
    CHECK_EQUAL(0, wry_session_fault(&rig->session)->length);
    CHECK(memcmp(rig->before + 0x3C0000, rig->flash + 0x3C0000, 0x40000) == 0);
    rig_free(rig);
}

/* Cleared when that is asked for, and never else; a pin that holds the bits is told as protection.
 */
static void protection_is_cleared_when_asked(void)
{
    for (unsigned i = 0; i < 8; i++) {
        bool usual = i & 1, asked = i & 2, held = i & 4;
        struct rig *rig = begin(i, 0x400000);
        struct wry_placement item = place(0x3C0123);
        check_context("case %u", i);
        rig->board.identity.usual_protection = usual;
        rig->board.die.part.other_protection = !usual;
        rig->board.die.part.pin_held = held;
        rig->board.die.status = 3 << 2;
        rig->config.clear_protection = asked;
        rig_new_session(rig, 77);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (asked && !held) {
            CHECK_EQUAL(WRY_OK, write_at(rig, item.offset));
            CHECK(rig_holds(rig, &item, 1));
            CHECK_EQUAL(0, rig->board.die.status & 0x7C);
        } else {
            CHECK_EQUAL(WRY_PROTECTED, write_at(rig, item.offset));
            CHECK_EQUAL(3 << 2, rig->board.die.status & 0x7C);
            CHECK(memcmp(rig->before, rig->flash, rig->flash_size) == 0);
        }
        rig_free(rig);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_a_part_lacks_is_replaced),
        FACT(no_geometry_is_guessed),
        FACT(the_second_status_register_stays),
        FACT(the_table_tells_the_size),
        FACT(a_table_without_units_is_no_part_without_units),
        FACT(a_part_is_taken_as_it_was_left),
        FACT(a_part_that_is_busy_is_waited_for),
        FACT(the_size_is_that_of_the_id),
        FACT(a_size_that_the_host_knows_is_used_where_the_flash_has_none),
        FACT(a_size_that_is_not_so_is_found_out_before_a_write),
        FACT(a_part_that_does_not_answer_is_told),
        FACT(unknown_protection_shows_when_it_is_tried),
        FACT(protection_is_cleared_when_asked)};

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
