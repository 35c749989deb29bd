/* Branch filters: what they replace, and that any bytes come back. */
#include <stdlib.h>
#include <string.h>

#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/branch_filter.h"

enum {
    MOST = 60000,
};

static uint8_t content[MOST], bytes[MOST];

/* In pieces of random length, as a board or packer does it. */
static void run(uint8_t kind, bool restores, uint32_t offset, size_t n, uint64_t seed)
{
    struct wry_branch_filter filter = {.kind = kind, .restores = restores, .at = offset};
    size_t done = 0, end = 0;

    while (end < n) {
        end += 1 + sim_random(&seed) % 700;
        end = end < n ? end : n;
        size_t more = wry_branch_filter_run(&filter, bytes + done, end - done);
        CHECK(more <= end - done && end - done - more < WRY_FILTER_AHEAD);
        done += more;
        CHECK_EQUAL(offset + done, filter.at);
    }
}

static void any_bytes_come_back(void)
{
    for (uint64_t seed = 0; seed < 200; seed += check_one_in(4)) {
        uint8_t kind = (uint8_t)(seed % 5);
        size_t n = seed < 40 ? seed : sim_random(&(uint64_t){seed}) % MOST;
        uint32_t offset = (uint32_t)sim_random(&(uint64_t){seed + 1}) & ~UINT32_C(3);
        rig_random(content, n, seed);
        for (size_t i = 0; i < n && seed % 2 == 0; i++) /* opcodes are frequent */
            content[i] = (uint8_t)("\x17\xEF\xF0\xEB\x94\x90\x6F\xF8"[content[i] % 8]);
        memcpy(bytes, content, n);
        check_context("seed %u: %zu bytes", (unsigned)seed, n);
        run(kind, false, offset, n, seed);
        /* Random bytes may have no call. */
        if (seed % 2 == 0 && n >= 300)
            CHECK_EQUAL(kind == WRY_FILTER_NONE, memcmp(bytes, content, n) == 0);
        run(kind, true, offset, n, seed + 77);
        CHECK(memcmp(bytes, content, n) == 0);
    }
}

static void put32(uint8_t *to, uint32_t word)
{
    for (unsigned i = 0; i < 4; i++)
        to[i] = (uint8_t)(word >> 8 * i);
}

static uint32_t get32(const uint8_t *from)
{
    return (uint32_t)from[0] | (uint32_t)from[1] << 8 | (uint32_t)from[2] << 16 |
           (uint32_t)from[3] << 24;
}

/* An instruction at an offset and what it becomes, in words; of pairs the second follows. */
struct example {
    uint8_t kind;
    uint32_t offset;
    uint32_t before[2], after[2];
};

/* Assembled by the GNU assembler. */
static const struct example examples[] = {
    /* jal ra, .+0x1000 at 0x40100: the target 0x41100 is 0x20880 halfwords. */
    {WRY_FILTER_RISCV, 0x40100, {0x000010EF, 0}, {0x800820EF, 0}},
    /* j .-4 */
    {WRY_FILTER_RISCV, 0x40104, {0xFFDFF06F, 0}, {0x8000206F, 0}},
    /* jal t0, .+0x1000: another register */
    {WRY_FILTER_RISCV, 0x40100, {0x000012EF, 0}, {0x000012EF, 0}},
    /* auipc a0, 0x1; addi a0, a0, -16 */
    {WRY_FILTER_RISCV, 0x40100, {0x00001517, 0xFF050513}, {0x00041517, 0x0F050513}},
    /* auipc a0, 0x1; addi a0, a1, -16: not a pair */
    {WRY_FILTER_RISCV, 0x40100, {0x00001517, 0xFF058513}, {0x00001517, 0xFF058513}},
    /* bl .+0x1000 (distance 0xFFC from pc + 4) at 0x40100 */
    {WRY_FILTER_THUMB, 0x40100, {0xFFFEF000, 0}, {0xF87EF041, 0}},
    /* bl . */
    {WRY_FILTER_THUMB, 0x40100, {0xFFFEF7FF, 0}, {0xF87EF040, 0}},
    /* bl .+0x1000 (0xFF8 from pc + 8) */
    {WRY_FILTER_ARM, 0x40100, {0xEB0003FE, 0}, {0xEB01043E, 0}},
    /* bleq: a condition */
    {WRY_FILTER_ARM, 0x40100, {0x0B0003FE, 0}, {0x0B0003FE, 0}},
    /* bl .+0x1000 */
    {WRY_FILTER_ARM64, 0x40100, {0x94000400, 0}, {0x94010440, 0}},
    /* bl .-4 */
    {WRY_FILTER_ARM64, 0x40100, {0x97FFFFFF, 0}, {0x9401003F, 0}},
    /* adrp x0, .+0x3000 */
    {WRY_FILTER_ARM64, 0x40100, {0xF0000000, 0}, {0xF0000200, 0}},
};

static void calls_become_targets(void)
{
    for (size_t i = 0; i < sizeof examples / sizeof examples[0]; i++) {
        const struct example *e = &examples[i];
        struct wry_branch_filter filter = {.kind = e->kind, .at = e->offset};
        uint8_t code[16] = {0};
        put32(code, e->before[0]);
        put32(code + 4, e->before[1]);
        wry_branch_filter_run(&filter, code, sizeof code);
        check_context("example %zu", i);
        CHECK_EQUAL(e->after[0], get32(code));
        CHECK_EQUAL(e->after[1], get32(code + 4));
    }
}

/* Two calls of one function look the same. */
static void calls_of_one_function_become_the_same(void)
{
    struct wry_branch_filter filter = {.kind = WRY_FILTER_THUMB, .at = 0x40000};

    memset(bytes, 0, 64);
    put32(bytes + 8, 0xF87CF000);  /* bl 0x40104 at 0x40008 */
    put32(bytes + 40, 0xF86CF000); /* and at 0x40028 */
    wry_branch_filter_run(&filter, bytes, 64);
    CHECK_EQUAL(get32(bytes + 8), get32(bytes + 40));
}

static void the_last_bytes_stay(void)
{
    struct wry_branch_filter filter = {.kind = WRY_FILTER_ARM64, .at = 0};

    put32(bytes, 0x94000400);
    put32(bytes + 4, 0x94000400);
    CHECK_EQUAL(0, wry_branch_filter_run(&filter, bytes, 7));
    CHECK_EQUAL(4, wry_branch_filter_run(&filter, bytes, 8));
    CHECK_EQUAL(0x94000400, get32(bytes + 4));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(any_bytes_come_back),
        FACT(calls_become_targets),
        FACT(calls_of_one_function_become_the_same),
        FACT(the_last_bytes_stay),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
