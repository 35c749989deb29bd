/*
 * Recovery of interrupted writes.
 *
 * For a shared sector the journal has its content before the write (old) and its intended content.
 * An interruption leaves pages that have either, are blank, or are in between: erasing only sets
 * bits of the old content, programming only clears bits of a blank page. A sector with any other
 * page has been written by somebody since, perhaps from another computer, and is left alone. A page
 * of few or no set bits could be in between anything; it counts only if another page shows the
 * interruption.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    BITS_TO_TELL = 64, /* set bits of a page that other content would hardly all have */
};

/* The current content of the flash, judged against the stored one. */
struct look {
    struct wry_journal_sector *old;
    const uint8_t *intended;
    bool newer;        /* a page that an interruption cannot leave */
    bool cut;          /* a page that only an interruption leaves */
    bool doubtful;     /* a page that could be either */
    bool has_intended; /* where old and intended differ, the flash has the intended */
};

void wry_session_set_journal(struct wry_session *session, const struct wry_journal *journal)
{
    session->config.journal = journal;
}

enum page_look {
    PAGE_OTHER,    /* the content has set bits that the page lacks */
    PAGE_DOUBTFUL, /* the content has hardly any set bits */
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

/* Receives the sector page by page. The old content of a fully replaced page was not stored: its
 * current content counts as old. */
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
 * The intended content is complete, perhaps from work that ended long ago. If this write is
 * interrupted, the sector must not be reset to the older content, so the journal gets the current
 * one as its old content first.
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
 * Writes a whole sector. It has no neighbours, so their memory can hold it. It is not sent as a
 * difference: if the assumed old content is wrong, an interruption would leave pages that cannot be
 * classified.
 */
static enum wry_status put_back(struct wry_session *session, uint32_t offset, uint8_t *content)
{
    const struct wry_known *known = session->config.known;
    struct wry_placement placement = {.offset = offset,
                                      .length = WRY_SECTOR_SIZE,
                                      .reader = {.context = content, .read = read_kept}};
    /* A valid plan: one sector within the flash. */
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

/* Sectors that read correctly are written again: their cells may be half erased. */
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
    /* The old content of fully replaced pages that were erased is lost. */
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
