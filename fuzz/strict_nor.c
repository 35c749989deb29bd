/* A NOR flash that forgives nothing. */
#include "strict_nor.h"

#include <string.h>

#include "door.h"

enum {
    BUSY = 1,
    BUSY_READS = 3,
    PROTECT = 0x7C,
};

void strict_nor_init(struct strict_nor *nor, uint8_t protect, uint8_t fill)
{
    memset(nor, 0, sizeof *nor);
    memset(nor->cells, 0xFF, sizeof nor->cells);
    for (uint32_t at = 0; at + 2 * WRY_SECTOR_SIZE < STRICT_NOR_SIZE && fill % 4 > 0;
         at += 3 * WRY_SECTOR_SIZE)
        memset(nor->cells + at, fill, 2 * WRY_SECTOR_SIZE - 100);
    nor->status = protect & PROTECT;
}

void strict_nor_allow(struct strict_nor *nor, uint32_t offset, uint32_t length, bool program)
{
    for (uint32_t at = offset; at < offset + length && at < STRICT_NOR_SIZE;
         at += WRY_SECTOR_SIZE) {
        nor->may_erase[at / WRY_SECTOR_SIZE] = true;
        nor->may_program[at / WRY_SECTOR_SIZE] |= program;
    }
}

static uint32_t address(const struct wry_spi_transfer *t)
{
    MUST(t->out_length >= 4);
    uint32_t at = (uint32_t)t->out[1] << 16 | (uint32_t)t->out[2] << 8 | t->out[3];
    MUST(at < STRICT_NOR_SIZE);
    return at;
}

static void begin_change(struct strict_nor *nor)
{
    MUST(nor->enabled);
    MUST(nor->busy == 0);
    nor->enabled = false;
    nor->busy = BUSY_READS;
}

static void erase(struct strict_nor *nor, const struct wry_spi_transfer *t, uint32_t unit)
{
    uint32_t start = address(t);

    begin_change(nor);
    MUST(start % unit == 0);
    for (uint32_t at = start; at < start + unit; at += WRY_SECTOR_SIZE)
        MUST(nor->may_erase[at / WRY_SECTOR_SIZE]);
    nor->erases++;
    if (nor->status == 0)
        memset(nor->cells + start, 0xFF, unit);
}

static void program(struct strict_nor *nor, const struct wry_spi_transfer *t)
{
    uint32_t start = address(t);

    begin_change(nor);
    MUST(start % WRY_PAGE_SIZE == 0 && t->out_length + t->out2_length == 4 + WRY_PAGE_SIZE);
    MUST(nor->may_program[start / WRY_SECTOR_SIZE]);
    nor->programs++;
    if (nor->status != 0)
        return;
    for (uint32_t i = 0; i < WRY_PAGE_SIZE; i++)
        MUST(nor->cells[start + i] == 0xFF);
    memcpy(nor->cells + start, t->out2, WRY_PAGE_SIZE);
}

static void read_cells(const struct strict_nor *nor, const struct wry_spi_transfer *t)
{
    uint32_t start = address(t);

    MUST(nor->busy == 0 && t->in_length <= STRICT_NOR_SIZE - start);
    memcpy(t->in, nor->cells + start, t->in_length);
}

static void read_status(struct strict_nor *nor, const struct wry_spi_transfer *t)
{
    MUST(t->in_length >= 1);
    t->in[0] = nor->status | (nor->busy > 0 ? BUSY : 0);
    nor->busy -= nor->busy > 0;
}

void strict_nor_transfer(struct strict_nor *nor, const struct wry_spi_transfer *t)
{
    static const uint8_t id[3] = {0x7F, 0x53, 18};

    MUST(t->out_length >= 1);
    switch (t->out[0]) {
    case 0x05:
        read_status(nor, t);
        break;
    case 0x9F:
        memcpy(t->in, id, t->in_length < sizeof id ? t->in_length : sizeof id);
        break;
    case 0x03:
        read_cells(nor, t);
        break;
    case 0x06:
        MUST(nor->busy == 0);
        nor->enabled = true;
        break;
    case 0x01:
        begin_change(nor);
        nor->status = t->out[1] & PROTECT;
        break;
    case 0x20:
        erase(nor, t, 0x1000);
        break;
    case 0x52:
        erase(nor, t, 0x8000);
        break;
    case 0xD8:
        erase(nor, t, 0x10000);
        break;
    case 0x02:
        program(nor, t);
        break;
    case 0x66:
    case 0x99:
        MUST(nor->busy == 0);
        break;
    case 0x5A: /* it does not describe itself */
        memset(t->in, 0xFF, t->in_length);
        break;
    case 0x35: /* it has one status register */
        memset(t->in, 0xFF, t->in_length);
        break;
    case 0xFF: /* ones alone, to end a mode */
        for (size_t i = 0; i < t->out_length; i++)
            MUST(t->out[i] == 0xFF);
        MUST(t->in_length == 0 && t->out2_length == 0);
        break;
    case 0xAB:
        break;
    default:
        door_broken(__FILE__, __LINE__, "a command that every part has");
    }
}
