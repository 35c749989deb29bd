/* The estimate of a write: it takes the same way through the plan without writing. */
#include "session_inner.h"

enum wry_status session_estimate_part(struct session_write *job)
{
    struct wry_session *session = job->session;
    struct session_choice choice = {0};
    struct wry_cost_part part = {.offset = job->part.start,
                                 .length = job->part.end - job->part.start,
                                 .erase_unit = SESSION_ERASE_MOST};
    enum wry_status status = session_heartbeat(session);

    if (status != WRY_OK)
        return status;
    session_window_begin(&session->window, &job->part);
    if (!session_count_pages(job, job->part.start, job->part.end, &part.pages))
        return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, part.offset);
    if (part.pages > 0)
        session_choose(job, &choice);
    if (session->stopped)
        return WRY_STOPPED;
    part.coding = choice.coding;
    part.line_bytes = choice.coding != 0 ? choice.line_bytes : part.pages * WRY_PAGE_SIZE;
    if (wry_coding_needs_old(part.coding))
        part.erase_unit = session->board.old_block;
    struct session_cost_terms terms = session_cost_terms(job, part.coding, choice.down);
    struct wry_cost cost = session_cost_of(&terms, &part, NULL);
    /* How line and flash wait for each other shows piece by piece. */
    if (part.pages > 0)
        cost.total = choice.time;
    cost.total += job->look_time; /* the span's first part has it */
    job->look_time = 0;
    if (!job->estimate->part(job->estimate->context, &part, &cost))
        return session_fail(session, WRY_SINK_FAILED, WRY_STEP_WRITE, part.offset);
    return WRY_OK;
}
