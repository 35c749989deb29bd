/*
 * The way to send a part: every way that board and packer know is packed or estimated, and the one
 * that takes the least time by the cost model is taken. Ways whose flash and processor alone take
 * longer than another way in all are left out.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    WAYS_MOST = 6,
    DEFLATE_SPEED = 500000, /* baud */
    SAME = 128,             /* times that differ by one part of so many are the same, */
    MUCH_LESS = 16,         /* and then bytes that differ by more than one of so many decide */
    BLANK_QUICKER = 4,      /* times the rate at which a blank flash is read */
    UNSURE = 8,             /* an estimate may be wrong by one part of so many, */
    UNSURE_THOROUGH = 16,   /* and a thorough one */
};

/* The ways that are possible. */
struct ways {
    struct session_choice all[WAYS_MOST];
    unsigned count;
};

struct session_cost_terms session_cost_terms(const struct session_write *job, uint8_t coding,
                                             bool down)
{
    const struct wry_session *session = job->session;
    const struct wry_hello_reply *board = &session->board;
    /* What is blank proves no quicker way of reading, which the first page then does. */
    uint32_t quicker = job->blank ? BLANK_QUICKER : 1;

    return (struct session_cost_terms){.speed = session->speed,
                                       .latency = session->latency_least,
                                       .down = down,
                                       .blank = job->blank,
                                       .rate = quicker * session_flash_rate(session),
                                       .hash = session_hash_time(session),
                                       .decodes_unit = board->dictionary >= SESSION_ERASE_MOST,
                                       .window = wry_coding_needs_old(coding) ? board->old_window
                                                                              : board->window};
}

static struct wry_cost cost_of(const struct session_write *job, const struct session_choice *way,
                               const struct session_pieces *pieces)
{
    struct session_cost_terms terms = session_cost_terms(job, way->coding, way->down);
    bool with_old = wry_coding_needs_old(way->coding);
    struct wry_cost_part part = {.offset = job->part.start,
                                 .length = job->part.end - job->part.start,
                                 .coding = way->coding,
                                 .erase_unit =
                                     with_old ? job->session->board.old_block : SESSION_ERASE_MOST,
                                 .line_bytes = way->line_bytes};

    return session_cost_of(&terms, &part, pieces);
}

uint64_t session_time_of(const struct session_write *job, const struct session_choice *way,
                         const struct session_pieces *pieces)
{
    return cost_of(job, way, pieces).total;
}

/* us, if nothing of it had to cross the line. */
static uint64_t least_time(struct session_write *job, const struct session_choice *way)
{
    struct session_pieces nothing = *session_pieces(job);

    memset(nothing.ends, 0, sizeof nothing.ends);
    return cost_of(job, way, &nothing).total;
}

/* The least and the most time, if the estimate of the stream is wrong. */
static void bound_time(const struct session_write *job, struct session_choice *way,
                       const struct session_pieces *pieces, bool thorough)
{
    struct session_pieces shorter = *pieces, longer = *pieces;
    uint32_t unsure = thorough ? UNSURE_THOROUGH : UNSURE;

    way->least = way->most = way->time;
    if (way->exact)
        return;
    for (uint32_t i = 0; i < pieces->count; i++) {
        shorter.ends[i] -= shorter.ends[i] / unsure;
        longer.ends[i] += longer.ends[i] / unsure;
    }
    way->least = cost_of(job, way, &shorter).total;
    way->most = cost_of(job, way, &longer).total;
}

/* Of ways that take the same time, the one with much less on the line suffers less from noise. */
static bool is_better(const struct session_choice *a, const struct session_choice *b)
{
    if (a->time + a->time / SAME < b->time)
        return true;
    return b->time + b->time / SAME >= a->time &&
           a->line_bytes + a->line_bytes / MUCH_LESS < b->line_bytes;
}

static const struct session_choice *best_of(const struct ways *ways)
{
    const struct session_choice *best = &ways->all[0];

    for (unsigned i = 1; i < ways->count; i++) {
        if (is_better(&ways->all[i], best))
            best = &ways->all[i];
    }
    return best;
}

static bool cannot_win(struct session_write *job, const struct session_choice *way,
                       const struct ways *ways)
{
    if (ways->count == 0)
        return false;
    const struct session_choice *best = best_of(ways);
    return least_time(job, way) > best->most + best->most / SAME;
}

