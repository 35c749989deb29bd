/*
 * Right sectors beside wrong ones: the flash erases a whole block sooner than many of its sectors.
 * Where the flash takes longer than the line, the right ones are then written again.
 */
#include "session_inner.h"

#include "bytes/bits.h"

enum {
    BLOCK_SECTORS = SESSION_ERASE_MOST / WRY_SECTOR_SIZE,
};

/* The sectors to be written, and the time that this takes, us. */
struct merge {
    const struct wry_session *session;
    uint8_t *dirty;
    uint32_t offset, count;
    uint8_t pages[SESSION_PIECE_SECTORS]; /* of each sector, those that are not blank */
    uint64_t line, flash;
    uint32_t page_line; /* us on the line for a page */
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

static uint32_t count_pages(const struct merge *merge, uint32_t first, uint32_t end, bool all)
{
    uint32_t pages = 0;

    for (uint32_t i = first; i < end; i++)
        pages += all || bits_has(merge->dirty, i) ? merge->pages[i] : 0;
    return pages;
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
                                       (end - i) * WRY_SECTOR_SIZE,
                                       count_pages(merge, i, end, true), false);
        i = end + (end == i);
    }
    return time;
}

/* Writes a whole block if everything is then done sooner. */
static void consider(struct merge *merge, uint32_t first)
{
    uint32_t wrong = count_dirty(merge, first, BLOCK_SECTORS), end = first + BLOCK_SECTORS;

    if (wrong == 0 || wrong == BLOCK_SECTORS)
        return;
    uint32_t pages = count_pages(merge, first, end, true);
    uint64_t flash = merge->flash - runs_time(merge, first, BLOCK_SECTORS) +
                     session_cost_flash(merge->session, merge->offset + first * WRY_SECTOR_SIZE,
                                        SESSION_ERASE_MOST, pages, false);
    uint64_t line =
        merge->line + (uint64_t)(pages - count_pages(merge, first, end, false)) * merge->page_line;
    if (longer(flash, line) >= longer(merge->flash, merge->line))
        return;
    merge->flash = flash;
    merge->line = line;
    for (uint32_t i = first; i < first + BLOCK_SECTORS; i++)
        bits_add(merge->dirty, i);
}

void session_merge(struct session_write *job, uint32_t offset, uint32_t count, uint8_t *dirty)
{
    struct merge merge = {
        .session = job->session, .dirty = dirty, .offset = offset, .count = count};
    uint32_t wrong = count_dirty(&merge, 0, count);
    uint32_t first =
        (SESSION_ERASE_MOST - offset % SESSION_ERASE_MOST) % SESSION_ERASE_MOST / WRY_SECTOR_SIZE;

    if (wrong == 0 || wrong == count)
        return;
    for (uint32_t i = 0; i < count; i++) {
        uint32_t at = offset + i * WRY_SECTOR_SIZE, pages;
        bool known = session_count_pages(job, at, at + WRY_SECTOR_SIZE, &pages);
        merge.pages[i] = known ? (uint8_t)pages : WRY_SECTOR_SIZE / WRY_PAGE_SIZE;
    }
    merge.flash = runs_time(&merge, 0, count);
    uint32_t all = count_pages(&merge, 0, count, true);
    /* If all were sent at once, the flash would take so long. */
    uint32_t least = session_cost_flash(job->session, offset, count * WRY_SECTOR_SIZE, all, false);
    if (merge.flash <= least / 2)
        return;
    if (all > 0) {
        struct wry_span span = {.start = offset, .end = offset + count * WRY_SECTOR_SIZE};
        uint32_t bytes = session_choose_for(job, &span).line_bytes;
        merge.page_line = (uint32_t)session_cost_line(job->session, bytes / all);
    }
    merge.line = (uint64_t)count_pages(&merge, 0, count, false) * merge.page_line;
    for (; first + BLOCK_SECTORS <= count; first += BLOCK_SECTORS)
        consider(&merge, first);
}
