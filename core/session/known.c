/* Reads that use content known to the caller. */
#include "session_inner.h"

enum {
    WORTH_SAMPLING = 32, /* sectors */
    SAMPLES = 256,       /* most samples: as many as one answer can hold */
};

void wry_session_set_known(struct wry_session *session, const struct wry_known *known)
{
    session->config.known = known;
}

static uint32_t to_boundary(uint32_t offset)
{
    return (WRY_SECTOR_SIZE - offset % WRY_SECTOR_SIZE) % WRY_SECTOR_SIZE;
}

enum wry_status session_sample(struct wry_session *session, uint32_t offset, uint32_t length)
{
    const struct wry_known *known = session->config.known;
    uint32_t skip = to_boundary(offset);

    if (!known || !(session->board.features & WRY_FEATURE_SPREAD) ||
        length < WORTH_SAMPLING * WRY_SECTOR_SIZE)
        return WRY_OK;
    offset += skip;
    length = (length - skip) / WRY_SECTOR_SIZE * WRY_SECTOR_SIZE;
    /* At most every fourth sector, since the board must hash each sample. */
    uint32_t fourth = length / WRY_SECTOR_SIZE / 4;
    uint8_t flags = session_spread_flags(session, length, fourth < SAMPLES ? fourth : SAMPLES);
    enum wry_status status = session_fetch_digest(session, offset, length, flags);
    size_t n = wry_digest_size(flags, length) / WRY_SECTOR_DIGEST_SIZE;
    for (size_t i = 0; status == WRY_OK && i < n; i++) {
        known->recognise(known->context, offset + (uint32_t)i * wry_digest_stride(flags),
                         session->cargo + i * WRY_SECTOR_DIGEST_SIZE, WRY_SECTOR_DIGEST_SIZE);
        status = session_heartbeat(session);
    }
    /* If the line carries no long answers, nothing is guessed. */
    return status == WRY_NO_ANSWER ? WRY_OK : status;
}

static bool is_known(const struct wry_session *session, uint32_t sector)
{
    const struct wry_known *known = session->config.known;

    return known && known->covers(known->context, sector, WRY_SECTOR_SIZE) == WRY_SECTOR_SIZE;
}

uint32_t session_known_from(const struct wry_session *session, uint32_t offset, uint32_t length)
{
    uint32_t n = 0;

    if (to_boundary(offset) > 0)
        return 0;
    while (length - n >= WRY_SECTOR_SIZE && is_known(session, offset + n))
        n += WRY_SECTOR_SIZE;
    return n;
}

uint32_t session_unknown_from(const struct wry_session *session, uint32_t offset, uint32_t length)
{
    uint32_t n = to_boundary(offset);

    if (!session->config.known)
        return length;
    while (n < length && !(length - n >= WRY_SECTOR_SIZE && is_known(session, offset + n)))
        n += WRY_SECTOR_SIZE;
    return n < length ? n : length;
}
