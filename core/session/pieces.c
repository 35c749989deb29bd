/* How much of a part's content is blank, piece by piece: that is neither sent nor programmed. */
#include "session_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

bool session_count_pages(const struct session_write *job, uint32_t start, uint32_t end,
                         uint32_t *pages)
{
    uint8_t page[WRY_PAGE_SIZE];

    *pages = 0;
    for (uint32_t at = start; at < end; at += sizeof page) {
        if (!session_compose(job, at, page, sizeof page))
            return false;
        *pages += !wry_bytes_blank(page, sizeof page);
    }
    return true;
}

/* Bytes of a piece: whole erase units, as many as there is room for. */
static uint32_t piece_for(uint32_t length)
{
    uint32_t piece = SESSION_ERASE_MOST;

    while (length / piece >= SESSION_PIECES)
        piece *= 2;
    return piece;
}

/* True if the samples in the range and the next one after it are blank. */
static bool seems_blank(const struct session_write *job, uint32_t start, uint32_t end)
{
    uint32_t length = job->span.end - job->span.start, stride = job->samples_stride;

    if (job->blank_samples == 0)
        return false;
    uint32_t count = (length - 1) / stride + 1;
    uint32_t last = (end - 1 - job->span.start) / stride + 1;
    for (uint32_t i = (start - job->span.start) / stride; i <= last && i < count; i++) {
        if (!(job->blank_samples & 1u << i))
            return false;
    }
    return true;
}

uint32_t session_blank_bytes(const struct session_write *job)
{
    uint32_t length = job->span.end - job->span.start, bytes = 0;

    for (uint32_t at = 0, i = 0; at < length && job->blank_samples >> i > 0;
         at += job->samples_stride, i++) {
        if (job->blank_samples & 1u << i)
            bytes += length - at < job->samples_stride ? length - at : job->samples_stride;
    }
    return bytes;
}

const struct session_pieces *session_pieces(struct session_write *job)
{
    struct session_pieces *pieces = &job->pieces;
    uint32_t sent = 0;

    if (pieces->part.start == job->part.start && pieces->part.end == job->part.end)
        return pieces;
    uint32_t length = job->part.end - job->part.start, piece = piece_for(length);
    *pieces = (struct session_pieces){
        .part = job->part, .piece = piece, .count = (length - 1) / piece + 1};
    for (uint32_t i = 0; i < pieces->count; i++) {
        uint32_t start = job->part.start + i * piece;
        uint32_t end = job->part.end - start < piece ? job->part.end : start + piece;
        if (!session_count_pages(job, start, end, &pieces->pages[i]))
            pieces->pages[i] = (end - start) / WRY_PAGE_SIZE;
        if (seems_blank(job, start, end))
            bits_add(pieces->blank, i);
        sent += pieces->pages[i] * WRY_PAGE_SIZE;
        pieces->ends[i] = sent;
        /* A board must not take the time for a lost link. */
        if (session_keep_awake(job->session) != WRY_OK) {
            pieces->part = (struct wry_span){0};
            break;
        }
    }
    return pieces;
}
