/*
 * The cost model: the time of a part, piece by piece. The line and the flash work at the same time,
 * within limits that the model follows: the board buffers a window, and of a stream over old
 * content a block may only be erased when all content before it is complete.
 */
#include "session_inner.h"

#include "bytes/bits.h"
#include "wrytograph/message.h"

/* Typical times, us. */
enum {
    PROGRAM_PAGE = 400,
    ERASE_4K = 45000,
    ERASE_32K = 120000,
    ERASE_64K = 150000,
};

/* ns per byte of a processor of 160 MHz, by its cycles as counted (boards/qemu-riscv/count.c). */
enum {
    NS_LINE = 281,    /* a byte from the line: 45 cycles */
    NS_HASHED = 500,  /* a byte of content, hashed: 80, */
    NS_AIDED = 25,    /* or 4 by an accelerator, */
    NS_COMPARED = 35, /* and compared: 5 */
    NS_INFLATE = 812, /* a byte of a deflate stream: 130, */
    NS_LZMA = 2250,   /* or of LZMA: 360, */
    NS_FAR = 6000,    /* and for what it refers to in the old flash, a read each, */
    NS_COPY = 87,     /* and of what it decodes to: 14 */
    NS_RECORDS = 162, /* a byte put together from old and new: 26 */
    /* A blank byte of a stream, for which the flash waits: less where a whole erase unit is decoded
     * ahead, or by inflate. */
    NS_BLANK = 400,
    NS_BLANK_INFLATE = 150,
    NS_BLANK_AHEAD = 140,
};

/* ns per byte of content: decoding waits for content that must be read from the flash, and what is
 * written from the end down is hashed afterwards. */
enum {
    OLD_WAIT = 90,
    OLD_WAIT_DOWN = 300,
    RECORDS_WAIT = 100,
    READ_AFTER = 200,
};

enum {
    OLD_BEGIN = 7000,     /* us until a part over old content begins: it is saved first */
    GAPS_APART = 6,       /* of pages between gaps, one part of so many does not overlap */
    WORK_APART = 16,      /* the flash waits for one part of so many of the processor's work */
    USUAL_RATE = 5,       /* bytes in 1 us: 40 MHz, one data line */
    FRAME_BYTES = 50,     /* extra bytes per frame: header, FCS, flags and escapes */
    REQUESTS_BYTES = 160, /* bytes of an erase and a digest request with their answers */
    DIGEST_BYTES = 36,    /* bytes of a sector's digest in an answer, */
    SHORT_BYTES = 9,      /* and of a short one */
};

/* True if the unit around an offset lies within the span. */
static bool holds_unit(const struct wry_span *span, uint32_t at, uint32_t unit)
{
    uint32_t start = at - at % unit;

    return start >= span->start && span->end - start >= unit;
}

/* us for a piece of a span: its share of the largest units that the span holds. Both are in whole
 * sectors. */
static uint32_t erase_time(const struct wry_span *span, uint32_t offset, uint32_t length,
                           uint32_t unit)
{
    uint32_t time = 0;

    for (uint32_t at = offset; at < offset + length; at += WRY_SECTOR_SIZE) {
        if (unit >= 0x10000 && holds_unit(span, at, 0x10000))
            time += ERASE_64K / (0x10000 / WRY_SECTOR_SIZE);
        else if (unit >= 0x8000 && holds_unit(span, at, 0x8000))
            time += ERASE_32K / (0x8000 / WRY_SECTOR_SIZE);
        else
            time += ERASE_4K;
    }
    return time;
}

/* Avoids 64-bit division, which small processors do in software. */
static uint64_t line_time(uint32_t bytes, uint32_t speed)
{
    uint32_t byte_ns = UINT32_C(1000000000) / (speed / 10);

    return (uint64_t)(bytes / 1000) * byte_ns + bytes % 1000 * byte_ns / 1000;
}

static uint64_t frames_time(uint32_t bytes, uint32_t speed)
{
    return line_time(bytes + bytes / FRAME_BYTES, speed);
}

/* us that bytes take at ns each; for less than 1000 bytes too few, which does not matter. */
static uint32_t at_ns(uint32_t bytes, uint32_t ns)
{
    return bytes / 1000 * ns;
}

static bool inflates(uint8_t coding)
{
    return coding == WRY_CODING_DEFLATE || coding == WRY_CODING_DIFFERENCE;
}

