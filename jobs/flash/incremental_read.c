/* Reads what has changed since an older archive. */
#include "jobs/flash/incremental_read.h"
#include "base/digest.h"

struct changes {
    struct wry_session *session;
    const struct archive *older;
    const struct wry_writer *writer;
    uint64_t *from_older;
};

/* The range of the older archive with all of this sector. */
static const struct archive_range *older_range(const struct changes *c, uint32_t offset)
{
    const GArray *ranges = c->older->ranges;

    for (guint i = 0; i < ranges->len; i++) {
        const struct archive_range *range = &g_array_index(ranges, struct archive_range, i);
        if (offset >= range->offset &&
            offset + WRY_SECTOR_SIZE <= range->offset + (uint64_t)range->length)
            return range;
    }
    return NULL;
}

/* Takes a sector from the older archive if its digest is the board's. */
static bool take_over(const struct changes *c, uint32_t offset, uint64_t sum)
{
    const struct archive_range *range = older_range(c, offset);
    uint8_t sector[WRY_SECTOR_SIZE];

    if (!range || !archive_range_read(range, offset - range->offset, sector, sizeof sector))
        return false;
    if (digest_short_of(sector, sizeof sector) != sum)
        return false;
    *c->from_older += sizeof sector;
    return c->writer->write(c->writer->context, offset, sector, sizeof sector);
}

static enum wry_status read_stretch(const struct changes *c, uint32_t start, uint32_t end)
{
    return end > start ? wry_session_read(c->session, start, end - start, c->writer) : WRY_OK;
}

/* Reads ranges of changed sectors and takes the others from the older archive. */
static enum wry_status read_sectors(const struct changes *c, uint32_t start, uint32_t end)
{
    uint64_t sums[WRY_SESSION_SUMS_MAX];
    uint32_t unread = start; /* from here to at: sectors to be read */
    enum wry_status status = WRY_OK;

    for (uint32_t at = start; at < end && status == WRY_OK;) {
        uint32_t count = MIN((end - at) / WRY_SECTOR_SIZE, WRY_SESSION_SUMS_MAX);
        status = wry_session_sector_sums(c->session, at, count, sums);
        for (uint32_t i = 0; i < count && status == WRY_OK; i++, at += WRY_SECTOR_SIZE) {
            if (!take_over(c, at, sums[i]))
                continue;
            status = read_stretch(c, unread, at);
            unread = at + WRY_SECTOR_SIZE;
        }
    }
    return status == WRY_OK ? read_stretch(c, unread, end) : status;
}

/* Compares whole sectors by digests; reads incomplete ones at the ends. */
enum wry_status incremental_read(struct wry_session *session, const struct archive *older,
                                 struct archive_range *range, const struct wry_writer *writer,
                                 uint64_t *from_older)
{
    struct changes c = {
        .session = session, .older = older, .writer = writer, .from_older = from_older};
    uint32_t end = range->offset + range->length;
    uint32_t first = (range->offset + WRY_SECTOR_SIZE - 1) & ~(WRY_SECTOR_SIZE - 1);
    uint32_t last = end & ~(WRY_SECTOR_SIZE - 1);
    enum wry_status status;

    if (first >= last) {
        status = read_stretch(&c, range->offset, end);
    } else {
        status = read_stretch(&c, range->offset, first);
        if (status == WRY_OK)
            status = read_sectors(&c, first, last);
        if (status == WRY_OK)
            status = read_stretch(&c, last, end);
    }
    return status == WRY_OK
               ? wry_session_digest(session, range->offset, range->length, range->sha256)
               : status;
}
