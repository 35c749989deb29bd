/* Digests of what the flash shall hold, to compare with those of the board. */
#include "inner.h"

enum wry_status session_hash(struct wry_session *session, const struct wry_reader *reader,
                             uint32_t offset, uint32_t length, uint8_t digest[WRY_SHA256_SIZE])
{
    struct wry_sha256 sha;
    enum wry_status status = WRY_OK;

    wry_sha256_begin(&sha);
    for (uint32_t done = 0; done < length && status == WRY_OK; done += WRY_PAGE_SIZE) {
        uint32_t n = length - done < WRY_PAGE_SIZE ? length - done : WRY_PAGE_SIZE;
        status = wry_reader_hash(reader, offset + done, n, &sha)
                     ? session_heartbeat(session)
                     : session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_DIGEST, done);
    }
    wry_sha256_end(&sha, digest);
    return status;
}

bool session_sector_sum(const struct wry_reader *reader, uint32_t offset, uint64_t *sum)
{
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    bool read = wry_reader_hash(reader, offset, WRY_SECTOR_SIZE, &sha);
    *sum = wry_sha256_end_short(&sha);
    return read;
}