/* Adds a way with its time, if the packer can take it and it may be the best. */
static void weigh(struct session_write *job, struct session_choice way, struct ways *ways)
{
    struct wry_packing packing = session_packing(job, way.coding, way.down);
    struct session_pieces pieces;

    if (way.coding != 0 && (packing.window == 0 || cannot_win(job, &way, ways)))
        return;
    if (!session_measure(job, &way, &pieces))
        return;
    way.line_bytes = pieces.ends[pieces.count - 1];
    struct wry_cost cost = cost_of(job, &way, &pieces);
    way.time = cost.total;
    bound_time(job, &way, &pieces, packing.thorough);
    way.line_bound = cost.line > cost.flash / 2;
    ways->all[ways->count++] = way;
}

/* Ways that are still to be weighed. */
struct candidates {
    struct session_choice all[WAYS_MOST];
    unsigned count;
};

static void add(struct candidates *candidates, uint8_t coding, bool down)
{
    candidates->all[candidates->count++] = (struct session_choice){.coding = coding, .down = down};
}

/* Lets the packer measure several of them at once, those that may be the best. */
static void prepare(struct session_write *job, const struct candidates *candidates,
                    const struct ways *ways)
{
    const struct wry_packer *packer = job->session->config.packer;
    struct wry_packing packings[WAYS_MOST];
    const struct session_pieces *pieces = session_pieces(job);
    unsigned count = 0;

    for (unsigned i = 0; i < candidates->count; i++) {
        const struct session_choice *way = &candidates->all[i];
        packings[count] = session_packing(job, way->coding, way->down);
        count += packings[count].window > 0 && !session_is_measured(job, way) &&
                 !cannot_win(job, way, ways);
    }
    if (packer->prepare && count > 1)
        packer->prepare(packer->context, packings, count, pieces->piece, pieces->count);
}

static void weigh_all(struct session_write *job, struct candidates *candidates, struct ways *ways)
{
    prepare(job, candidates, ways);
    for (unsigned i = 0; i < candidates->count; i++)
        weigh(job, candidates->all[i], ways);
    candidates->count = 0;
}

static bool is_any_shared(struct session_write *job, uint32_t start, uint32_t end)
{
    size_t count;

    session_kept_within(job, start, end, &count);
    return count > 0;
}

static void add_with_old(struct session_write *job, struct candidates *candidates)
{
    const struct wry_hello_reply *board = &job->session->board;
    const struct wry_known *known = job->session->config.known;
    uint32_t length = job->part.end - job->part.start;

    if (!known || job->without_old || job->blank || board->old_block < WRY_SECTOR_SIZE ||
        known->covers(known->context, job->part.start, length) == 0)
        return;
    if (!(board->features & WRY_FEATURE_LZMA)) {
        add(candidates, WRY_CODING_DIFFERENCE, false);
        return;
    }
    add(candidates, WRY_CODING_LZMA_DIFFERENCE, false);
    if (is_any_shared(job, job->part.start, job->part.end))
        return;
    add(candidates, WRY_CODING_LZMA_OLD, false);
    add(candidates, WRY_CODING_LZMA_OLD, true);
}

/* True if the way may be better than the best by the estimates: where the flash takes longest it
 * does not matter. */
static bool is_open(const struct session_choice *way, const struct session_choice *best)
{
    return way->line_bound && way->least <= best->time;
}

/* Packs what the estimates leave open, the way that looks best first. */
static void settle(struct session_write *job, struct ways *ways)
{
    for (unsigned round = 0; round < WAYS_MOST; round++) {
        const struct session_choice *best = best_of(ways);
        unsigned rivals = 0, open = WAYS_MOST;
        for (unsigned i = 0; i < ways->count; i++) {
            const struct session_choice *way = &ways->all[i];
            rivals += way != best && is_open(way, best);
            if (is_open(way, best) && !way->exact && (open == WAYS_MOST || way == best))
                open = i;
        }
        if (rivals == 0 || open == WAYS_MOST)
            return;
        struct session_choice again = ways->all[open];
        ways->all[open] = ways->all[--ways->count];
        again.exact = true;
        weigh(job, again, ways);
    }
}

