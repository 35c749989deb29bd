/*
 * What part the flash is: woken, reset, and asked.
 *
 * Whatever ran before may have left it asleep, in mid-erase or with its addresses four bytes long.
 * It is woken, waited for and reset, as far as a part that never heard of that takes it; then it
 * tells its ID, and in SFDP (JESD216) its size, its erase units and how it is reached above 16 MiB.
 * A part without SFDP is taken for one that has all the usual commands; what it turns out not to
 * have is replaced when that shows.
 */
#include "inner.h"

#include "bytes/memory.h"

enum command {
    COMMAND_READ_SFDP = 0x5A,
    COMMAND_RESET_ENABLE = 0x66,
    COMMAND_RESET = 0x99,
    COMMAND_READ_ID = 0x9F,
    COMMAND_WAKE = 0xAB,
    COMMAND_WRITE_ENABLE = 0x06,
    COMMAND_LONG_ADDRESSES = 0xB7,
    COMMAND_SHORT_ADDRESSES = 0xE9,
};

enum state {
    WAKING,
    BUSY,
    RESETTING,
    KNOWN,
};

enum {
    SETTLING = 100,  /* us: to wake from power-down, or after a reset, takes 30 at most */
    SIZE_LEAST = 16, /* log2 of bytes */
    SIZE_MOST = 31,
};

/* SFDP. A table's words are counted from 1, as the standard does. */
enum {
    HEAD = 8, /* bytes of the first header, and of each that follows */
    TABLES_MOST = 8,
    WORDS_MOST = 16,
    TABLE_BASIC = 0xFF00, /* JESD216 section 6.4 */
    TABLE_LONG = 0xFF84,  /* four-byte address instructions, JESD216 section 6.7 */
    TYPES = 4,            /* of erase, in either */
    LONG_READ = 1 << 0,
    LONG_PROGRAM = 1 << 6,
    LONG_ERASE = 1 << 9, /* of type 1; the others follow */
    WORD_SIZE = 2,
    WORD_ERASE = 8,
    WORD_ENTER = 16,
    ENTER_PLAIN = 1 << 0, /* from bit 24 of that word on */
    ENTER_ENABLED = 1 << 1,
    ENTER_ALWAYS = 1 << 6,
};

#define SHORT_ADDRESS_REACH 0x1000000u /* bytes that three address bytes reach */
#define SIGNATURE 0x50444653u          /* "SFDP" */

struct table {
    uint32_t words[WORDS_MOST];
    unsigned count;
};

static uint32_t word(const struct table *table, unsigned n)
{
    return n <= table->count ? table->words[n - 1] : 0;
}

static void read_sfdp(struct wry_loader *loader, uint32_t offset, uint8_t *to, size_t n)
{
    /* Three address bytes always, and one that means nothing: JESD216 section 5. */
    uint8_t out[5] = {COMMAND_READ_SFDP, (uint8_t)(offset >> 16), (uint8_t)(offset >> 8),
                      (uint8_t)offset, 0};

    loader_flash_ask(loader, out, sizeof out, to, n);
}

static void read_table(struct wry_loader *loader, const uint8_t head[HEAD], struct table *table)
{
    uint32_t offset = wry_get32(head + 4) & 0xFFFFFF;
    uint8_t bytes[4];

    table->count = head[3] < WORDS_MOST ? head[3] : WORDS_MOST;
    for (unsigned i = 0; i < table->count; i++) {
        read_sfdp(loader, offset + 4 * i, bytes, sizeof bytes);
        table->words[i] = wry_get32(bytes);
    }
}

/* Later headers of the same table are of later versions of the standard, and say more. */
static bool read_tables(struct wry_loader *loader, struct table *basic, struct table *wide)
{
    uint8_t head[HEAD];

    read_sfdp(loader, 0, head, sizeof head);
    if (wry_get32(head) != SIGNATURE)
        return false;
    unsigned tables = head[6] + 1u;
    for (unsigned i = 0; i < tables && i < TABLES_MOST; i++) {
        read_sfdp(loader, HEAD + HEAD * i, head, sizeof head);
        unsigned id = (unsigned)head[7] << 8 | head[0];
        if (id == TABLE_BASIC)
            read_table(loader, head, basic);
        else if (id == TABLE_LONG)
            read_table(loader, head, wide);
    }
    return basic->count > 0;
}

uint8_t *loader_flash_unit(struct wry_loader *loader, uint32_t length)
{
    struct wry_loader_part *part = &loader->part;

    return length == 0x10000  ? &part->erase_64k
           : length == 0x8000 ? &part->erase_32k
                              : &part->erase_4k;
}

static uint8_t *unit_of_size(struct wry_loader *loader, unsigned log2)
{
    return log2 == 12 || log2 == 15 || log2 == 16 ? loader_flash_unit(loader, UINT32_C(1) << log2)
                                                  : NULL;
}

