/*
 * Chooses the next erase unit.
 *
 * The range is processed in stretches that end at 64 KiB boundaries. A stretch is scanned first: a
 * blank sector needs no erase, and the scan of a sector ends at its first other byte, so a used
 * flash costs little. Then the larger unit is used wherever it is faster, by the typical times of
 * NOR flash: 150 ms for 64 KiB, 120 ms for 32 KiB, 45 ms for a sector.
 *
 * For a difference stream the whole stretch is read and saved before it is erased; a stretch is
 * then as long as the memory for that.
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

static uint32_t bit_of(uint32_t offset)
{
    return UINT32_C(1) << (offset % BLOCK_64K / WRY_SECTOR_SIZE);
}

static void begin_stretch(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    uint32_t block = loader_stream_is_difference(loader) ? loader->old_block : BLOCK_64K;
    uint32_t boundary = write->erased - write->erased % block + block;

    write->scan = write->erased;
    write->scan_end = boundary < write->end ? boundary : write->end;
    write->dirty = 0;
    if (!(write->flags & WRY_FLAG_FORCE))
        return;
    for (uint32_t at = write->scan; at < write->scan_end; at += WRY_SECTOR_SIZE)
        write->dirty |= (uint16_t)bit_of(at);
    if (!loader_stream_is_difference(loader))
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
    bool keep = loader_stream_is_difference(loader);
    uint32_t n = scan_length(write->scan, keep);
    loader_flash_read(loader, write->scan, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    if (keep)
        loader_difference_keep(loader, write->scan, loader->slice, n);
    if (!wry_bytes_blank(loader->slice, n))
        write->dirty |= (uint16_t)bit_of(write->scan);
    if (keep || !(write->dirty & bit_of(write->scan))) {
        write->scan += n;
    } else {
        write->scan += WRY_SECTOR_SIZE - write->scan % WRY_SECTOR_SIZE;
    }
    return write->scan == write->scan_end;
}

static int count_dirty(const struct wry_loader_write *write, uint32_t offset, uint32_t length)
{
    int n = 0;

    for (uint32_t at = offset; at < offset + length; at += WRY_SECTOR_SIZE)
        n += (write->dirty & bit_of(at)) != 0;
    return n;
}

static bool unit_pays(const struct wry_loader_write *write, uint32_t length, int worth)
{
    return write->erased % length == 0 && write->scan_end - write->erased >= length &&
           count_dirty(write, write->erased, length) >= worth;
}

/* A part that does not report its units may erase more than usual with a usual command: then all of
 * that must belong to this job. */
static bool is_ours(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t block = write->erased - write->erased % BLOCK_LARGEST;

    return !loader->part.assumed || (block >= write->start && write->end - block >= BLOCK_LARGEST);
}

uint32_t loader_erase_unit(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;

    if (!is_ours(loader))
        return write->dirty & bit_of(write->erased) ? WRY_SECTOR_SIZE : 0;
    if (loader->part.erase_64k != 0 && unit_pays(write, BLOCK_64K, SECTORS_WORTH_64K))
        return BLOCK_64K;
    if (loader->part.erase_32k != 0 && unit_pays(write, BLOCK_32K, SECTORS_WORTH_32K))
        return BLOCK_32K;
    return write->dirty & bit_of(write->erased) ? WRY_SECTOR_SIZE : 0;
}

/* A used sector mostly shows it at its start. What this misses is found when its pages are
 * checked. */
uint32_t loader_erase_stays(struct wry_loader *loader)
{
    uint32_t end = loader->op_offset + loader->op_length;
    uint8_t first[FIRST_SLICE];

    for (uint32_t at = loader->op_offset; at < end; at += WRY_SECTOR_SIZE) {
        loader_flash_read(loader, at, first, sizeof first);
        if (!wry_bytes_blank(first, sizeof first))
            return at;
    }
    return WRY_LOADER_ERASED;
}