/* us of the processor for a piece. */
static uint32_t work_time(const struct session_cost_terms *terms, uint8_t coding, uint32_t stream,
                          uint32_t content)
{
    uint32_t time = at_ns(stream, NS_LINE) + at_ns(content, NS_COMPARED + terms->hash);

    if (inflates(coding))
        time += at_ns(stream, NS_INFLATE) + at_ns(content, NS_COPY);
    else if (coding != 0)
        time += at_ns(stream, NS_LZMA) + at_ns(content, NS_COPY);
    if (coding == WRY_CODING_LZMA_OLD)
        time += at_ns(stream, NS_FAR);
    if (coding == WRY_CODING_DIFFERENCE || coding == WRY_CODING_LZMA_DIFFERENCE)
        time += at_ns(content, NS_RECORDS);
    return time;
}

static uint64_t later(uint64_t a, uint64_t b)
{
    return a > b ? a : b;
}

/* When what is done by when, us. */
struct course {
    uint64_t line;  /* the piece has arrived */
    uint64_t flash; /* and is programmed */
    uint64_t busy;  /* sum of the flash's work */
    uint64_t work;  /* sum of the processor's */
    uint64_t ahead; /* us on the line of what the board buffers; 0: it buffers all */
    uint64_t sent;  /* us on the line of all so far */
    uint64_t shift; /* how much later than by the line alone it can be there, since the board must
                       first use what it has */
    struct {
        uint64_t line, used; /* us on the line before a piece, and when it begins to be used */
    } begun[SESSION_PIECES];
    uint32_t count, next; /* pieces, and the first one that does not hold up the line yet */
};

/* What one piece takes, us. */
struct piece {
    uint64_t line, erase, program, work;
    uint64_t last; /* to program what its last frame brings */
};

static struct piece piece_of(const struct session_cost_terms *terms,
                             const struct wry_cost_part *part, uint32_t at, uint32_t content,
                             uint32_t pages, uint32_t stream, bool blank)
{
    struct wry_span span = {.start = part->offset, .end = part->offset + part->length};
    uint32_t read = content / terms->rate;
    struct piece piece = {
        .line = frames_time(stream, terms->speed),
        .erase = blank ? read : erase_time(&span, part->offset + at, content, part->erase_unit),
        /* Each page is transferred to the flash and read back once. */
        .program = (uint64_t)pages * PROGRAM_PAGE + 2 * pages * WRY_PAGE_SIZE / terms->rate,
        .work = work_time(terms, part->coding, stream, content)};

    if (part->coding != 0)
        piece.program +=
            at_ns(content - pages * WRY_PAGE_SIZE, terms->decodes_unit      ? NS_BLANK_AHEAD
                                                   : inflates(part->coding) ? NS_BLANK_INFLATE
                                                                            : NS_BLANK);
    if (wry_coding_needs_old(part->coding))
        piece.erase += read + (at == 0 ? OLD_BEGIN : 0);
    if (part->coding == WRY_CODING_LZMA_OLD)
        piece.program += at_ns(content, terms->down ? OLD_WAIT_DOWN : OLD_WAIT);
    else if (wry_coding_needs_old(part->coding))
        piece.program += at_ns(content, RECORDS_WAIT);
    piece.last = stream > WRY_PAYLOAD_MAX ? (uint32_t)piece.program / (stream / WRY_PAGE_SIZE) *
                                                (WRY_PAYLOAD_MAX / WRY_PAGE_SIZE)
                                          : piece.program;
    /* A round trip carries a window at most. */
    uint32_t window_pages = terms->window / WRY_PAGE_SIZE;
    if (window_pages > 0)
        piece.line = later(piece.line, (uint64_t)(stream / WRY_PAGE_SIZE) *
                                           ((uint32_t)terms->latency / window_pages));
    return piece;
}

/* The line is at most a window ahead of what the board uses. */
static void add_line(struct course *course, const struct piece *piece, uint64_t used)
{
    course->begun[course->count].line = course->sent;
    course->begun[course->count++].used = used;
    course->sent += piece->line;
    while (course->ahead > 0 && course->next < course->count &&
           course->begun[course->next].line + course->ahead < course->sent) {
        uint64_t held = course->begun[course->next].line + course->ahead;
        uint64_t until = course->begun[course->next++].used;
        course->shift = later(course->shift, until > held ? until - held : 0);
    }
    course->line = course->sent + course->shift;
}

