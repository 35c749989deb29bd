/*
 * Reading: chooses the next request. Known content is not read, and requests become longer once the
 * frame length is settled.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    KNOWN_PIECE = 0x10000, /* bytes of known content passed on at once */
    FIRST_LENGTH = 0x2000, /* most bytes of a request until the frame length is settled */
    QUICK_SPEED = 1500000, /* baud from which most boards pack more slowly than the line takes it */
};

uint32_t session_read_first_length(const struct wry_session *session)
{
    uint32_t length = FIRST_LENGTH;

    while (length > 4 * WRY_PAGE_SIZE && session_line_time(session, length) > 100 * US_PER_MS)
        length /= 2;
    return length;
}

/* Passes known content to the writer without the board. */
static enum wry_status skip_known(struct session_read_job *job)
{
    struct wry_session *session = job->session;
    const struct wry_known *known = session->config.known;
    uint8_t page[WRY_PAGE_SIZE];
    uint32_t n = job->skips
                     ? session_known_from(session, job->next,
                                          KNOWN_PIECE < job->end - job->next ? KNOWN_PIECE
                                                                             : job->end - job->next)
                     : 0;

    for (uint32_t i = 0; i < n; i += sizeof page) {
        if (!known->read(known->context, job->next, page, sizeof page)) {
            /* The caller failed to provide it: the board has it. */
            known->forget(known->context, job->next - job->next % WRY_SECTOR_SIZE, WRY_SECTOR_SIZE);
            break;
        }
        if (!job->writer->write(job->writer->context, job->next, page, sizeof page))
            return session_fail(session, WRY_SINK_FAILED, WRY_STEP_READ, job->next);
        job->next += (uint32_t)sizeof page;
        job->done += sizeof page;
        session->stats.bytes_known += sizeof page;
    }
    if (n == 0)
        return WRY_OK;
    session_advanced(session);
    return session_report(session, WRY_STEP_READ, job->next, job->done, job->total);
}

static enum wry_status skip_all_known(struct session_read_job *job)
{
    enum wry_status status = WRY_OK;
    uint32_t before;

    do {
        before = job->next;
        status = skip_known(job);
    } while (status == WRY_OK && job->next > before);
    return status;
}

enum wry_status session_read_ask(struct session_read_job *job)
{
    enum wry_status status = WRY_OK;

    for (size_t i = 0; i < WRY_SESSION_READS && job->next < job->end && status == WRY_OK; i++) {
        struct wry_session_read *read = &job->session->reads[i];
        if (read->active)
            continue;
        status = skip_all_known(job);
        uint32_t left = job->end - job->next;
        if (left == 0 || status != WRY_OK)
            break;
        if (job->skips)
            left = session_unknown_from(job->session, job->next,
                                        left < job->length ? left : job->length);
        memset(read, 0, sizeof *read);
        read->active = true;
        read->offset = job->next;
        uint32_t packed_most = session_unpack_length(job->session, job->total);
        read->packed = packed_most > 0 && job->session->ask_plain == 0;
        read->quick = read->packed && job->session->speed >= QUICK_SPEED;
        job->session->ask_plain -= job->session->ask_plain > 0;
        read->length = left < job->length ? left : job->length;
        if (read->packed && read->length > packed_most)
            read->length = packed_most;
        /* Frames then begin where pages do, and a blank page is seen for one. */
        if (job->next % WRY_PAGE_SIZE > 0 && read->length > WRY_PAGE_SIZE)
            read->length -= job->next % WRY_PAGE_SIZE;
        job->next += read->length;
        read->seq = read->seq_before = session_next_seq(job->session);
        status = session_question_ask(job->session, read, read->seq);
    }
    return status;
}
