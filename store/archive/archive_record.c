/* What a backup archive holds. */
#include "store/archive/archive_record.h"

#include "store/file/spool.h"

struct archive *archive_new(void)
{
    struct archive *archive = g_new0(struct archive, 1);

    archive->ranges = g_array_new(FALSE, FALSE, sizeof(struct archive_range));
    return archive;
}

void archive_close(struct archive *archive)
{
    if (!archive)
        return;
    g_array_free(archive->ranges, TRUE);
    spool_free(archive->content);
    g_free(archive->created);
    g_free(archive->tool);
    g_free(archive);
}

bool archive_range_read(const struct archive_range *range, uint32_t at, uint8_t *to, size_t n)
{
    return at <= range->length && n <= range->length - at &&
           spool_read(range->archive->content, (uint64_t)range->offset + at, to, n);
}

static bool read_range(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return archive_range_read(context, offset, to, n);
}

struct wry_reader archive_range_reader(struct archive_range *range)
{
    return (struct wry_reader){.context = range, .read = read_range};
}

bool archive_range_digest(struct archive_range *range, uint8_t sha256[WRY_SHA256_SIZE])
{
    uint8_t piece[SPOOL_PIECE];
    struct wry_sha256 sha;
    bool read = true;

    wry_sha256_begin(&sha);
    for (uint32_t at = 0; at < range->length && read;) {
        uint32_t n = MIN(range->length - at, (uint32_t)sizeof piece);
        read = archive_range_read(range, at, piece, n);
        if (read)
            wry_sha256_add(&sha, piece, n);
        at += n;
    }
    wry_sha256_end(&sha, sha256);
    return read;
}
