/*
 * Detection of the flash part.
 *
 * The program before may have left it asleep, busy with an erase, with four-byte addresses, or in a
 * mode with addresses on several data lines. It is taken out of such modes, woken, awaited and
 * reset, as far as it supports that; then it reports its ID and, in SFDP (flash_table.c),
 * everything else. A part without SFDP is assumed to have all usual commands; if one turns out to
 * be missing, it is replaced then.
 */
#include "bytes/memory.h"
#include "loader_inner.h"

enum command {
    COMMAND_RESET_ENABLE = 0x66,
    COMMAND_RESET = 0x99,
    COMMAND_READ_ID = 0x9F,
    COMMAND_WAKE = 0xAB,
    COMMAND_WRITE_ENABLE = 0x06,
    COMMAND_SHORT_ADDRESSES = 0xE9,
};

enum state {
    WAKING,
    BUSY,
    RESETTING,
    KNOWN,
};

enum {
    SETTLING = 100,  /* us: waking from power-down or a reset takes 30 at most */
    LOG2_LEAST = 16, /* log2 of the bytes of the smallest flash */
    LOG2_16M = 24,
    LOG2_64M = 26,
    LOG2_MOST = 28,
    NUMBERING_ON = 0x20,    /* the ID of 64 MiB in another numbering */
    NUMBERING_ADDED = 0x30, /* that of the smallest flash, with 0x20 added */
};

/*
 * What the third byte of a JEDEC ID says, which no standard defines. Most parts give log2 of their
 * bytes, some with 0x20 added; others count on from 0x20 for 64 MiB. Small parts of one maker's
 * type give one less.
 */
static uint32_t size_of_id(const uint8_t *jedec)
{
    unsigned id = jedec[2], log2 = id;

    if (id >= NUMBERING_ADDED)
        log2 -= NUMBERING_ADDED - LOG2_LEAST;
    else if (id >= NUMBERING_ON)
        log2 -= NUMBERING_ON - LOG2_64M;
    else if (jedec[0] == 0x01 && jedec[1] == 0x02 && id < LOG2_16M)
        log2++;
    return log2 >= LOG2_LEAST && log2 <= LOG2_MOST ? UINT32_C(1) << log2 : 0;
}

static bool is_an_id(const uint8_t *jedec)
{
    return jedec[0] != 0 && jedec[0] != 0xFF;
}

void loader_flash_identify(struct wry_loader *loader)
{
    struct wry_loader_part *part = &loader->part;
    uint8_t command = COMMAND_READ_ID;

    loader_flash_ask(loader, &command, 1, loader->jedec, sizeof loader->jedec);
    loader->capacity = size_of_id(loader->jedec);
    part->size_from = WRY_SIZE_ID;
    if (loader->capacity == 0 && is_an_id(loader->jedec)) {
        loader->capacity = part->told;
        part->size_from = WRY_SIZE_TOLD;
    }
    loader_flash_look_at_protection(loader);
    part->limit = WRY_FLASH_FULL;
    part->two_bytes = part->by_flag = false;
    memset(part->reads, 0, sizeof part->reads);
    part->quad_program = 0;
    loader_flash_assume_usual(loader);
    loader_flash_read_tables(loader);
    loader_flash_choose_lines(loader);
}

static void go_to(struct wry_loader *loader, uint8_t state)
{
    loader->part.state = state;
    loader->part.since = loader->port->now(loader->port->context);
}

/* All ones, on the driven line and the pulled-up ones, end continuous reads on two and four lines
 * with three and four address bytes, and the mode with four lines for everything (JESD216 section
 * 6.4.18). To other parts they are not a command. */
static void end_modes(struct wry_loader *loader)
{
    static const uint8_t ones[] = {0xFF, 0xFF, 0xFF};

    for (size_t n = 1; n <= sizeof ones; n++)
        loader_flash_ask(loader, ones, n, NULL, 0);
}

void loader_flash_start(struct wry_loader *loader)
{
    end_modes(loader);
    loader_flash_command(loader, COMMAND_WAKE);
    go_to(loader, WAKING);
}

/*
 * Waits for a busy part, which answers nothing else, possibly for minutes: a chip erase continues
 * through a reset of the board. A missing part reads as all ones forever.
 */
bool loader_flash_await(struct wry_loader *loader)
{
    if (loader->part.state == KNOWN)
        return false;
    uint32_t waited = loader->port->now(loader->port->context) - loader->part.since;
    bool busy = loader->part.state != WAKING && loader_flash_busy(loader);
    bool over = waited >= WRY_LOADER_FLASH_WAIT && busy && loader_flash_is_silent(loader);

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
        } else if (over) {
            loader_flash_identify(loader);
            loader->part.state = KNOWN;
        }
        break;
    case RESETTING:
        if (waited >= SETTLING && (!busy || over)) {
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
