/* Digests of the intended content, for comparison with those of the board. */
#include "bytes/fields.h"
#include "session_inner.h"

enum wry_status session_hash(struct wry_session *session, const struct wry_reader *reader,
                             uint32_t offset, uint32_t length, uint8_t digest[WRY_SHA256_SIZE])
{
    struct wry_sha256 sha;
    enum wry_status status = WRY_OK;

    wry_sha256_begin(&sha);
    while (length > 0 && status == WRY_OK) {
        uint32_t n = length < WRY_PAGE_SIZE ? length : WRY_PAGE_SIZE;
        status = wry_reader_hash(reader, offset, n, &sha)
                     ? session_heartbeat(session)
                     : session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_DIGEST, offset);
        offset += n;
        length -= n;
    }
    wry_sha256_end(&sha, digest);
    return status;
}

enum wry_status session_hash_sectors(struct wry_session *session, const struct wry_reader *reader,
                                     uint32_t offset, uint32_t length,
                                     uint8_t digest[WRY_SHA256_SIZE])
{
    uint8_t sector[WRY_SHA256_SIZE];
    struct wry_sha256 sha;
    enum wry_status status = WRY_OK;

    wry_sha256_begin(&sha);
    for (uint32_t at = 0; at < length && status == WRY_OK; at += WRY_SECTOR_SIZE) {
        status = session_hash(session, reader, offset + at, WRY_SECTOR_SIZE, sector);
        if (status == WRY_OK)
            wry_sha256_add(&sha, sector, sizeof sector);
    }
    wry_sha256_end(&sha, digest);
    return status;
}

uint64_t session_short_digest(const uint8_t *from)
{
    return bytes_get32(from) | (uint64_t)bytes_get32(from + 4) << 32;
}

enum wry_status session_sector_sum(struct wry_session *session, const struct wry_reader *reader,
                                   uint32_t offset, uint64_t *sum)
{
    uint8_t digest[WRY_SHA256_SIZE];
    enum wry_status status = session_hash(session, reader, offset, WRY_SECTOR_SIZE, digest);

    *sum = session_short_digest(digest);
    return status;
}
