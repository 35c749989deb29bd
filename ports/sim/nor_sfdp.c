/* What a NOR flash die says of itself: SFDP, JESD216D. */
#include <string.h>

#include "nor_die.h"
#include "wrytograph/bytes.h"

#define SIGNATURE UINT32_C(0x50444653) /* "SFDP", section 6.2 */

enum {
    BASIC = 0x30, /* where that table lies, section 6.4 */
    BASIC_WORDS = 16,
    LONG = 0x80, /* four-byte address instructions, section 6.7 */
    LONG_WORDS = 2,
    SIZE = 0x90,
    SHORT_REACH = 24, /* log2 of the bytes that three address bytes reach */
};

static void put_header(uint8_t *to, uint16_t id, unsigned words, uint32_t offset)
{
    wry_put32(to,
              (uint32_t)(id & 0xFF) | UINT32_C(6) << 8 | UINT32_C(1) << 16 | (uint32_t)words << 24);
    wry_put32(to + 4, offset | (uint32_t)(id >> 8) << 24);
}

static void put_word(uint8_t *table, unsigned n, uint32_t value)
{
    wry_put32(table + 4 * (n - 1), value);
}

/* Erase types 1 to 3: 4, 32 and 64 KiB, as log2 of the size and command; nothing for none. */
static uint32_t type(unsigned log2, uint8_t command, bool lacks)
{
    return lacks ? 0 : log2 | (uint32_t)command << 8;
}

static void put_basic(const struct sim_nor_die *die, uint8_t *table, bool wide)
{
    unsigned log2 = die->told + 3u; /* bits */
    uint32_t addresses = wide ? UINT32_C(1) << 17 : 0;

    put_word(table, 1, 0x20E1u | addresses);
    put_word(table, 2, log2 < 32 ? (UINT32_C(1) << log2) - 1 : UINT32_C(0x80000000) | log2);
    if (die->part.no_types)
        return;
    put_word(table, 8, type(12, 0x20, false) | type(15, 0x52, die->part.lacks_32k) << 16);
    put_word(table, 9, type(16, 0xD8, die->part.lacks_64k));
    put_word(table, 16, wide && die->part.by_mode ? UINT32_C(1) << 24 : 0);
}

static void put_long(const struct sim_nor_die *die, uint8_t *table)
{
    uint32_t has = 1 << 0 | 1 << 6 | 1 << 9;

    has |= die->part.lacks_32k ? 0 : 1 << 10;
    has |= die->part.lacks_64k ? 0 : 1 << 11;
    put_word(table, 1, has);
    put_word(table, 2, 0x21u | 0x5Cu << 8 | 0xDCu << 16);
}

void sim_nor_die_describe(const struct sim_nor_die *die, uint32_t address, uint8_t *to, size_t n)
{
    bool wide = die->told > SHORT_REACH, own = wide && !die->part.by_mode;
    uint8_t all[SIZE];

    memset(all, 0xFF, sizeof all);
    wry_put32(all, SIGNATURE);
    wry_put32(all + 4, UINT32_C(0xFF000106) | (uint32_t)(own ? 1 : 0) << 16);
    put_header(all + 8, 0xFF00, BASIC_WORDS, BASIC);
    memset(all + BASIC, 0, (size_t)4 * BASIC_WORDS);
    put_basic(die, all + BASIC, wide);
    if (own) {
        put_header(all + 16, 0xFF84, LONG_WORDS, LONG);
        put_long(die, all + LONG);
    }
    for (size_t i = 0; i < n; i++)
        to[i] = address + i < sizeof all ? all[address + i] : 0xFF;
}
