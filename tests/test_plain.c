/* A loader built without its codings, with the same host. */
#include <string.h>

#include "harness.h"
#include "rig.h"

static uint8_t content[0x15000 + 77], seen[0x20000];

static bool keep(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    uint32_t *start = context;

    memcpy(seen + (offset - *start), bytes, n);
    return true;
}

static void it_writes_reads_and_digests_as_any_other(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 4});
    struct wry_placement item = {
        .offset = 0x100123, .length = sizeof content, .reader = rig_reader(content)};
    uint32_t start = 0x100000;
    struct wry_writer writer = {.context = &start, .write = keep};
    struct wry_fault fault;
    struct wry_plan plan;

    rig_mixed(content, sizeof content, 4);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(0, wry_session_board(&rig->session)->dictionary);
    CHECK_EQUAL(0, wry_session_board(&rig->session)->features &
                       (WRY_FEATURE_STREAMS | WRY_FEATURE_PACKED | WRY_FEATURE_SOON));
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
    CHECK(rig_holds(rig, &item, 1));
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, start, sizeof seen, &writer));
    CHECK(memcmp(rig->flash + start, seen, sizeof seen) == 0);
    CHECK_EQUAL(WRY_OK, wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, NULL));
    rig_free(rig);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(it_writes_reads_and_digests_as_any_other)};

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
