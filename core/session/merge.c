/*
 * Right sectors beside wrong ones: the flash erases a whole block sooner than many of its sectors.
 * Where the flash takes longer than the line, the right ones are then written again.
 */
#include "session_inner.h"

#include "bytes/bits.h"

enum {
    BLOCK_SECTORS = SESSION_ERASE_MOST / WRY_SECTOR_SIZE,
    LOOK = 700,            /* ns per byte to read and hash what the flash has, */
    PACK_AGAIN = 400,      /* and for the computer to pack a part of it anew, */
    PACK_OLD_AGAIN = 1500, /* the same over old content */
};

/* The sectors to be written, and the time that this takes, us. */
struct merge {
    const struct wry_session *session;
    uint8_t *dirty;
    uint32_t offset, count;
    uint64_t line, flash;
    uint32_t sector_line; /* us on the line for a sector */
};

static uint64_t longer(uint64_t a, uint64_t b)
{
    return a > b ? a : b;
}

static uint32_t count_dirty(const struct merge *merge, uint32_t first, uint32_t count)
{
    uint32_t n = 0;

    for (uint32_t i = first; i < first + count; i++)
        n += bits_has(merge->dirty, i);
    return n;
}

/* us of the flash for the runs of wrong sectors. */
static uint32_t runs_time(const struct merge *merge, uint32_t first, uint32_t count)
{
    uint32_t time = 0;

    for (uint32_t i = first; i < first + count;) {
        uint32_t end = i;
        while (end < first + count && bits_has(merge->dirty, end))
            end++;
        if (end > i)
            time += session_cost_flash(merge->session, merge->offset + i * WRY_SECTOR_SIZE,
                                       (end - i) * WRY_SECTOR_SIZE);
        i = end + (end == i);
    }
    return time;
}

/* Writes a whole block if everything is then done sooner. */
static void consider(struct merge *merge, uint32_t first)
{
    uint32_t wrong = count_dirty(merge, first, BLOCK_SECTORS);

    if (wrong == 0 || wrong == BLOCK_SECTORS)
        return;
    uint64_t flash = merge->flash - runs_time(merge, first, BLOCK_SECTORS) +
                     session_cost_flash(merge->session, merge->offset + first * WRY_SECTOR_SIZE,
                                        SESSION_ERASE_MOST);
    uint64_t line = merge->line + (uint64_t)(BLOCK_SECTORS - wrong) * merge->sector_line;
    if (longer(flash, line) >= longer(merge->flash, merge->line))
        return;
    merge->flash = flash;
    merge->line = line;
    for (uint32_t i = first; i < first + BLOCK_SECTORS; i++)
        bits_add(merge->dirty, i);
}

/* The best way to send all of a range. */
static struct session_choice choose(struct session_write *job, uint32_t offset, uint32_t length)
{
    struct session_choice choice;

    job->part.start = offset;
    job->part.end = offset + length;
    session_window_begin(&job->session->window, &job->part);
    session_choose(job, &choice);
    return choice;
}

/* us on the line for a sector, when all of the range is sent. */
static uint32_t sector_line(struct session_write *job, const struct merge *merge)
{
    struct session_choice choice = choose(job, merge->offset, merge->count * WRY_SECTOR_SIZE);

    return (uint32_t)session_cost_line(job->session, choice.line_bytes / merge->count);
}

bool session_look_pays(struct session_write *job, const struct session_dirty *samples,
                       uint32_t stride)
{
    uint32_t offset = job->span.start, length = job->span.end - offset, wrong = 0, blocks = 0;
    uint32_t last = UINT32_MAX;

    for (uint32_t i = 0; i < samples->count; i++) {
        uint32_t block = (offset + i * stride) / SESSION_ERASE_MOST;
        if (!bits_has(samples->bits, i))
            continue;
        wrong++;
        blocks += block != last;
        last = block;
    }
    if (wrong == 0 || wrong < samples->count / 2)
        return true;
    struct session_choice whole = choose(job, offset, length);
    uint64_t line = session_cost_line(job->session, whole.line_bytes);
    uint32_t flash = session_cost_flash(job->session, offset, length);
    uint32_t all_blocks = (length - 1) / SESSION_ERASE_MOST + 1;
    /* Of the line's time those samples tell that differ, of the flash's the blocks that have one.
     */
    uint64_t part =
        longer(session_cost_line(job->session, whole.line_bytes / samples->count) * wrong,
               flash / all_blocks * blocks);
    uint32_t look = LOOK;
    if (whole.coding != 0)
        look += wry_coding_needs_old(whole.coding) ? PACK_OLD_AGAIN : PACK_AGAIN;
    return (uint64_t)(length / 1000) * look + part < longer(line, flash);
}

void session_merge(struct session_write *job, uint32_t offset, uint32_t count, uint8_t *dirty)
{
    struct merge merge = {
        .session = job->session, .dirty = dirty, .offset = offset, .count = count};
    uint32_t wrong = count_dirty(&merge, 0, count);
    uint32_t first =
        (SESSION_ERASE_MOST - offset % SESSION_ERASE_MOST) % SESSION_ERASE_MOST / WRY_SECTOR_SIZE;

    merge.flash = runs_time(&merge, 0, count);
    /* If all were sent at once, the flash would take so long. */
    uint32_t least = session_cost_flash(job->session, offset, count * WRY_SECTOR_SIZE);
    if (wrong == 0 || wrong == count || merge.flash <= least / 2)
        return;
    merge.sector_line = sector_line(job, &merge);
    merge.line = (uint64_t)wrong * merge.sector_line;
    for (; first + BLOCK_SECTORS <= count; first += BLOCK_SECTORS)
        consider(&merge, first);
}
