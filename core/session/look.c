/*
 * Whether it pays to look for the sectors that differ before a span is written: that takes time,
 * and the blank or right ones between them may take hardly any.
 */
#include "session_inner.h"

#include "bytes/bits.h"

enum {
    FEW = 3,          /* if at most one of so many samples differs, a look always pays */
    MUCH_LONGER = 16, /* than a look a write takes where what it teaches is worth it */
    SEVERAL = 4,      /* samples of which a single right one tells little */
    /* ns per byte for the computer to pack a part anew over old content, also thoroughly. New
     * content is packed while it is sent, and measured already. */
    PACK_OLD = 900,
    PACK_OLD_THOROUGHLY = 1500,
};

/*
 * What is expected to be written after a look. Right sectors among wrong ones are left alone, which
 * the flash pays for with an erase of each wrong one; or they are written again.
 */
struct rest {
    struct session_write *job;
    const struct session_choice *way;
    bool again;                /* right sectors are written again */
    struct session_pieces run; /* pieces that follow each other; its end tells where it ends */
    uint32_t bytes;            /* of content, in all runs */
    uint64_t flash;            /* us of the flash, if sectors are left alone */
    uint64_t time;             /* us of the runs before */
};

static void end_run(struct rest *rest)
{
    if (rest->run.count == 0)
        return;
    rest->job->part = rest->run.part;
    rest->time += session_time_of(rest->job, rest->way, &rest->run);
    rest->bytes += rest->run.part.end - rest->run.part.start;
    rest->run.count = 0;
}

/* us of the flash for the wrong sectors of a piece. */
static uint32_t flash_time(const struct rest *rest, uint32_t start, uint32_t end, uint32_t pages,
                           bool blank, uint32_t wrong, uint32_t of)
{
    uint32_t sectors = (end - start) / WRY_SECTOR_SIZE;
    const struct wry_session *session = rest->job->session;

    if (wrong == of || blank)
        return session_cost_flash(session, start, end - start, pages, blank) / of * wrong;
    return sectors * session_cost_flash(session, start, WRY_SECTOR_SIZE, pages / sectors, false) /
           of * wrong;
}

/* Adds a piece, of which a part is expected to differ. Over old content, what stays takes no bytes.
 */
static void add_piece(struct rest *rest, const struct session_pieces *pieces, uint32_t i,
                      uint32_t wrong, uint32_t of)
{
    struct session_pieces *run = &rest->run;
    uint32_t bytes = pieces->ends[i] - (i > 0 ? pieces->ends[i - 1] : 0);
    uint32_t start = pieces->part.start + i * pieces->piece;

    if (run->count == 0)
        *run = (struct session_pieces){.part.start = start, .piece = pieces->piece};
    run->part.end =
        pieces->part.end - start < pieces->piece ? pieces->part.end : start + pieces->piece;
    if (bits_has(pieces->blank, i))
        bits_add(run->blank, run->count);
    run->pages[run->count] = pieces->pages[i];
    if (!rest->again && !wry_coding_needs_old(rest->way->coding))
        bytes = bytes / of * wrong;
    run->ends[run->count] = (run->count > 0 ? run->ends[run->count - 1] : 0) + bytes;
    run->count++;
    if (!rest->again)
        rest->flash += flash_time(rest, start, run->part.end, pieces->pages[i],
                                  bits_has(pieces->blank, i), wrong, of);
}

/* ns per byte. */
static uint32_t packing_time(struct session_write *job, const struct session_choice *way)
{
    if (!wry_coding_needs_old(way->coding))
        return 0;
    return session_packing(job, way->coding, way->down).thorough ? PACK_OLD_THOROUGHLY : PACK_OLD;
}

/* The first sector of a program nearly always differs: its sample says nothing about others. */
static uint32_t first_of(const struct session_dirty *samples)
{
    return samples->count > 1 ? 1 : 0;
}

