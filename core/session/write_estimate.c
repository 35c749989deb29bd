/* The estimate of a write: it takes the same way through the plan without writing. */
#include "session_inner.h"

static bool count_pages(const struct session_write *job, uint32_t *pages)
{
    uint8_t page[WRY_PAGE_SIZE];

    *pages = 0;
    for (uint32_t at = job->part.start; at < job->part.end; at += WRY_PAGE_SIZE) {
        if (!session_compose(job, at, page, sizeof page))
            return false;
        *pages += !wry_bytes_blank(page, sizeof page);
    }
    return true;
}

/* Measures the stream that was begun. False if content cannot be read. */
static bool count_stream(const struct session_write *job, uint32_t *length)
{
    const struct wry_packer *packer = job->session->config.packer;
    size_t given = 1;

    *length = 0;
    while (given > 0) {
        if (!packer->give(packer->context, packer->memory, packer->size, &given))
            return false;
        *length += (uint32_t)given;
    }
    return true;
}

enum wry_status session_estimate_part(struct session_write *job)
{
    struct wry_session *session = job->session;
    struct session_cost_terms terms = {.speed = session->speed,
                                       .latency = session_latency(session)};
    struct wry_cost_part part = {.offset = job->part.start,
                                 .length = job->part.end - job->part.start,
                                 .erase_unit = SESSION_ERASE_MOST};
    enum wry_status status = session_heartbeat(session);

    if (status != WRY_OK)
        return status;
    session_window_begin(&session->window, &job->part);
    if (!count_pages(job, &part.pages))
        return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, part.offset);
    part.coding = part.pages > 0 ? session_stream_begin(job) : 0;
    part.line_bytes = part.pages * WRY_PAGE_SIZE;
    if (part.coding != 0 && !count_stream(job, &part.line_bytes))
        return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, part.offset);
    if (part.coding == WRY_CODING_DIFFERENCE)
        part.erase_unit = session->board.old_block;
    struct wry_cost cost = session_cost_of(&terms, &part);
    if (!job->estimate->part(job->estimate->context, &part, &cost))
        return session_fail(session, WRY_SINK_FAILED, WRY_STEP_WRITE, part.offset);
    return WRY_OK;
}
