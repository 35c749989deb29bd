/* What is put back after a cut, and what is left because somebody wrote it since. */
#include <string.h>

#include "harness.h"
#include "rig.h"

enum {
    SECTOR = 0x5000,
    COVERED = 1536, /* bytes that the image covers, from the start of the sector */
};

static uint8_t old[WRY_SECTOR_SIZE], intended[WRY_SECTOR_SIZE];

/* A journal that holds one sector. */
struct held {
    bool holds, yields, fails, full, remembers;
    uint32_t offset;
    uint16_t from, to; /* what is known of the old content; to 0: all */
    unsigned yielded, ended;
    bool decided; /* what the sector is to become has been kept */
    uint8_t content[WRY_SECTOR_SIZE];
};

static bool begin(void *context, const struct wry_span *span, const struct wry_journal_sector *kept,
                  size_t count, const struct wry_reader *content)
{
    struct held *held = context;

    if (held->fails || held->full || count == 0)
        return !held->fails && !held->full;
    CHECK(count == 1 && kept->offset == held->offset && span->start == held->offset);
    CHECK(kept->from == 0 && kept->to == WRY_SECTOR_SIZE);
    CHECK(content->read(content->context, 0, held->content, WRY_SECTOR_SIZE));
    CHECK(memcmp(held->content, kept->bytes, WRY_SECTOR_SIZE) == 0);
    return held->decided = true;
}

static bool end(void *context, const struct wry_span *span)
{
    struct held *held = context;

    (void)span;
    held->holds = false;
    held->ended++;
    return !held->remembers;
}

static enum wry_kept unsettled(void *context, uint32_t offset, uint32_t length)
{
    const struct held *held = context;

    return held->holds && held->offset >= offset && held->offset < offset + length ? WRY_KEPT_YES
                                                                                   : WRY_KEPT_NO;
}

static enum wry_kept saved(void *context, struct wry_journal_sector *was,
                           uint8_t shall[WRY_SECTOR_SIZE])
{
    const struct held *held = context;

    if (held->fails)
        return WRY_KEPT_UNKNOWN;
    was->offset = held->offset;
    if (held->decided) {
        was->from = 0;
        was->to = WRY_SECTOR_SIZE;
        memcpy(was->bytes, held->content, WRY_SECTOR_SIZE);
        memcpy(shall, held->content, WRY_SECTOR_SIZE);
        return held->holds ? WRY_KEPT_YES : WRY_KEPT_NO;
    }
    was->from = held->from;
    was->to = held->to > 0 ? held->to : WRY_SECTOR_SIZE;
    memset(was->bytes, 0xA5, sizeof was->bytes);
    memcpy(was->bytes + was->from, old + was->from, was->to - was->from);
    memcpy(shall, intended, sizeof intended);
    return held->holds ? WRY_KEPT_YES : WRY_KEPT_NO;
}

static bool yield(void *context, uint32_t offset)
{
    struct held *held = context;

    CHECK_EQUAL(held->offset, offset);
    held->holds = false;
    held->yielded++;
    return held->yields;
}

struct told {
    unsigned count;
    uint32_t offset;
    enum wry_recovered outcome;
};

static void tell(void *context, uint32_t offset, enum wry_recovered outcome)
{
    struct told *told = context;

    *told = (struct told){.count = told->count + 1, .offset = offset, .outcome = outcome};
}

static struct wry_journal keeper_of(struct held *held)
{
    return (struct wry_journal){.context = held,
                                .begin = begin,
                                .end = end,
                                .unsettled = unsettled,
                                .saved = saved,
                                .yield = yield};
}

