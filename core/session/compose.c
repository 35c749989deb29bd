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

static bool read_composed(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return session_compose(context, offset, to, (uint32_t)n);
}

struct wry_reader session_composed(struct session_write *job)
{
    return (struct wry_reader){.context = job, .read = read_composed};
}
