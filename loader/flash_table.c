/*
 * SFDP (JESD216F): what the flash reports about itself: its size, erase units, addressing above 16
 * MiB, and busy status.
 *
 * A unit is used only with the command that the table gives for it. If the table lists units and 4
 * KiB is not among them, or not everywhere, nothing may be erased: an erase would destroy
 * neighbours that were not saved. Only a part without any units in its table is assumed to be a
 * usual one.
 */
#include "bytes/fields.h"
#include "loader_inner.h"

enum command {
    COMMAND_READ_SFDP = 0x5A,
    COMMAND_WRITE_ENABLE = 0x06,
    COMMAND_LONG_ADDRESSES = 0xB7,
};

/* Word numbers count from 1, as in the standard. */
enum {
    HEAD = 8, /* bytes of the SFDP header and of each parameter header */
    TABLES_MOST = 16,
    TABLE_BASIC = 0xFF00, /* basic flash parameters, section 6.4 */
    TABLE_MAP = 0xFF81,   /* sector map, section 6.5 */
    TABLE_LONG = 0xFF84,  /* four-byte address instructions, section 6.7 */
    TYPES = 4,            /* erase types per table */
    TYPES_ALL = 0xF,
    LONG_READ = 1 << 0,
    LONG_READ_FAST = 1 << 1,
    LONG_READ_DUAL = 1 << 2,
    LONG_READ_QUAD = 1 << 4,
    LONG_PROGRAM_QUAD = 1 << 7,
    LONG_PROGRAM = 1 << 6,
    LONG_ERASE = 1 << 9, /* bit of erase type 1; the others follow */
    WORD_FIRST = 1,
    WORD_SIZE = 2,
    WORD_READ_QUAD = 3, /* its upper half, */
    WORD_READ_DUAL = 4, /* and its lower one */
    WORD_ERASE = 8,
    WORD_PAGE = 11,
    WORD_BUSY = 14,
    WORD_QUAD = 15,
    WORD_ENTER = 16,
    ENTER_PLAIN = 1 << 0, /* bit of the addressing word, shifted down by 24 */
    ENTER_ENABLED = 1 << 1,
    ENTER_ALWAYS = 1 << 6,
    ERASE_NO_SECTOR = 3, /* value in word 1: no 4 KiB erase */
    HAS_READ_DUAL = 1 << 16,
    HAS_READ_QUAD = 1 << 22,
    READ_CLOCKS = 8, /* clocks of one byte between address and data */
    ADDRESS_LONG_ALONE = 2,
    BUSY_STATUS = 1 << 2, /* busy is bit 0 of the status register */
    BUSY_FLAG = 1 << 3,   /* ready is bit 7 of the flag status register */
    QUAD_SECOND = 1,      /* writing one status byte clears the second register with QE */
    QUAD_SECOND_TOO = 5,  /* the table leaves that open */
    MAP_LAST = 1,         /* bits of a sector map's descriptor */
    MAP_REGIONS = 2,      /* describes regions, not a command */
    LOG2_LEAST = 8,       /* log2 of the smallest plausible erase unit */
    LOG2_MOST = 30,
    LOG2_SECTOR = 12,
    LOG2_32K = 15,
    LOG2_64K = 16,
    LOG2_PAGE = 8,
    SIZE_LEAST = 16, /* log2 of the bytes of the smallest flash */
    SIZE_MOST = 31,
};

#define SHORT_ADDRESS_REACH 0x1000000u /* bytes that three address bytes reach */
#define SIGNATURE 0x50444653u          /* "SFDP" */

/* A parameter table; its words are read from the flash one at a time, to save memory. */
struct table {
    uint32_t offset;
    unsigned count;
};

struct tables {
    struct wry_loader *loader;
    struct table basic, wide;
    unsigned everywhere; /* bit n: erase type n + 1 is valid in all regions of all sector maps */
};

/* An erase type: log2 of its bytes, and its command. */
static unsigned log2_of(unsigned type)
{
    return type & 0xFF;
}

static uint8_t command_in(unsigned type)
{
    return (uint8_t)(type >> 8);
}

static void read_sfdp(struct wry_loader *loader, uint32_t offset, uint8_t *to, size_t n)
{
    /* Always three address bytes and a dummy byte: JESD216 section 5. */
    uint8_t out[5] = {COMMAND_READ_SFDP, (uint8_t)(offset >> 16), (uint8_t)(offset >> 8),
                      (uint8_t)offset, 0};

    loader_flash_ask(loader, out, sizeof out, to, n);
}

static uint32_t read_word(struct wry_loader *loader, uint32_t offset)
{
    uint8_t bytes[4];

    read_sfdp(loader, offset, bytes, sizeof bytes);
    return bytes_get32(bytes);
}

/* 0 if the table has no such word. */
static uint32_t word(const struct tables *tables, const struct table *table, unsigned n)
{
    return n <= table->count ? read_word(tables->loader, table->offset + 4 * (n - 1)) : 0;
}

static uint32_t basic_word(const struct tables *tables, unsigned n)
{
    return word(tables, &tables->basic, n);
}