static void settle_part(const uint8_t *before, const uint8_t *after, enum wry_recovered outcome,
                        uint16_t from, uint16_t to)
{
    struct held held = {.holds = true, .yields = true, .offset = SECTOR, .from = from, .to = to};
    struct wry_journal journal = keeper_of(&held);
    struct told told = {0};
    struct wry_recovery_sink sink = {.context = &told, .sector = tell};
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 3});

    memcpy(rig->flash + SECTOR, before, WRY_SECTOR_SIZE);
    memcpy(rig->before, rig->flash, rig->flash_size);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    wry_session_set_journal(&rig->session, &journal);
    uint64_t operations = rig->board.die.operations;
    CHECK_EQUAL(WRY_OK, wry_session_recover(&rig->session, &sink));
    CHECK(memcmp(rig->flash + SECTOR, after, WRY_SECTOR_SIZE) == 0);
    CHECK(memcmp(rig->flash, rig->before, SECTOR) == 0);
    CHECK(memcmp(rig->flash + SECTOR + 4096, rig->before + SECTOR + 4096, 4096) == 0);
    CHECK_EQUAL(1, told.count);
    CHECK_EQUAL(SECTOR, told.offset);
    CHECK_EQUAL(outcome, told.outcome);
    CHECK_EQUAL(outcome == WRY_RECOVERED_PUT_BACK, held.ended == 1);
    CHECK_EQUAL(outcome == WRY_RECOVERED_NEWER, held.yielded == 1);
    /* What is right already is written all the same: its cells may be half erased. */
    CHECK_EQUAL(outcome == WRY_RECOVERED_PUT_BACK, rig->board.die.operations > operations);
    rig_free(rig);
}

/* The flash holds this sector; settled, it must hold that one. */
static void settle(const uint8_t *before, const uint8_t *after, enum wry_recovered outcome)
{
    settle_part(before, after, outcome, 0, WRY_SECTOR_SIZE);
}

/* Nothing is known of the old content where new content takes whole pages: bytes 0 to 1536. */
static void of_what_was_not_read_nothing_is_concluded(void)
{
    uint8_t flash[WRY_SECTOR_SIZE];

    /* Nothing was erased yet: all stays. */
    settle_part(old, old, WRY_RECOVERED_PUT_BACK, COVERED, 4096);
    /* All was written. */
    settle_part(intended, intended, WRY_RECOVERED_PUT_BACK, COVERED, 4096);
    /* Erased, in whole or in part: the neighbours come back, beside the new content. */
    memset(flash, 0xFF, sizeof flash);
    settle_part(flash, intended, WRY_RECOVERED_PUT_BACK, COVERED, 4096);
    memcpy(flash, old, sizeof flash);
    for (size_t i = 0; i < sizeof flash; i++)
        flash[i] |= (uint8_t)(i * 7);
    settle_part(flash, intended, WRY_RECOVERED_PUT_BACK, COVERED, 4096);
    /* New content is there, and its neighbours are not yet. */
    memset(flash, 0xFF, sizeof flash);
    memcpy(flash, intended, COVERED);
    settle_part(flash, intended, WRY_RECOVERED_PUT_BACK, COVERED, 4096);
    /* Somebody else has written among the neighbours since. */
    memcpy(flash, old, sizeof flash);
    rig_random(flash + 3000, 500, 12);
    settle_part(flash, flash, WRY_RECOVERED_NEWER, COVERED, 4096);
    /* And where the image stands: that is no matter of the neighbours. */
    memcpy(flash, old, sizeof flash);
    rig_random(flash, COVERED, 13);
    settle_part(flash, flash, WRY_RECOVERED_PUT_BACK, COVERED, 4096);
}

static void what_a_cut_leaves_is_put_back(void)
{
    uint8_t flash[WRY_SECTOR_SIZE];

    settle(old, old, WRY_RECOVERED_PUT_BACK);
    settle(intended, intended, WRY_RECOVERED_PUT_BACK);
    memset(flash, 0xFF, sizeof flash);
    settle(flash, old, WRY_RECOVERED_PUT_BACK);
    /* An erase that was cut has set some bits. */
    rig_random(flash, sizeof flash, 8);
    for (size_t i = 0; i < sizeof flash; i++)
        flash[i] |= old[i];
    settle(flash, old, WRY_RECOVERED_PUT_BACK);
    /* Two pages of the new content, half of the third, and blank behind it. */
    memset(flash, 0xFF, sizeof flash);
    memcpy(flash, intended, 512);
    for (size_t i = 512; i < 768; i++)
        flash[i] = intended[i] | 0x5A;
    settle(flash, old, WRY_RECOVERED_PUT_BACK);
}