static void add_piece(struct course *course, const struct piece *piece, bool with_old)
{
    uint64_t program = piece->program + piece->work / WORK_APART;

    course->busy += piece->erase + piece->program;
    course->work += piece->work;
    if (!with_old) { /* erases go ahead while the flash waits for content */
        add_line(course, piece, course->flash);
        uint64_t busy = course->busy + course->work / WORK_APART;
        course->flash = later(later(course->flash + program, course->line), busy);
        course->flash = later(course->flash, course->work);
        return;
    }
    uint64_t erased = later(course->flash, course->line) + piece->erase;
    add_line(course, piece, erased);
    course->flash = later(erased + later(program, piece->work), course->line + piece->last);
}

uint64_t session_cost_line(const struct wry_session *session, uint32_t bytes)
{
    return frames_time(bytes, session->speed);
}

uint32_t session_flash_rate(const struct wry_session *session)
{
    return session->board.flash_rate > 0 ? session->board.flash_rate : USUAL_RATE;
}

uint32_t session_hash_time(const struct wry_session *session)
{
    return session->board.features & WRY_FEATURE_ACCELERATOR ? NS_AIDED : NS_HASHED;
}

uint64_t session_cost_look(const struct wry_session *session, uint32_t length, uint32_t blank,
                           bool whole)
{
    uint32_t hash = session_hash_time(session), read = 1000 / session_flash_rate(session);
    uint32_t answers = length / WRY_SECTOR_SIZE * (whole ? DIGEST_BYTES : SHORT_BYTES);
    uint64_t look = later(at_ns(length, read) + at_ns(length - blank, hash),
                          line_time(answers, session->speed));

    /* What short digests say is verified in the end. */
    return whole ? look : look + at_ns(length, hash + read);
}

uint32_t session_cost_flash(const struct wry_session *session, uint32_t offset, uint32_t length,
                            uint32_t pages, bool blank)
{
    struct wry_span span = {.start = offset, .end = offset + length};
    uint32_t rate = session_flash_rate(session);
    uint32_t erase = blank ? length / rate : erase_time(&span, offset, length, SESSION_ERASE_MOST);

    return erase + pages * PROGRAM_PAGE + 2 * pages * WRY_PAGE_SIZE / rate;
}

/* us that line and flash wait for each other where gaps are passed over: what is sent as pages
 * comes at most a window of the flash ahead. */
static uint64_t gaps_time(const struct course *course, uint32_t blank, uint32_t length)
{
    uint64_t both = course->sent < course->busy ? course->sent : course->busy;
    uint32_t pages = length / WRY_PAGE_SIZE, share = pages > 0 ? blank / pages : 0; /* of 256 */

    /* Without 64-bit division, in units of 1024 us. */
    return (uint64_t)((uint32_t)(both >> 10) / GAPS_APART) * share * 4;
}

struct wry_cost session_cost_of(const struct session_cost_terms *terms,
                                const struct wry_cost_part *part,
                                const struct session_pieces *pieces)
{
    bool with_old = wry_coding_needs_old(part->coding);
    uint32_t piece = pieces ? pieces->piece : part->length, before = 0, blank_bytes = 0;
    struct course course = {.ahead = frames_time(terms->window, terms->speed)};

    for (uint32_t at = 0, i = 0; at < part->length; at += piece, i++) {
        uint32_t content = part->length - at < piece ? part->length - at : piece;
        uint32_t end = pieces ? pieces->ends[i] : part->line_bytes;
        uint32_t pages = pieces ? pieces->pages[i] : part->pages;
        uint32_t stream = end > before ? end - before : 0; /* packers may be wrong */
        bool blank = terms->blank || (pieces && bits_has(pieces->blank, i));
        struct piece next = piece_of(terms, part, at, content, pages, stream, blank);
        add_piece(&course, &next, with_old);
        before = end;
        blank_bytes += content - pages * WRY_PAGE_SIZE;
    }
    uint64_t after = terms->down ? at_ns(part->length, READ_AFTER + terms->hash) : 0;
    if (part->coding == 0)
        after += gaps_time(&course, blank_bytes, part->length);
    return (struct wry_cost){.line = frames_time(part->line_bytes, terms->speed),
                             .flash = course.busy,
                             .total = course.flash + after +
                                      line_time(REQUESTS_BYTES, terms->speed) + 2 * terms->latency};
}
