/* Reading content in pieces. */
#include "wrytograph/reader.h"

#include "bytes/memory.h"
#include "wrytograph/flash.h"

bool wry_reader_hash(const struct wry_reader *reader, uint32_t offset, uint32_t length,
                     struct wry_sha256 *sha)
{
    uint8_t piece[WRY_PAGE_SIZE];

    while (length > 0) {
        uint32_t n = length < sizeof piece ? length : (uint32_t)sizeof piece;
        if (!reader->read(reader->context, offset, piece, n))
            return false;
        wry_sha256_add(sha, piece, n);
        offset += n;
        length -= n;
    }
    return true;
}

static bool read_blank(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    (void)offset;
    memset(to, 0xFF, n);
    return true;
}

struct wry_reader wry_reader_blank(void)
{
    return (struct wry_reader){.read = read_blank};
}