/* Finds the types that are valid everywhere. The current configuration is not queried: a type
 * missing in any map is not used. */
static unsigned read_map(struct wry_loader *loader, uint32_t offset, unsigned words)
{
    unsigned everywhere = TYPES_ALL;

    for (unsigned at = 0; at < words;) {
        uint32_t first = read_word(loader, offset + 4 * at++);
        unsigned follow = first & MAP_REGIONS ? (first >> 16 & 0xFF) + 1u : 1;
        for (; follow > 0 && at < words; follow--, at++) {
            uint32_t next = read_word(loader, offset + 4 * at);
            if (first & MAP_REGIONS)
                everywhere &= next;
        }
        if ((first & MAP_LAST) && (first & MAP_REGIONS))
            break;
    }
    return everywhere;
}

/* Later headers of the same table belong to later versions of the standard and contain more. */
static bool find_tables(struct tables *tables)
{
    struct wry_loader *loader = tables->loader;
    uint8_t head[HEAD];

    read_sfdp(loader, 0, head, sizeof head);
    if (bytes_get32(head) != SIGNATURE)
        return false;
    unsigned count = head[6] + 1u;
    for (unsigned i = 0; i < count && i < TABLES_MOST; i++) {
        read_sfdp(loader, HEAD + HEAD * i, head, sizeof head);
        uint32_t offset = bytes_get32(head + 4) & 0xFFFFFF;
        unsigned id = (unsigned)head[7] << 8 | head[0];
        struct table table = {.offset = offset, .count = head[3]};
        if (id == TABLE_BASIC)
            tables->basic = table;
        else if (id == TABLE_LONG)
            tables->wide = table;
        else if (id == TABLE_MAP)
            tables->everywhere = read_map(loader, offset, head[3]);
    }
    return tables->basic.count > 0;
}

static unsigned type_at(const struct tables *tables, unsigned n)
{
    return basic_word(tables, WORD_ERASE + n / 2) >> (n % 2 * 16) & 0xFFFF;
}

static void take_size(struct wry_loader *loader, uint32_t told)
{
    unsigned log2 = 0;

    if (told & UINT32_C(0x80000000))
        log2 = told & 0xFF;
    else
        while (UINT32_C(1) << log2 < told && log2 < 31)
            log2++;
    if (log2 >= SIZE_LEAST + 3 && log2 < SIZE_MOST + 3) {
        loader->capacity = UINT32_C(1) << (log2 - 3);
        loader->part.size_from = WRY_SIZE_TABLE;
    }
}

static void enter_long_addresses(struct wry_loader *loader, uint32_t how)
{
    if (how & ENTER_ALWAYS)
        return;
    if (!(how & ENTER_PLAIN))
        loader_flash_command(loader, COMMAND_WRITE_ENABLE);
    loader_flash_command(loader, COMMAND_LONG_ADDRESSES);
    loader->part.entered = true;
}

static void assume_usual_units(struct wry_loader *loader)
{
    struct wry_loader_part *part = &loader->part;

    part->erase_4k = part->own_commands ? 0x21 : 0x20;
    part->erase_32k = part->own_commands ? 0x5C : 0x52;
    part->erase_64k = part->own_commands ? 0xDC : 0xD8;
    part->assumed = true;
}

void loader_flash_assume_usual(struct wry_loader *loader)
{
    loader->part.long_address = loader->part.own_commands = loader->capacity > SHORT_ADDRESS_REACH;
    assume_usual_units(loader);
}

/* The command of a type, the four-byte one if those have separate commands; 0: none. */
static uint8_t command_of(const struct wry_loader *loader, const struct tables *tables, unsigned n)
{
    uint32_t had = word(tables, &tables->wide, 1);
    unsigned type = type_at(tables, n);

    if (!loader->part.own_commands)
        return command_in(type);
    if (tables->wide.count > 0)
        return had & (uint32_t)LONG_ERASE << n
                   ? (uint8_t)(word(tables, &tables->wide, 2) >> (n * 8))
                   : 0;
    return log2_of(type) == LOG2_SECTOR ? 0x21 : log2_of(type) == LOG2_32K ? 0x5C : 0xDC;
}

/* Chooses the addressing above 16 MiB. A part that reports neither way keeps the usual one. */
static void choose_addresses(struct wry_loader *loader, const struct tables *tables)
{
    struct wry_loader_part *part = &loader->part;
    uint32_t had = word(tables, &tables->wide, 1), how = basic_word(tables, WORD_ENTER) >> 24;
    bool own = (had & LONG_READ) && (had & LONG_PROGRAM), sector = false;

    part->long_address = loader->capacity > SHORT_ADDRESS_REACH ||
                         (basic_word(tables, WORD_FIRST) >> 17 & 3) == ADDRESS_LONG_ALONE;
    for (unsigned n = 0; n < TYPES; n++)
        sector |= (had & (uint32_t)LONG_ERASE << n) && log2_of(type_at(tables, n)) == LOG2_SECTOR;
    if (how & (ENTER_PLAIN | ENTER_ENABLED | ENTER_ALWAYS))
        own = own && sector;
    else
        own = true;
    part->own_commands = part->long_address && own;
}

