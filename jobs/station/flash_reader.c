/* Reading flash content from any source. */
#include "jobs/station/flash_reader.h"

#include <string.h>

#include "store/archive/archive.h"
#include "wrytograph/plan.h"
#include "wrytograph/reader.h"

struct wanted {
    uint32_t start;
    uint8_t *to;
};

static bool keep(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    const struct wanted *wanted = context;

    memcpy(wanted->to + (offset - wanted->start), bytes, n);
    return true;
}

static bool read_archive(const struct archive *archive, uint32_t offset, uint8_t *to, size_t n)
{
    for (guint i = 0; i < archive->ranges->len; i++) {
        const struct archive_range *range =
            &g_array_index(archive->ranges, struct archive_range, i);
        if (offset >= range->offset && offset - range->offset < range->length)
            return n <= range->length - (offset - range->offset) &&
                   archive_range_read(range, offset - range->offset, to, n);
    }
    return false;
}

bool flash_reader_read(struct flash_reader *reader, uint32_t offset, void *to, size_t n)
{
    struct wanted wanted = {.start = offset, .to = to};
    struct wry_writer writer = {.context = &wanted, .write = keep};

    if (reader->archive)
        return read_archive(reader->archive, offset, to, n);
    if (reader->bytes) {
        bool has = offset <= reader->n && n <= reader->n - offset;
        if (has)
            memcpy(to, reader->bytes + offset, n);
        return has;
    }
    reader->status = wry_session_read(&reader->station->session, offset, (uint32_t)n, &writer);
    if (reader->status != WRY_OK || !reader->plan)
        return reader->status == WRY_OK;
    if (!wry_plan_overlay(reader->plan, offset, to, (uint32_t)n))
        reader->status = WRY_SOURCE_FAILED;
    return reader->status == WRY_OK;
}

static bool read_for_digest(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return read_archive(context, offset, to, n);
}

bool flash_reader_digest(struct flash_reader *reader, uint32_t offset, uint32_t length,
                         uint8_t sha256[WRY_SHA256_SIZE])
{
    struct wry_reader content = {.context = (void *)reader->archive, .read = read_for_digest};
    struct wry_sha256 sha;

    if (reader->archive) {
        wry_sha256_begin(&sha);
        bool read = wry_reader_hash(&content, offset, length, &sha);
        wry_sha256_end(&sha, sha256);
        return read;
    }
    reader->status = wry_session_digest(&reader->station->session, offset, length, sha256);
    return reader->status == WRY_OK;
}

struct wry_problem *flash_reader_fail(const struct flash_reader *reader)
{
    return problem_of_session(reader->station, reader->status);
}
