/*
 * Content sent as a stream: encoded on demand and kept in the packer's memory, a ring buffer, until
 * the board has it. In the window, pages of the stream replace pages of flash.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    PIECE = 4096, /* bytes encoded at once: a moment on any processor */
};

/* Reports the expected time of a sector, in units of 256 us: 32 bits hold twelve days. */
static void expect(struct session_write *job, uint64_t time)
{
    uint32_t sectors = (job->part.end - job->part.start) / WRY_SECTOR_SIZE;

    job->session->sector_time = (uint32_t)(time >> 8) / sectors << 8;
}

static void expect_erase(struct session_write *job)
{
    struct session_cost_terms terms = session_cost_terms(job, 0, false);
    struct wry_cost_part part = {.offset = job->part.start,
                                 .length = job->part.end - job->part.start,
                                 .erase_unit = SESSION_ERASE_MOST};

    expect(job, session_cost_of(&terms, &part, NULL).total);
}

void session_stream_begin(struct session_write *job, struct wry_erase_message *erase)
{
    struct wry_session *session = job->session;
    const struct wry_packer *packer = session->config.packer;
    struct session_choice choice;
    struct wry_stream_form form;

    job->coding = 0;
    job->down = false;
    if (job->erases) {
        expect_erase(job);
        return;
    }
    session_choose(job, &choice);
    expect(job, choice.time);
    struct wry_packing packing = session_packing(job, choice.coding, choice.down);
    if (choice.coding == 0 || !packer->begin(packer->context, &packing, &form))
        return;
    job->coding = erase->coding = choice.coding;
    job->down = choice.down;
    erase->window = packing.window;
    erase->filter = form.filter;
    erase->parameters = form.parameters;
    erase->old_length = form.old_length;
}

void session_stream_window(struct wry_session_window *window)
{
    window->is_stream = true;
    window->start = window->received = window->sent = window->limit = window->available = 0;
    window->end = UINT32_MAX;
}

/* Pads the stream to a whole page. */
static void end_stream(struct wry_session_window *window, const struct wry_packer *packer)
{
    while (window->packed % WRY_PAGE_SIZE != 0)
        packer->memory[window->packed++ % packer->size] = 0;
    window->end = window->packed;
}

/* Encodes until there is enough for a frame, the ring is full or the stream ends. */
enum wry_status session_stream_fill(struct session_write *job)
{
    struct wry_session *session = job->session;
    struct wry_session_window *window = &session->window;
    const struct wry_packer *packer = session->config.packer;
    uint32_t wanted = window->sent + WRY_PAYLOAD_MAX;
    uint32_t most = window->received + (uint32_t)packer->size;

    wanted = wanted < most ? wanted : most;
    while (window->end == UINT32_MAX && window->packed < wanted) {
        size_t at = window->packed % packer->size, given = 0;
        size_t room = packer->size - at;
        if (room > most - window->packed)
            room = most - window->packed;
        if (room > PIECE)
            room = PIECE;
        if (!packer->give(packer->context, packer->memory + at, room, &given))
            return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, window->hashed);
        window->packed += (uint32_t)given;
        if (given == 0)
            end_stream(window, packer);
        enum wry_status status = session_keep_awake(session);
        if (status != WRY_OK)
            return status;
    }
    window->available = window->packed - window->packed % WRY_PAGE_SIZE;
    return WRY_OK;
}

void session_stream_take(const struct wry_session *session, uint32_t offset, uint8_t *to,
                         uint32_t length)
{
    const struct wry_packer *packer = session->config.packer;

    for (uint32_t i = 0; i < length; i += WRY_PAGE_SIZE)
        memcpy(to + i, packer->memory + (offset + i) % packer->size, WRY_PAGE_SIZE);
}