static void where_the_new_content_is_there_its_neighbours_complete_it(void)
{
    uint8_t flash[WRY_SECTOR_SIZE];

    memset(flash, 0xFF, sizeof flash);
    memcpy(flash, intended, COVERED);
    settle(flash, intended, WRY_RECOVERED_PUT_BACK);
    /* All but the last byte of it: then it is not. */
    flash[COVERED - 1] = 0xFF;
    settle(flash, old, WRY_RECOVERED_PUT_BACK);
}

static void what_somebody_wrote_since_is_left(void)
{
    uint8_t flash[WRY_SECTOR_SIZE];

    rig_random(flash, sizeof flash, 9);
    settle(flash, flash, WRY_RECOVERED_NEWER);
    /* One page is enough, wherever it is. */
    for (size_t page = 0; page < 16; page += 5) {
        memcpy(flash, old, sizeof flash);
        rig_random(flash + 256 * page, 256, 10 + page);
        check_context("page %zu", page);
        settle(flash, flash, WRY_RECOVERED_NEWER);
    }
    /* One bit that no cut clears. */
    memcpy(flash, old, sizeof flash);
    for (size_t i = 0; i < sizeof flash; i++) {
        if (old[i] == intended[i] && old[i] & 1) {
            flash[i] &= 0xFE;
            break;
        }
    }
    settle(flash, flash, WRY_RECOVERED_NEWER);
}

static void a_page_of_zeros_tells_nothing_by_itself(void)
{
    uint8_t flash[WRY_SECTOR_SIZE], kept[512];

    memcpy(kept, old + 2048, sizeof kept);
    memset(old + 2048, 0, 256);
    memset(intended + 2048, 0, 256);
    memcpy(flash, old, sizeof flash);
    rig_random(flash + 2048, 256, 11);
    settle(flash, flash, WRY_RECOVERED_NEWER);
    /* Another page shows that an erase was cut. */
    for (size_t i = 3000; i < 3072; i++)
        flash[i] |= 0xA5;
    settle(flash, old, WRY_RECOVERED_PUT_BACK);
    memcpy(old + 2048, kept, sizeof kept);
    memcpy(intended + 2048, kept, sizeof kept);
}

static void a_row_beyond_the_flash_does_not_block_the_board(void)
{
    struct held held = {.holds = true, .yields = true, .offset = 0x400000};
    struct wry_journal journal = keeper_of(&held);
    struct told told = {0};
    struct wry_recovery_sink sink = {.context = &told, .sector = tell};
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 4});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    wry_session_set_journal(&rig->session, &journal);
    CHECK_EQUAL(WRY_OK, wry_session_recover(&rig->session, &sink));
    CHECK_EQUAL(WRY_RECOVERED_BEYOND, told.outcome);
    CHECK_EQUAL(1, held.yielded);
    held = (struct held){.holds = true, .yields = true, .offset = 0x5100};
    CHECK_EQUAL(WRY_OK, wry_session_recover(&rig->session, &sink));
    CHECK_EQUAL(WRY_RECOVERED_BEYOND, told.outcome);
    CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
    rig_free(rig);
}

/* Work that was done, and that the journal could not forget, is settled; the power goes meanwhile.
 */
static void a_settling_that_is_cut_undoes_nothing(void)
{
    unsigned cuts = 0;

    for (uint64_t at = 1; at <= 20; at++) {
        struct held held = {.holds = true, .yields = true, .offset = SECTOR};
        struct wry_journal journal = keeper_of(&held);
        struct rig *rig = rig_new(&(struct rig_setup){.seed = at});
        memcpy(rig->flash + SECTOR, intended, WRY_SECTOR_SIZE);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        wry_session_set_journal(&rig->session, &journal);
        rig->board.die.cut_at_operation = rig->board.die.operations + at;
        cuts += wry_session_recover(&rig->session, NULL) != WRY_OK;
        rig->board.die.cut_at_operation = rig->board.die.cut_due = 0;
        sim_adapter_power(&rig->adapter, true);
        rig_new_session(rig, 100);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        wry_session_set_journal(&rig->session, &journal);
        check_context("cut at operation %u", (unsigned)at);
        CHECK_EQUAL(WRY_OK, wry_session_recover(&rig->session, NULL));
        CHECK(memcmp(rig->flash + SECTOR, intended, WRY_SECTOR_SIZE) == 0);
        rig_free(rig);
    }
    CHECK(cuts >= 16);
}

