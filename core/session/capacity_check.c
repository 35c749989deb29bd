/*
 * Detection of flash that is smaller than it claims.
 *
 * Such a die answers addresses beyond its end with content from its start, so a write there
 * overwrites other content. Before the first erase beyond half of the claimed size, sectors of both
 * halves are compared: those at the start, where programs are, and those that the write would
 * overwrite. One difference proves that the halves are distinct. If they are equal and contain
 * data, the flash is smaller. If everything compared is blank, nothing is proved, but nothing can
 * be lost either: after the write, session_check_echo looks for the new content in the lower half.
 */
#include "session_inner.h"

enum {
    FIRST_SECTORS = 2,  /* compared first, which settles it for a flash in use */
    PROBES = 3,         /* places compared in the range to be written */
    PROBE_SECTORS = 4,  /* sectors compared at each */
    START_SECTORS = 16, /* sectors compared at the start, where programs are */
};

struct halves {
    bool differ;
    bool hold_content; /* equal in both halves, but not all equal to each other */
};

static enum wry_status await_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                  uint16_t seq, uint64_t *sums)
{
    enum wry_status status =
        session_await_digest(session, offset, count * WRY_SECTOR_SIZE, WRY_FLAG_SECTORS, seq);

    for (uint32_t i = 0; i < count && status == WRY_OK; i++)
        sums[i] = session_short_digest(session->cargo + (size_t)i * WRY_SECTOR_DIGEST_SIZE);
    return status;
}

/* Requests the digests of two ranges at once, which saves a round trip. *got is false if an answer
 * did not come. */
static enum wry_status both_sums(struct wry_session *session, uint32_t low, uint32_t high,
                                 uint32_t count, uint64_t *below, uint64_t *above, bool *got)
{
    uint32_t length = count * WRY_SECTOR_SIZE;
    uint16_t low_seq, high_seq = 0;
    enum wry_status status = session_ask_digest(session, low, length, WRY_FLAG_SECTORS, &low_seq);

    if (status == WRY_OK)
        status =
            session_ask_digest(session, high, length, WRY_FLAG_SECTORS | WRY_FLAG_AFTER, &high_seq);
    if (status == WRY_OK)
        status = await_sums(session, low, count, low_seq, below);
    /* The first requested once more takes the place of the second. */
    *got = status == WRY_OK && !session->digest_asked_again;
    if (*got)
        status = await_sums(session, high, count, high_seq, above);
    *got = *got && status == WRY_OK;
    return status == WRY_NO_ANSWER || status == WRY_LINK_LOST ? WRY_OK : status;
}

static enum wry_status compare(struct wry_session *session, uint32_t low, uint32_t count,
                               struct halves *halves, uint64_t *like)
{
    uint32_t half = session->board.capacity / 2;
    uint64_t below[START_SECTORS], above[START_SECTORS];
    bool got = false;
    enum wry_status status = (session->board.features & WRY_FEATURE_AFTER) != 0
                                 ? both_sums(session, low, low + half, count, below, above, &got)
                                 : WRY_OK;

    if (status == WRY_OK && !got)
        status = session_sector_sums(session, low, count, below);
    if (status == WRY_OK && !got)
        status = session_sector_sums(session, low + half, count, above);
    for (uint32_t i = 0; i < count && status == WRY_OK; i++) {
        if (*like == 0)
            *like = below[i];
        halves->differ |= below[i] != above[i];
        /* A flash with the same content everywhere proves nothing. */
        halves->hold_content |= below[i] == above[i] && below[i] != *like;
    }
    return status;
}

static enum wry_status smaller(struct wry_session *session)
{
    session_fail_range(session, WRY_FLASH_SMALLER, WRY_STEP_WRITE, session->board.capacity / 2,
                       session->board.capacity / 2);
    session->fault.expected = session->board.capacity;
    session->fault.found = session->board.capacity / 2;
    return WRY_FLASH_SMALLER;
}

enum wry_status session_check_capacity(struct wry_session *session, uint32_t start, uint32_t end)
{
    uint32_t half = session->board.capacity / 2;
    uint32_t sectors = (end - start) / WRY_SECTOR_SIZE;
    uint32_t most = half / WRY_SECTOR_SIZE; /* half of a small flash has fewer */
    uint32_t first_look = most < START_SECTORS ? most : START_SECTORS;
    uint32_t probes = sectors > PROBES * PROBE_SECTORS ? PROBES : 1;
    struct halves halves = {0};
    uint64_t like = 0;
    enum wry_status status = compare(session, 0, FIRST_SECTORS, &halves, &like);

    if (status == WRY_OK && !halves.differ)
        status = compare(session, FIRST_SECTORS * WRY_SECTOR_SIZE, first_look - FIRST_SECTORS,
                         &halves, &like);
    for (uint32_t i = 0; i < probes && status == WRY_OK && !halves.differ; i++) {
        uint32_t first = sectors / probes * i;
        uint32_t count = sectors - first < PROBE_SECTORS ? sectors - first : PROBE_SECTORS;
        status = compare(session, start - half + first * WRY_SECTOR_SIZE, count, &halves, &like);
    }
    if (status != WRY_OK)
        return status;
    session->capacity_checked = halves.differ;
    return halves.hold_content && !halves.differ ? smaller(session) : WRY_OK;
}

enum wry_status session_check_echo(struct wry_session *session, uint32_t offset)
{
    uint32_t half = session->board.capacity / 2;
    struct halves halves = {0};
    uint64_t like = 1; /* equals no sector's digest, except by chance */
    enum wry_status status = compare(session, offset - half, 1, &halves, &like);

    if (status != WRY_OK)
        return status;
    session->capacity_checked = halves.differ;
    return halves.differ ? WRY_OK : smaller(session);
}
