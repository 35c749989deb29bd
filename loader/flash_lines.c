/*
 * Reading over several data lines at a fast clock, as far as the part's tables and the board allow.
 * Wires that are missing and modes that are not enabled give wrong bytes, not errors: a way counts
 * only once it has read, like plain reads do, a page in which every line carries both values. Until
 * then, on a blank flash for instance, reads are plain, and they are again when a page reads
 * differently.
 */
#include "bytes/memory.h"
#include "loader_inner.h"

enum {
    PROBES = 16, /* pages compared at first, evenly spaced */
    PIECE = 32,  /* bytes compared at once */
};

/* True if all of four lines carry ones and zeros. */
static bool is_varied(const uint8_t *page)
{
    uint8_t ones = 0, zeros = 0;

    for (unsigned i = 0; i < WRY_PAGE_SIZE; i++) {
        ones |= page[i];
        zeros |= (uint8_t)~page[i];
    }
    return ((ones | ones >> 4) & (zeros | zeros >> 4) & 0xF) == 0xF;
}

static bool reads_like(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    uint8_t bytes[PIECE];

    for (uint32_t i = 0; i < WRY_PAGE_SIZE; i += PIECE) {
        loader_flash_read(loader, offset + i, bytes, PIECE);
        if (memcmp(bytes, page + i, PIECE) != 0)
            return false;
    }
    return true;
}

static void use(struct wry_loader_part *part, uint8_t lines)
{
    part->lines = lines;
    part->read_command = part->reads[lines / 2];
}

/* The fastest way that reads the page right. */
static void settle(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    struct wry_loader_part *part = &loader->part;

    for (uint8_t lines = 4; lines > 0; lines /= 2) {
        use(part, lines);
        if (lines <= loader->identity.flash_lines && part->read_command != 0 &&
            reads_like(loader, offset, page))
            return;
    }
    loader_flash_read_plainly(loader);
}

void loader_flash_read_plainly(struct wry_loader *loader)
{
    loader->part.lines = loader->part.read_command = 0;
}

void loader_flash_learn(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    if (loader->part.lines_settled || !is_varied(page))
        return;
    loader->part.lines_settled = true;
    settle(loader, offset, page);
}

/* Other pages must read alike as well; one that does not shows a way at its limits. */
static void check_more(struct wry_loader *loader, uint32_t offset)
{
    struct wry_loader_part *part = &loader->part;
    uint8_t lines = part->lines;

    loader_flash_read_plainly(loader);
    loader_flash_read(loader, offset, loader->slice, WRY_PAGE_SIZE);
    use(part, lines);
    if (!reads_like(loader, offset, loader->slice))
        loader_flash_read_plainly(loader);
}

void loader_flash_choose_lines(struct wry_loader *loader)
{
    struct wry_loader_part *part = &loader->part;

    loader_flash_read_plainly(loader);
    part->lines_settled = loader->identity.flash_lines == 0 || loader->identity.flash_mhz == 0;
    if (part->lines_settled || loader->capacity == 0)
        return;
    for (uint32_t i = 0; i < PROBES; i++) {
        uint32_t offset = loader->capacity / PROBES * i;
        if (part->lines > 0) {
            check_more(loader, offset);
            continue;
        }
        loader_flash_read(loader, offset, loader->slice, WRY_PAGE_SIZE);
        loader_flash_learn(loader, offset, loader->slice);
    }
}