/* A full disk: what the sector is to become cannot be kept, so it is not erased. */
static void a_keeper_that_can_keep_no_more_stops_a_settling_before_the_erase(void)
{
    for (size_t done = COVERED - 512; done <= COVERED; done += 256) {
        struct held held = {.holds = true, .yields = true, .full = true, .offset = SECTOR};
        struct wry_journal journal = keeper_of(&held);
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 7});
        memcpy(rig->flash + SECTOR, old, WRY_SECTOR_SIZE);
        memcpy(rig->flash + SECTOR, intended, done);
        memcpy(rig->before, rig->flash, rig->flash_size);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        wry_session_set_journal(&rig->session, &journal);
        uint64_t operations = rig->board.die.operations;
        check_context("%u bytes are new", (unsigned)done);
        CHECK_EQUAL(WRY_JOURNAL_FAILED, wry_session_recover(&rig->session, NULL));
        CHECK_EQUAL(operations, rig->board.die.operations);
        CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
        CHECK(held.holds && held.yielded == 0);
        rig_free(rig);
    }
}

static void a_keeper_that_cannot_tell_stops_everything(void)
{
    struct held held = {.holds = true, .fails = true, .offset = SECTOR};
    struct wry_journal journal = keeper_of(&held);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 5});
    struct wry_placement item = {
        .offset = 0x8000, .length = 0x1000, .reader = rig_reader(intended)};
    struct wry_plan plan;
    struct wry_fault fault;

    wry_plan_init(&plan, &item, 1, rig->flash_size, &fault);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    wry_session_set_journal(&rig->session, &journal);
    CHECK_EQUAL(WRY_JOURNAL_FAILED, wry_session_recover(&rig->session, NULL));
    CHECK_EQUAL(WRY_JOURNAL_FAILED, wry_session_write(&rig->session, &plan));
    held = (struct held){.holds = true, .yields = false, .offset = 0x400000};
    CHECK_EQUAL(WRY_JOURNAL_FAILED, wry_session_recover(&rig->session, NULL));
    CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
    rig_free(rig);
}

static void what_is_written_and_checked_stays_so_when_the_keeper_cannot_forget(void)
{
    struct wry_placement item = {
        .offset = 0x8000, .length = 0x1000, .reader = rig_reader(intended)};

    for (unsigned remembers = 0; remembers < 2; remembers++) {
        struct held held = {.yields = true, .remembers = remembers == 1};
        struct wry_journal journal = {.context = &held,
                                      .begin = begin,
                                      .end = end,
                                      .unsettled = unsettled,
                                      .saved = saved,
                                      .yield = yield};
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 6});
        struct wry_plan plan;
        struct wry_fault fault;
        wry_plan_init(&plan, &item, 1, rig->flash_size, &fault);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        wry_session_set_journal(&rig->session, &journal);
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK_EQUAL(1, held.ended);
        CHECK_EQUAL(remembers, wry_session_stats(&rig->session)->not_forgotten);
        rig_free(rig);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_a_cut_leaves_is_put_back),
        FACT(of_what_was_not_read_nothing_is_concluded),
        FACT(where_the_new_content_is_there_its_neighbours_complete_it),
        FACT(what_somebody_wrote_since_is_left),
        FACT(a_page_of_zeros_tells_nothing_by_itself),
        FACT(a_row_beyond_the_flash_does_not_block_the_board),
        FACT(a_settling_that_is_cut_undoes_nothing),
        FACT(a_keeper_that_can_keep_no_more_stops_a_settling_before_the_erase),
        FACT(a_keeper_that_cannot_tell_stops_everything),
        FACT(what_is_written_and_checked_stays_so_when_the_keeper_cannot_forget),
    };

    rig_random(old, sizeof old, 1);
    memcpy(intended, old, sizeof intended);
    rig_random(intended, COVERED, 2);
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