/* Sectors of a range that are expected to differ: each sample stands for those up to the next. */
static uint32_t wrong_within(const struct session_dirty *samples, uint32_t stride, uint32_t start,
                             uint32_t end)
{
    uint32_t wrong = 0;

    for (uint32_t at = start, next; at < end; at = next) {
        uint32_t i = at / stride, first = first_of(samples);
        next = (i + 1) * stride < end ? (i + 1) * stride : end;
        if (bits_has(samples->bits, i > first ? i : first))
            wrong += (next - at) / WRY_SECTOR_SIZE;
    }
    return wrong;
}

/* us to write what differs, as far as the samples tell, and to pack it before. */
static uint64_t time_of_rest(struct rest *rest, const struct session_pieces *pieces,
                             const struct session_dirty *samples, uint32_t stride)
{
    uint32_t length = pieces->part.end - pieces->part.start;

    for (uint32_t i = 0; i < pieces->count; i++) {
        uint32_t at = i * pieces->piece;
        uint32_t end = length - at < pieces->piece ? length : at + pieces->piece;
        uint32_t wrong = wrong_within(samples, stride, at, end);
        if (wrong > 0)
            add_piece(rest, pieces, i, wrong, (end - at) / WRY_SECTOR_SIZE);
        else
            end_run(rest);
    }
    end_run(rest);
    uint64_t time = rest->time > rest->flash ? rest->time : rest->flash;
    return time + (uint64_t)(rest->bytes / 1000) * packing_time(rest->job, rest->way);
}

static uint64_t least_time_of_rest(struct session_write *job, const struct session_choice *way,
                                   const struct session_dirty *samples, uint32_t stride)
{
    struct session_pieces pieces;
    struct rest rest = {.job = job, .way = way};

    job->part = job->span;
    if (!session_measure(job, way, &pieces))
        return UINT64_MAX / 2;
    uint64_t alone = time_of_rest(&rest, &pieces, samples, stride);
    rest = (struct rest){.job = job, .way = way, .again = true};
    uint64_t again = time_of_rest(&rest, &pieces, samples, stride);
    return alone < again ? alone : again;
}

/* A look also tells which of the old content is known, which makes a stream over it shorter. */
static bool teaches(const struct session_write *job, uint64_t look,
                    const struct session_choice *whole)
{
    const struct wry_known *known = job->session->config.known;
    uint32_t length = job->span.end - job->span.start;

    if (!known || !wry_coding_needs_old(whole->coding) || look * MUCH_LONGER > whole->time)
        return false;
    return known->covers(known->context, job->span.start, length) < length / 4 * 3;
}

/* A single right sample may be chance, unless the first sector is right, too: a write that was cut
 * leaves such a start. */
static bool may_be_chance(const struct session_dirty *samples, uint32_t wrong, uint32_t of)
{
    bool start = samples->count > 1 && !bits_has(samples->bits, 0) && !bits_has(samples->bits, 1);

    return wrong + 1 == of && of >= SEVERAL && !start;
}

bool session_look_pays(struct session_write *job, const struct session_dirty *samples,
                       uint32_t stride, bool by_whole)
{
    const struct wry_session *session = job->session;
    uint32_t wrong = 0, of = samples->count - first_of(samples);

    for (uint32_t i = first_of(samples); i < samples->count; i++)
        wrong += bits_has(samples->bits, i);
    if (wrong < of && wrong * FEW <= of)
        return true;
    struct session_choice whole = session_choose_for(job, &job->span);
    uint64_t look = session_cost_look(session, job->span.end - job->span.start,
                                      session_blank_bytes(job), by_whole);
    if (teaches(job, look, &whole))
        return true;
    if (wrong == of || may_be_chance(samples, wrong, of))
        return false;
    const struct session_choice ways[] = {
        whole, {.coding = 0}, {.coding = session_fresh_coding(job)}};
    for (size_t i = 0; i < sizeof ways / sizeof ways[0]; i++) {
        bool again = i > 0 && ways[i].coding == whole.coding;
        if (!again && look + least_time_of_rest(job, &ways[i], samples, stride) < whole.time)
            return true;
    }
    return false;
}
