/*
 * Reading: a few requests in flight, each with a map of the pages that have come; what is missing
 * when a request ends is asked for again.
 */
#include "inner.h"

#include <string.h>

enum {
    SILENT_ROUNDS = 10,
};

struct read_job {
    struct wry_session *session;
    const struct wry_writer *writer;
    uint32_t next, end; /* not yet asked for */
    uint64_t done, total;
};

static uint32_t pages_of(uint32_t length)
{
    return (length + WRY_PAGE_SIZE - 1) / WRY_PAGE_SIZE;
}

static bool has(const struct wry_session_read *read, uint32_t page)
{
    return (read->have[page / 8] >> page % 8 & 1) != 0;
}

static enum wry_status ask(struct wry_session *session, struct wry_session_read *read,
                           uint32_t offset, uint32_t length)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = offset, .length = length};

    read->seq = session_next_seq(session);
    size_t n = wry_message_put_range(head, WRY_KIND_READ, 0, read->seq, &range);
    return session_send(session, head, n, NULL, 0);
}

/* Asks for the first missing stretch of a request; ends the request when nothing is missing. */
static enum wry_status ask_missing(struct wry_session *session, struct wry_session_read *read)
{
    uint32_t pages = pages_of(read->length), first = 0;

    while (first < pages && has(read, first))
        first++;
    read->active = first < pages;
    if (!read->active)
        return WRY_OK;
    uint32_t last = first;
    while (last < pages && !has(read, last))
        last++;
    uint32_t start = first * WRY_PAGE_SIZE;
    uint32_t end = last == pages ? read->length : last * WRY_PAGE_SIZE;
    return ask(session, read, read->offset + start, end - start);
}

static enum wry_status fill_requests(struct read_job *job)
{
    for (size_t i = 0; i < WRY_SESSION_READS && job->next < job->end; i++) {
        struct wry_session_read *read = &job->session->reads[i];
        uint32_t left = job->end - job->next;
        if (read->active)
            continue;
        memset(read, 0, sizeof *read);
        read->active = true;
        read->offset = job->next;
        read->length = left < WRY_SESSION_READ_LENGTH ? left : WRY_SESSION_READ_LENGTH;
        job->next += read->length;
        enum wry_status status = ask(job->session, read, read->offset, read->length);
        if (status != WRY_OK)
            return status;
    }
    return WRY_OK;
}

static bool any_active(const struct wry_session *session)
{
    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        if (session->reads[i].active)
            return true;
    }
    return false;
}

/* Hands content on; a blank stretch has no payload. */
static bool deliver(struct read_job *job, const struct wry_data_message *data)
{
    uint8_t blank[WRY_PAGE_SIZE];
    const struct wry_writer *writer = job->writer;

    if (data->encoding == WRY_ENCODING_STORED)
        return writer->write(writer->context, data->offset, data->payload, data->length);
    memset(blank, 0xFF, sizeof blank);
    for (uint32_t i = 0; i < data->length; i += WRY_PAGE_SIZE) {
        uint32_t left = data->length - i;
        if (!writer->write(writer->context, data->offset + i, blank,
                           left < WRY_PAGE_SIZE ? left : WRY_PAGE_SIZE))
            return false;
    }
    return true;
}

/* Content for one of the requests; anything that does not fit it is passed over. */
static enum wry_status on_data(struct read_job *job, const struct wry_message *message)
{
    struct wry_data_message data;

    if (!wry_message_get_data(message, &data))
        return WRY_OK;
    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        struct wry_session_read *read = &job->session->reads[i];
        if (!read->active || read->seq != message->seq || data.offset < read->offset ||
            data.offset + data.length > read->offset + read->length ||
            (data.offset - read->offset) % WRY_PAGE_SIZE != 0)
            continue;
        if (!deliver(job, &data))
            return session_fail(job->session, WRY_SOURCE_FAILED, WRY_STEP_READ, data.offset);
        uint32_t first = (data.offset - read->offset) / WRY_PAGE_SIZE;
        for (uint32_t p = first; p < first + pages_of(data.length); p++)
            read->have[p / 8] |= (uint8_t)(1u << p % 8);
        job->done += data.length;
        return session_report(job->session, WRY_STEP_READ, data.offset + data.length, job->done,
                              job->total);
    }
    return WRY_OK;
}

static enum wry_status on_end(struct read_job *job, uint16_t seq)
{
    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        struct wry_session_read *read = &job->session->reads[i];
        if (read->active && read->seq == seq)
            return ask_missing(job->session, read);
    }
    return WRY_OK;
}

static enum wry_status on_error(struct read_job *job, const struct wry_message *message)
{
    struct wry_error_message error;

    /* Busy: our request came twice; what is missing will be asked for again. */
    if (!wry_message_get_error(message, &error) || error.of_kind != WRY_KIND_READ ||
        error.code == WRY_ERROR_BUSY)
        return WRY_OK;
    return session_refused(job->session, WRY_STEP_READ, error.code, error.offset);
}

static enum wry_status on_message(struct read_job *job, const struct wry_message *message)
{
    switch (message->kind) {
    case WRY_KIND_DATA | WRY_KIND_REPLY:
        return on_data(job, message);
    case WRY_KIND_READ | WRY_KIND_REPLY:
        return on_end(job, message->seq);
    case WRY_KIND_ERROR:
        return on_error(job, message);
    default:
        return WRY_OK;
    }
}

/* Nothing came for a while: every open request is asked for again, the link first if need be. */
static enum wry_status ask_all_again(struct read_job *job, unsigned silent)
{
    struct wry_session *session = job->session;
    enum wry_status status = WRY_OK;

    if (silent >= SILENT_ROUNDS)
        status = session_recover(session, WRY_STEP_READ);
    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        if (session->reads[i].active)
            status = ask_missing(session, &session->reads[i]);
    }
    return status;
}

enum wry_status wry_session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                                 const struct wry_writer *writer)
{
    struct read_job job = {.session = session,
                           .writer = writer,
                           .next = offset,
                           .end = offset + length,
                           .total = length};
    struct wry_message message;
    unsigned silent = 0;
    bool got;

    if (length > session->board.capacity || offset > session->board.capacity - length)
        return session_fail(session, WRY_BAD_RANGE, WRY_STEP_READ, offset);
    memset(session->reads, 0, sizeof session->reads);
    enum wry_status status = fill_requests(&job);
    while (status == WRY_OK && any_active(session)) {
        status = session_receive(session, session_reply_deadline(session), &message, &got);
        if (status == WRY_OK) {
            silent = got ? 0 : silent + 1;
            status = got ? on_message(&job, &message) : ask_all_again(&job, silent);
        }
        if (status == WRY_LINK_LOST && session->port_failed)
            status = ask_all_again(&job, SILENT_ROUNDS);
        if (silent >= SILENT_ROUNDS)
            silent = 0;
        if (status == WRY_OK)
            status = fill_requests(&job);
    }
    return status;
}

enum wry_status wry_session_back_up(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer,
                                    uint8_t digest[WRY_SHA256_SIZE])
{
    uint16_t seq;
    /* Asked for first: the board hashes while the line is busy with content. */
    enum wry_status status = session_ask_digest(session, offset, length, 0, &seq);

    if (status == WRY_OK)
        status = wry_session_read(session, offset, length, writer);
    return status == WRY_OK ? wry_session_digest(session, offset, length, digest) : status;
}
