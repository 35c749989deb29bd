/*
 * Making good what a cut write left behind.
 *
 * A sector that a write shared with other content is known as it was (old) and as it should have
 * become (intended). A cut leaves pages that are one or the other, blank, or on the way: erasing
 * only sets bits of what was there, programming only clears bits of a blank page. A sector with any
 * other page was written by somebody since, on another computer perhaps: it is not touched. Of a
 * page of zeros anything may be on the way; it is believed where another page shows the cut.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    BITS_TO_TELL = 64, /* set in a page, which whoever writes another one would not all set again */
};

/* What the flash holds, beside what was kept. */
struct look {
    struct wry_journal_sector *old;
    const uint8_t *intended;
    bool newer;        /* a page that no cut leaves */
    bool cut;          /* a page that only a cut leaves */
    bool doubtful;     /* a page that may be either */
    bool has_intended; /* wherever old and intended differ, it is the intended */
};

void wry_session_set_journal(struct wry_session *session, const struct wry_journal *journal)
{
    session->config.journal = journal;
}

enum page_look {
    PAGE_OTHER,    /* the content has set bits that the page has not */
    PAGE_DOUBTFUL, /* the content has hardly any */
    PAGE_ON_THE_WAY,
    PAGE_SAME,
};

static enum page_look compare_page(const uint8_t *page, const uint8_t *content, size_t n)
{
    unsigned bits = 0;

    if (memcmp(page, content, n) == 0)
        return PAGE_SAME;
    for (size_t i = 0; i < n; i++) {
        if ((page[i] & content[i]) != content[i])
            return PAGE_OTHER;
        for (unsigned rest = content[i]; rest > 0; rest &= rest - 1)
            bits++;
    }
    return bits >= BITS_TO_TELL ? PAGE_ON_THE_WAY : PAGE_DOUBTFUL;
}

/* A writer; pages come one by one. Of a page that was all new content nobody knows what it held:
 * as old it counts as it is. */
static bool look_at(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct look *look = context;
    uint32_t within = offset - look->old->offset;
    uint8_t *old = look->old->bytes + within;
    const uint8_t *intended = look->intended + within;

    if (within < look->old->from || within >= look->old->to) {
        memcpy(old, bytes, n);
        look->has_intended &= memcmp(bytes, intended, n) == 0;
        return true;
    }
    enum page_look a = compare_page(bytes, old, n), b = compare_page(bytes, intended, n);
    enum page_look best = a > b ? a : b;
    look->newer |= best == PAGE_OTHER;
    look->cut |= best == PAGE_ON_THE_WAY;
    look->doubtful |= best == PAGE_DOUBTFUL && !wry_bytes_blank(bytes, n);
    for (size_t i = 0; i < n; i++)
        look->has_intended &= old[i] == intended[i] || bytes[i] == intended[i];
    return true;
}

static bool read_kept(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    memcpy(to, (const uint8_t *)context + offset, n);
    return true;
}

/*
 * The new content is all there, perhaps of work that is long done. Cut in what comes now, the
 * sector must not become what it was before that: from now on the new content is all that it can
 * be.
 */
static bool keep_new(struct wry_session *session, struct wry_journal_sector *content,
                     uint32_t offset)
{
    const struct wry_journal *journal = session->config.journal;
    const struct wry_reader reader = {.context = content->bytes, .read = read_kept};
    const struct wry_span span = {.start = offset, .end = offset + WRY_SECTOR_SIZE};

    content->offset = offset;
    content->from = 0;
    content->to = WRY_SECTOR_SIZE;
    return journal->begin(journal->context, &span, content, 1, &reader);
}

/*
 * A whole sector has no neighbours, so the memory for those is free to hold it. It does not go as a
 * difference: where what is believed of the old content is wrong, a cut would leave pages that
 * nobody can tell.
 */
static enum wry_status put_back(struct wry_session *session, uint32_t offset, uint8_t *content)
{
    const struct wry_known *known = session->config.known;
    struct wry_placement placement = {.offset = offset,
                                      .length = WRY_SECTOR_SIZE,
                                      .reader = {.context = content, .read = read_kept}};
    /* One sector within the flash: nothing that a plan could find fault with. */
    struct wry_plan plan = {
        .placements = &placement, .count = 1, .flash_size = session->board.capacity};

    session->config.known = NULL;
    enum wry_status status = session_write(session, &plan);
    session->config.known = known;
    if (known)
        known->forget(known->context, offset, WRY_SECTOR_SIZE);
    return status;
}

static enum wry_status yield(struct wry_session *session, uint32_t offset)
{
    const struct wry_journal *journal = session->config.journal;

    return journal->yield(journal->context, offset)
               ? WRY_OK
               : session_fail(session, WRY_JOURNAL_FAILED, WRY_STEP_READ, offset);
}

/* What is right where it should be is written once more: the cells may be half erased. */
static enum wry_status settle_sector(struct wry_session *session, enum wry_recovered *outcome)
{
    struct wry_journal_sector *old = &session->kept[0];
    uint8_t *intended = session->kept[1].bytes;
    struct look look = {.old = old, .intended = intended, .has_intended = true};
    struct wry_writer writer = {.context = &look, .write = look_at};
    uint32_t offset = old->offset;

    if (offset % WRY_SECTOR_SIZE != 0 || offset >= session->board.capacity) {
        *outcome = WRY_RECOVERED_BEYOND;
        return yield(session, offset);
    }
    enum wry_status status = session_read(session, offset, WRY_SECTOR_SIZE, &writer);
    if (status != WRY_OK)
        return status;
    if (look.newer || (look.doubtful && !look.cut)) {
        *outcome = WRY_RECOVERED_NEWER;
        return yield(session, offset);
    }
    *outcome = WRY_RECOVERED_PUT_BACK;
    /* What a cut has taken of the new content's pages is not known as it was. */
    bool lost = look.cut && (old->from > 0 || old->to < WRY_SECTOR_SIZE);
    if (look.has_intended && !keep_new(session, &session->kept[1], offset))
        return session_fail(session, WRY_JOURNAL_FAILED, WRY_STEP_JOURNAL, offset);
    return put_back(session, offset, look.has_intended || lost ? intended : old->bytes);
}

enum wry_status wry_session_recover(struct wry_session *session,
                                    const struct wry_recovery_sink *sink)
{
    const struct wry_journal *journal = session->config.journal;
    enum wry_kept answer = journal ? WRY_KEPT_YES : WRY_KEPT_NO;
    enum wry_status status = WRY_OK;
    uint32_t most = session->board.capacity / WRY_SECTOR_SIZE;
    enum wry_recovered outcome;

    session_begin_call(session);
    for (uint32_t n = 0; status == WRY_OK && answer == WRY_KEPT_YES && n <= most; n++) {
        answer = journal->saved(journal->context, &session->kept[0], session->kept[1].bytes);
        if (answer != WRY_KEPT_YES)
            break;
        uint32_t offset = session->kept[0].offset;
        status = settle_sector(session, &outcome);
        if (status == WRY_OK && sink)
            sink->sector(sink->context, offset, outcome);
    }
    return status == WRY_OK && answer == WRY_KEPT_UNKNOWN
               ? session_fail(session, WRY_JOURNAL_FAILED, WRY_STEP_READ, 0)
               : status;
}
