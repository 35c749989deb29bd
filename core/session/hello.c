/* Hello: identifies the board and finds out whether its jobs of this session are still valid. */
#include "session_inner.h"

#include "bytes/memory.h"

/* A reset does not end a flash operation: erasing a whole chip takes minutes. */
#define FLASH_TIME (15 * 60 * 1000 * US_PER_MS)
#define FLASH_PAUSE (100 * US_PER_MS)

enum {
    ABANDON_TRIES = 3,
};

static bool window_is_sane(uint32_t window)
{
    return window >= WRY_SECTOR_SIZE && window <= WRY_PROGRESS_PAGES * WRY_PAGE_SIZE &&
           window % WRY_PAGE_SIZE == 0;
}

/* Checks the reply, so that later code can rely on its values. */
static bool reply_is_sane(const struct wry_hello_reply *reply)
{
    return window_is_sane(reply->window) && window_is_sane(reply->old_window) &&
           reply->payload_max >= WRY_PAGE_SIZE && reply->payload_max % WRY_PAGE_SIZE == 0 &&
           reply->capacity % WRY_SECTOR_SIZE == 0 && reply->top_speed >= WRY_STARTING_SPEED;
}

/* Compares what a job's plan depends on, which must not change during the job. */
static bool is_same_board(const struct wry_hello_reply *a, const struct wry_hello_reply *b)
{
    return memcmp(a->eui48, b->eui48, sizeof a->eui48) == 0 && a->chip_code == b->chip_code &&
           a->capacity == b->capacity && memcmp(a->jedec, b->jedec, sizeof a->jedec) == 0;
}

/* Accepts the reply. The same board must answer throughout. */
static enum wry_status accept_reply(struct wry_session *session,
                                    const struct wry_hello_reply *reply)
{
    if (reply->token != session->config.token)
        return WRY_NO_ANSWER;
    if (reply->version != WRY_PROTOCOL_VERSION)
        return session_fail(session, WRY_UNSUPPORTED, WRY_STEP_CONNECT, 0);
    if (!reply_is_sane(reply))
        return session_fail(session, WRY_REFUSED, WRY_STEP_CONNECT, 0);
    if (session->connected && !is_same_board(reply, &session->board))
        return session_fail(session, WRY_WRONG_BOARD, WRY_STEP_CONNECT, 0);
    session->board = *reply;
    session->continued = reply->continued;
    session->running &= reply->continued;
    session->connected = true;
    if (reply->capacity > 0 && reply->capacity <= WRY_FLASH_MAX)
        return WRY_OK;
    bool silent = reply->jedec[0] == 0 || reply->jedec[0] == 0xFF;
    session_fail(session, silent ? WRY_FLASH_SILENT : WRY_FLASH_UNSIZED, WRY_STEP_CONNECT, 0);
    session->fault.found = reply->capacity;
    return silent ? WRY_FLASH_SILENT : WRY_FLASH_UNSIZED;
}

static enum wry_status call(struct wry_session *session, unsigned tries, bool heard)
{
    struct wry_hello_message hello = {.heard = heard,
                                      .flash_size = session->config.flash_size,
                                      .token = session->config.token,
                                      .version_min = WRY_PROTOCOL_VERSION,
                                      .version_max = WRY_PROTOCOL_VERSION};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_message message;
    struct wry_hello_reply reply;

    size_t n = wry_message_put_hello(head, session_next_seq(session), &hello);
    enum wry_status status = session_exchange(session, head, n, tries, &message);
    if (status != WRY_OK)
        return status;
    if (!wry_message_get_hello_reply(&message, &reply))
        return session_fail(session, WRY_REFUSED, WRY_STEP_CONNECT, 0);
    return accept_reply(session, &reply);
}

static bool is_busy(const struct wry_session *session, enum wry_status status)
{
    return status == WRY_REFUSED && session->fault.found == WRY_ERROR_BUSY;
}

/* Repeats hello while the board reports that its flash is busy with an operation from before a
 * reset. */
enum wry_status session_hello(struct wry_session *session, unsigned tries)
{
    uint64_t until = session_now(session) + FLASH_TIME;
    enum wry_status status = call(session, tries, false);

    while (is_busy(session, status) && session_now(session) < until) {
        session->told.flash_busy = true;
        status = session_pause(session, session_now(session) + FLASH_PAUSE);
        if (status == WRY_OK)
            status = call(session, tries, false);
    }
    session->told.flash_busy = false;
    return is_busy(session, status) ? session_fail(session, WRY_STALLED, WRY_STEP_CONNECT, 0)
                                    : status;
}

enum wry_status session_hello_heard(struct wry_session *session, unsigned tries)
{
    return call(session, tries, true);
}

void session_abandon(struct wry_session *session)
{
    struct wry_fault fault = session->fault;

    session->ending = true;
    session->config.token++;
    if (session->connected && !session->port_failed)
        session_hello(session, ABANDON_TRIES);
    session->fault = fault;
}
