/* Making good what a cut write left behind. */
#include "inner.h"

#include <string.h>

void wry_session_set_keeper(struct wry_session *session, const struct wry_keeper *keeper)
{
    session->config.keeper = keeper;
}

static bool read_saved(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct wry_session *session = context;

    memcpy(to, session->edges[0] + offset, n);
    return true;
}

static enum wry_status put_back(struct wry_session *session, uint32_t offset)
{
    struct wry_placement placement = {.offset = offset,
                                      .length = WRY_SECTOR_SIZE,
                                      .reader = {.context = session, .read = read_saved}};
    struct wry_plan plan;
    struct wry_fault fault;

    if (wry_plan_init(&plan, &placement, 1, session->board.capacity, &fault) != WRY_OK)
        return session_fail(session, WRY_BAD_RANGE, WRY_STEP_WRITE, offset);
    return session_write(session, &plan);
}

enum wry_status wry_session_settle(struct wry_session *session, uint32_t *sectors)
{
    const struct wry_keeper *keeper = session->config.keeper;
    enum wry_status status = WRY_OK;
    uint32_t most = session->board.capacity / WRY_SECTOR_SIZE;
    uint32_t offset;

    session_begin_call(session);
    *sectors = 0;
    /* A whole sector has no neighbours, so the edges are free to hold it. */
    while (status == WRY_OK && keeper && *sectors < most &&
           keeper->saved(keeper->context, &offset, session->edges[0])) {
        status = put_back(session, offset);
        ++*sectors;
    }
    return status;
}