static void assume_usual_units(struct wry_loader *loader)
{
    bool wide = loader->part.own_commands;

    loader->part.erase_4k = wide ? 0x21 : 0x20;
    loader->part.erase_32k = wide ? 0x5C : 0x52;
    loader->part.erase_64k = wide ? 0xDC : 0xD8;
}

/* What all parts have, unless they say otherwise. */
static void assume_usual(struct wry_loader *loader)
{
    loader->part.long_address = loader->part.own_commands = loader->capacity > SHORT_ADDRESS_REACH;
    assume_usual_units(loader);
}

static void take_size(struct wry_loader *loader, uint32_t told)
{
    unsigned log2 = 0;

    if (told & UINT32_C(0x80000000))
        log2 = told & 0xFF;
    else
        while (UINT32_C(1) << log2 < told && log2 < 31)
            log2++;
    if (log2 >= SIZE_LEAST + 3 && log2 < SIZE_MOST + 3)
        loader->capacity = UINT32_C(1) << (log2 - 3);
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

/* The units and the way above 16 MiB, as the tables have them. */
static void take_tables(struct wry_loader *loader, const struct table *basic,
                        const struct table *wide)
{
    struct wry_loader_part *part = &loader->part;
    uint32_t had = word(wide, 1), how = word(basic, WORD_ENTER) >> 24;
    bool own = (had & LONG_READ) && (had & LONG_PROGRAM);

    take_size(loader, word(basic, WORD_SIZE));
    assume_usual(loader);
    /* A part that names neither is left with what is usual. */
    part->own_commands =
        part->long_address && (own || !(how & (ENTER_PLAIN | ENTER_ENABLED | ENTER_ALWAYS)));
    part->erase_4k = part->erase_32k = part->erase_64k = 0;
    for (unsigned type = 0; type < TYPES; type++) {
        uint32_t told = word(basic, WORD_ERASE + type / 2) >> (type % 2 * 16);
        uint8_t *unit = unit_of_size(loader, told & 0xFF);
        if (!unit)
            continue;
        if (!part->own_commands)
            *unit = (uint8_t)(told >> 8);
        else if (!own || (had & (uint32_t)LONG_ERASE << type))
            *unit = own                   ? (uint8_t)(word(wide, 2) >> (type * 8))
                    : (told & 0xFF) == 12 ? 0x21
                    : (told & 0xFF) == 15 ? 0x5C
                                          : 0xDC;
    }
    /* A table that knows of no sector erase is damaged, or too old to tell. */
    if (part->erase_4k == 0)
        assume_usual_units(loader);
    if (part->long_address && !part->own_commands)
        enter_long_addresses(loader, how);
}

void loader_flash_identify(struct wry_loader *loader)
{
    struct table basic = {.count = 0}, wide = {.count = 0};
    uint8_t command = COMMAND_READ_ID;

    loader_flash_ask(loader, &command, 1, loader->jedec, sizeof loader->jedec);
    uint8_t log2 = loader->jedec[2];
    loader->capacity = log2 >= SIZE_LEAST && log2 <= SIZE_MOST ? UINT32_C(1) << log2 : 0;
    loader_flash_look_at_protection(loader);
    assume_usual(loader);
    if (loader->capacity > 0 && read_tables(loader, &basic, &wide))
        take_tables(loader, &basic, &wide);
}

static void go_to(struct wry_loader *loader, uint8_t state)
{
    loader->part.state = state;
    loader->part.since = loader->port->now(loader->port->context);
}

void loader_flash_start(struct wry_loader *loader)
{
    loader_flash_command(loader, COMMAND_WAKE);
    go_to(loader, WAKING);
}

/* A part that is busy answers to nothing else. One that is not there reads as busy for ever. */
bool loader_flash_await(struct wry_loader *loader)
{
    if (loader->part.state == KNOWN)
        return false;
    uint32_t waited = loader->port->now(loader->port->context) - loader->part.since;
    bool busy = loader->part.state != WAKING && loader_flash_busy(loader);

    switch ((enum state)loader->part.state) {
    case WAKING:
        if (waited >= SETTLING)
            go_to(loader, BUSY);
        break;
    case BUSY:
        if (!busy) {
            loader_flash_command(loader, COMMAND_RESET_ENABLE);
            loader_flash_command(loader, COMMAND_RESET);
            go_to(loader, RESETTING);
        } else if (waited >= WRY_LOADER_FLASH_WAIT) {
            loader_flash_identify(loader);
            loader->part.state = KNOWN;
        }
        break;
    case RESETTING:
        if (waited >= SETTLING && (!busy || waited >= WRY_LOADER_FLASH_WAIT)) {
            loader_flash_identify(loader);
            loader->part.state = KNOWN;
        }
        break;
    case KNOWN:
        break;
    }
    return loader->part.state != KNOWN;
}

void loader_flash_leave(struct wry_loader *loader)
{
    if (!loader->part.entered)
        return;
    loader_flash_command(loader, COMMAND_WRITE_ENABLE);
    loader_flash_command(loader, COMMAND_SHORT_ADDRESSES);
    loader->part.entered = false;
}
