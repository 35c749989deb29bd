/* The intended content after a write: the images, over the old content of shared sectors. */
#include "session_inner.h"

#include "bytes/memory.h"

/* Index of the first kept sector at or after the offset. */
static size_t kept_from(const struct session_write *job, uint32_t offset)
{
    size_t low = 0, high = job->kept_count;

    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (job->kept[middle].offset >= offset)
            high = middle;
        else
            low = middle + 1;
    }
    return low;
}

const struct wry_journal_sector *session_kept_within(const struct session_write *job,
                                                     uint32_t start, uint32_t end, size_t *count)
{
    size_t first = kept_from(job, start);

    *count = kept_from(job, end) - first;
    return job->kept + first;
}

bool session_compose(const struct session_write *job, uint32_t offset, uint8_t *to, uint32_t length)
{
    for (uint32_t i = 0; i < length && job->kept_count > 0; i += WRY_PAGE_SIZE) {
        uint32_t at = offset + i;
        size_t count;
        const struct wry_journal_sector *kept = session_kept_within(
            job, at - at % WRY_SECTOR_SIZE, at - at % WRY_SECTOR_SIZE + 1, &count);
        if (count > 0)
            memcpy(to + i, kept->bytes + (at - kept->offset), WRY_PAGE_SIZE);
    }
    return wry_plan_overlay(job->plan, offset, to, length);
}

/* Old content is kept by whole pages, so content is composed by whole pages, as many at once as are
 * requested whole. */
static bool read_composed(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct session_composed *composed = context;
    uint8_t page[WRY_PAGE_SIZE];

    for (size_t done = 0; done < n;) {
        uint32_t at = offset + (uint32_t)done;
        uint32_t within = at % WRY_PAGE_SIZE;
        size_t piece = WRY_PAGE_SIZE - within < n - done ? WRY_PAGE_SIZE - within : n - done;
        if (piece == WRY_PAGE_SIZE) {
            piece = (n - done) / WRY_PAGE_SIZE * WRY_PAGE_SIZE;
            if (!session_compose(composed->job, composed->start + at, to + done, (uint32_t)piece))
                return false;
            done += piece;
            continue;
        }
        if (!session_compose(composed->job, composed->start + at - within, page, sizeof page))
            return false;
        memcpy(to + done, page + within, piece);
        done += piece;
    }
    return true;
}

struct wry_reader session_composed(struct session_composed *composed)
{
    return (struct wry_reader){.context = composed, .read = read_composed};
}
