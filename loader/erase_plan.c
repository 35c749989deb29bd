/*
 * Chooses the next erase unit.
 *
 * The range is processed in stretches that end at 64 KiB boundaries. A stretch is scanned first: a
 * blank sector needs no erase, and the scan of a sector ends at its first other byte, so a used
 * flash costs little. Then the larger unit is used wherever it is faster, by the typical times of
 * NOR flash: 150 ms for 64 KiB, 120 ms for 32 KiB, 45 ms for a sector.
 *
 * If the stream refers to old content, the whole stretch is read and saved before it is erased; a
 * stretch is then as long as the memory for that.
 */
#include "loader_inner.h"

enum {
    SCAN_SLICE = 512,
    FIRST_SLICE = 64, /* first bytes to check: a used sector mostly shows it there */
    SECTORS_WORTH_64K = 4,
    SECTORS_WORTH_32K = 3,
};

#define BLOCK_64K 0x10000u
#define BLOCK_32K 0x8000u
#define BLOCK_LARGEST 0x40000u /* bytes, the most that a usual command erases on any part */

/* The bit of a position's sector; positions count whole sectors in both directions. */
static uint32_t bit_of(const struct wry_loader *loader, uint32_t position)
{
    uint32_t sector = position - position % WRY_SECTOR_SIZE;

    return UINT32_C(1) << (loader_write_address(loader, sector, WRY_SECTOR_SIZE) % BLOCK_64K /
                           WRY_SECTOR_SIZE);
}

static void begin_stretch(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    bool keep = loader_stream_keeps_old(loader);
    uint32_t block = keep ? loader->layout.old_block : BLOCK_64K;
    uint32_t offset = loader_write_address(loader, write->erased, 0);
    uint32_t below = (offset - 1) % block + 1; /* bytes of the block below offset */
    uint32_t most = loader_is_down(loader) ? below : block - offset % block;

    write->scan = write->erased;
    write->scan_end = write->erased + loader_least(most, write->end - write->erased);
    write->dirty = 0;
    if (!(write->flags & WRY_FLAG_FORCE))
        return;
    for (uint32_t at = write->scan; at < write->scan_end; at += WRY_SECTOR_SIZE)
        write->dirty |= (uint16_t)bit_of(loader, at);
    if (!keep)
        write->scan = write->scan_end;
}

bool loader_erase_may_go_on(const struct wry_loader *loader)
{
    return loader->write.erased < loader->write.scan_end || loader_stream_may_erase(loader);
}

static uint32_t scan_length(uint32_t offset, bool keep)
{
    if (!keep && offset % WRY_SECTOR_SIZE == 0)
        return FIRST_SLICE;
    return SCAN_SLICE - offset % SCAN_SLICE;
}

bool loader_erase_scan(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;

    if (write->erased == write->scan_end)
        begin_stretch(loader);
    if (write->scan == write->scan_end)
        return true;
    bool keep = loader_stream_keeps_old(loader);
    uint32_t n = scan_length(write->scan, keep);
    uint32_t address = loader_write_address(loader, write->scan, n);
    loader_flash_read(loader, address, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    if (keep)
        loader_old_keep(loader, address, loader->slice, n);
    if (!wry_bytes_blank(loader->slice, n))
        write->dirty |= (uint16_t)bit_of(loader, write->scan);
    if (keep || !(write->dirty & bit_of(loader, write->scan))) {
        write->scan += n;
    } else {
        write->scan += WRY_SECTOR_SIZE - write->scan % WRY_SECTOR_SIZE;
    }
    return write->scan == write->scan_end;
}

static int count_dirty(const struct wry_loader *loader, uint32_t length)
{
    const struct wry_loader_write *write = &loader->write;
    int n = 0;

    for (uint32_t at = write->erased; at < write->erased + length; at += WRY_SECTOR_SIZE)
        n += (write->dirty & bit_of(loader, at)) != 0;
    return n;
}

static bool unit_pays(const struct wry_loader *loader, uint32_t length, int worth)
{
    const struct wry_loader_write *write = &loader->write;

    return loader_write_address(loader, write->erased, length) % length == 0 &&
           write->scan_end - write->erased >= length && count_dirty(loader, length) >= worth;
}

/* A part that does not report its units may erase more than usual with a usual command: then all of
 * that must belong to this job. */
static bool is_ours(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t address = loader_write_address(loader, write->erased, WRY_SECTOR_SIZE);
    uint32_t block = address - address % BLOCK_LARGEST;

    return !loader->part.assumed || (block >= write->start && write->end - block >= BLOCK_LARGEST);
}

uint32_t loader_erase_unit(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t single = write->dirty & bit_of(loader, write->erased) ? WRY_SECTOR_SIZE : 0;

    if (!is_ours(loader))
        return single;
    if (loader->part.erase_64k != 0 && unit_pays(loader, BLOCK_64K, SECTORS_WORTH_64K))
        return BLOCK_64K;
    if (loader->part.erase_32k != 0 && unit_pays(loader, BLOCK_32K, SECTORS_WORTH_32K))
        return BLOCK_32K;
    return single;
}

/* A used sector mostly shows it at its start. What this misses is found when its pages are
 * checked. */
uint32_t loader_erase_stays(struct wry_loader *loader)
{
    uint32_t address = loader_write_address(loader, loader->op_offset, loader->op_length);
    uint8_t first[FIRST_SLICE];

    for (uint32_t at = 0; at < loader->op_length; at += WRY_SECTOR_SIZE) {
        loader_flash_read(loader, address + at, first, sizeof first);
        if (!wry_bytes_blank(first, sizeof first))
            return address + at;
    }
    return WRY_LOADER_ERASED;
}
