/* Faults. */
#include "session_inner.h"

enum wry_status session_fail(struct wry_session *session, enum wry_status status,
                             enum wry_step step, uint32_t offset)
{
    session->fault = (struct wry_fault){.status = status, .step = step, .offset = offset};
    return status;
}

enum wry_status session_fail_range(struct wry_session *session, enum wry_status status,
                                   enum wry_step step, uint32_t offset, uint32_t length)
{
    session_fail(session, status, step, offset);
    session->fault.length = length;
    return status;
}

enum wry_status session_refused(struct wry_session *session, enum wry_step step, uint8_t code,
                                uint32_t offset)
{
    enum wry_status status = WRY_REFUSED;

    switch (code) {
    case WRY_ERROR_BAD_RANGE:
        status = WRY_BAD_RANGE;
        break;
    case WRY_ERROR_PROTECTED:
        status = WRY_PROTECTED;
        break;
    case WRY_ERROR_FLASH_FAILED:
        status = WRY_FLASH_FAILED;
        break;
    case WRY_ERROR_UNSUPPORTED:
        status = WRY_UNSUPPORTED;
        break;
    default:
        break;
    }
    session_fail(session, status, step, offset);
    session->fault.found = code;
    return status;
}

const struct wry_hello_reply *wry_session_board(const struct wry_session *session)
{
    return &session->board;
}

const struct wry_session_stats *wry_session_stats(const struct wry_session *session)
{
    return &session->stats;
}

const struct wry_fault *wry_session_fault(const struct wry_session *session)
{
    return &session->fault;
}