uint8_t session_fresh_coding(const struct session_write *job)
{
    const struct wry_packer *packer = job->session->config.packer;
    uint16_t features = job->session->board.features;

    if (!packer || job->as_pages || !(features & WRY_FEATURE_STREAMS) ||
        packer->size < WRY_PACKER_MEMORY_LEAST || packer->size % WRY_PAGE_SIZE != 0)
        return 0;
    return features & WRY_FEATURE_LZMA ? WRY_CODING_LZMA : WRY_CODING_DEFLATE;
}

static struct session_choice choose(struct session_write *job)
{
    const struct wry_session *session = job->session;
    uint8_t fresh = session_fresh_coding(job);
    struct ways ways = {0};
    struct candidates candidates = {0};

    weigh(job, (struct session_choice){.exact = true}, &ways);
    if (fresh != 0) {
        add(&candidates, fresh, false);
        /* Deflate is longer, but takes less of the board's processor. */
        if (fresh != WRY_CODING_DEFLATE && session->speed >= DEFLATE_SPEED)
            add(&candidates, WRY_CODING_DEFLATE, false);
        /* On a quick line new content alone usually rules out the others. */
        if (session->speed >= SESSION_THOROUGH_SPEED)
            weigh_all(job, &candidates, &ways);
        add_with_old(job, &candidates);
        weigh_all(job, &candidates, &ways);
        settle(job, &ways);
    }
    return *best_of(&ways);
}

void session_choose(struct session_write *job, struct session_choice *choice)
{
    struct session_chosen *chosen = job->chosen;

    for (unsigned i = 0; i < 2; i++) {
        if (chosen[i].part.start == job->part.start && chosen[i].part.end == job->part.end) {
            *choice = chosen[i].choice;
            return;
        }
    }
    *choice = choose(job);
    chosen[1] = chosen[0];
    chosen[0] = (struct session_chosen){.part = job->part, .choice = *choice};
}

void session_forget_choices(struct session_write *job)
{
    job->chosen[0] = job->chosen[1] = (struct session_chosen){.part = {.start = 0}};
}

struct session_choice session_choose_for(struct session_write *job, const struct wry_span *part)
{
    struct session_choice choice;

    job->part = *part;
    session_window_begin(&job->session->window, part);
    session_choose(job, &choice);
    return choice;
}

/* us for a sector by itself: pages of it, and its erase. */
static uint64_t sector_alone(const struct session_write *job)
{
    struct session_cost_terms terms = session_cost_terms(job, 0, false);
    struct wry_cost_part part = {.offset = job->part.start,
                                 .length = WRY_SECTOR_SIZE,
                                 .line_bytes = WRY_SECTOR_SIZE,
                                 .pages = WRY_SECTOR_SIZE / WRY_PAGE_SIZE};

    return session_cost_of(&terms, &part, NULL).total;
}

bool session_splits(struct session_write *job, const struct wry_span *part, struct wry_span *inner)
{
    const struct wry_known *known = job->session->config.known;
    uint32_t start = part->start, end = part->end;

    if (!known || !job->session->config.packer ||
        !(job->session->board.features & WRY_FEATURE_LZMA) || end - start < SESSION_ERASE_MOST)
        return false;
    start += is_any_shared(job, start, start + WRY_SECTOR_SIZE) ? WRY_SECTOR_SIZE : 0;
    end -= is_any_shared(job, end - WRY_SECTOR_SIZE, end) ? WRY_SECTOR_SIZE : 0;
    if (end - start == part->end - part->start || is_any_shared(job, start, end) ||
        known->covers(known->context, start, WRY_SECTOR_SIZE) == 0)
        return false;
    *inner = (struct wry_span){.start = start, .end = end};
    struct session_choice whole = session_choose_for(job, part),
                          old = {.coding = WRY_CODING_LZMA_OLD};
    uint32_t alone = (part->end - part->start - (end - start)) / WRY_SECTOR_SIZE;
    job->part = *inner;
    if (least_time(job, &old) + alone * sector_alone(job) > whole.most)
        return false;
    struct session_choice within = session_choose_for(job, inner);
    return within.coding == WRY_CODING_LZMA_OLD &&
           within.time + alone * sector_alone(job) < whole.time;
}