/* False if two units share a command: it is unknown which of them it erases. */
static bool is_clear(const struct tables *tables)
{
    for (unsigned a = 0; a < TYPES; a++) {
        unsigned one = type_at(tables, a), log2 = log2_of(one);
        if (log2 != 0 && (log2 < LOG2_LEAST || log2 > LOG2_MOST))
            return false;
        for (unsigned b = 0; b < a && log2 != 0; b++) {
            unsigned other = type_at(tables, b);
            if (log2_of(other) != 0 && other != one && command_in(other) == command_in(one))
                return false;
        }
    }
    return true;
}

/* Stores the reported units that are valid everywhere. */
static void take_units(struct wry_loader *loader, const struct tables *tables)
{
    struct wry_loader_part *part = &loader->part;
    bool named = false, sector = false;

    part->assumed = false;
    part->erase_4k = part->erase_32k = part->erase_64k = 0;
    part->least_log2 = 0;
    for (unsigned n = 0; n < TYPES; n++) {
        unsigned log2 = log2_of(type_at(tables, n));
        if (log2 == 0)
            continue;
        named = true;
        sector |= log2 == LOG2_SECTOR;
        if (part->least_log2 == 0 || log2 < part->least_log2)
            part->least_log2 = (uint8_t)log2;
        if (!(tables->everywhere & 1u << n))
            continue;
        if (log2 == LOG2_SECTOR || log2 == LOG2_32K || log2 == LOG2_64K)
            *loader_flash_unit(loader, UINT32_C(1) << log2) = command_of(loader, tables, n);
    }
    if (!named && (basic_word(tables, WORD_FIRST) & 3) != ERASE_NO_SECTOR)
        assume_usual_units(loader);
    else if (!is_clear(tables))
        part->limit = WRY_FLASH_UNCLEAR;
    else if (part->erase_4k == 0)
        part->limit = sector ? WRY_FLASH_MIXED : WRY_FLASH_COARSE;
}

/* Pages shorter than 256 bytes would wrap. The first version of the standard does not report the
 * size. */
static bool has_short_pages(const struct tables *tables)
{
    unsigned log2 = basic_word(tables, WORD_PAGE) >> 4 & 0xF;

    return log2 != 0 && log2 < LOG2_PAGE;
}

/* Stores how its status is read and written. */
static void take_status(struct wry_loader *loader, const struct tables *tables)
{
    uint32_t busy = basic_word(tables, WORD_BUSY);
    uint32_t quad = basic_word(tables, WORD_QUAD) >> 20 & 7;

    loader->part.by_flag = (busy & BUSY_FLAG) && !(busy & BUSY_STATUS);
    loader->part.two_bytes = quad == QUAD_SECOND || quad == QUAD_SECOND_TOO;
}

/* The command in half a word, if it waits for the clocks of one byte; 0: none. */
static uint8_t read_in(uint32_t half)
{
    return (half & 0x1F) + (half >> 5 & 7) == READ_CLOCKS ? (uint8_t)(half >> 8) : 0;
}

/* Stores the commands that read over one line at a fast clock, two and four lines. */
static void take_lines(struct wry_loader *loader, const struct tables *tables)
{
    struct wry_loader_part *part = &loader->part;
    uint32_t first = basic_word(tables, WORD_FIRST), had = word(tables, &tables->wide, 1);
    uint8_t dual = first & HAS_READ_DUAL ? read_in(basic_word(tables, WORD_READ_DUAL) & 0xFFFF) : 0;
    uint8_t quad = first & HAS_READ_QUAD ? read_in(basic_word(tables, WORD_READ_QUAD) >> 16) : 0;

    if (!part->own_commands) {
        part->reads[0] = 0x0B;
        part->reads[1] = dual;
        part->reads[2] = quad;
        part->quad_program = loader->identity.quad_program;
        return;
    }
    part->reads[0] = had & LONG_READ_FAST ? 0x0C : 0;
    part->reads[1] = dual != 0 && (had & LONG_READ_DUAL) ? 0x3C : 0;
    part->reads[2] = quad != 0 && (had & LONG_READ_QUAD) ? 0x6C : 0;
    part->quad_program = had & LONG_PROGRAM_QUAD ? 0x34 : 0;
}

void loader_flash_read_tables(struct wry_loader *loader)
{
    struct tables tables = {.loader = loader, .everywhere = TYPES_ALL};

    if (!find_tables(&tables))
        return;
    take_size(loader, basic_word(&tables, WORD_SIZE));
    choose_addresses(loader, &tables);
    take_units(loader, &tables);
    if (loader->part.limit == WRY_FLASH_FULL && has_short_pages(&tables))
        loader->part.limit = WRY_FLASH_SHORT_PAGES;
    take_status(loader, &tables);
    take_lines(loader, &tables);
    if (loader->part.long_address && !loader->part.own_commands)
        enter_long_addresses(loader, basic_word(&tables, WORD_ENTER) >> 24);
}
