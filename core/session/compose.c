/* What the flash must hold after a write: the images, laid over the old content of mixed sectors.
 */
#include "inner.h"

#include "bytes/memory.h"

bool session_compose(const struct session_write *job, uint32_t offset, uint8_t *to, uint32_t length)
{
    const struct wry_session *session = job->session;
    uint32_t tail = job->run.end - WRY_SECTOR_SIZE;

    for (uint32_t i = 0; i < length; i += WRY_PAGE_SIZE) {
        uint32_t at = offset + i;
        if (job->run.head_mixed && at < job->run.start + WRY_SECTOR_SIZE)
            memcpy(to + i, session->edges[0] + (at - job->run.start), WRY_PAGE_SIZE);
        else if (job->run.tail_mixed && at >= tail)
            memcpy(to + i, session->edges[1] + (at - tail), WRY_PAGE_SIZE);
    }
    return wry_plan_overlay(job->plan, offset, to, length);
}

/* In pages of which some are in the old content and some are not, so page by page. */
static bool read_composed(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct session_composed *composed = context;
    uint8_t page[WRY_PAGE_SIZE];

    for (size_t done = 0; done < n;) {
        uint32_t at = offset + (uint32_t)done;
        uint32_t within = at % WRY_PAGE_SIZE;
        size_t piece = WRY_PAGE_SIZE - within < n - done ? WRY_PAGE_SIZE - within : n - done;
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
