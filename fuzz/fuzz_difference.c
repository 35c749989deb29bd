/* Any bytes as records of a difference stream: pieces are sane, and all at once is as byte by byte.
 */
#include "door.h"
#include "wrytograph/difference.h"

/* A number that stands for all that came out. */
static uint64_t read_all(const uint8_t *bytes, size_t n, size_t step)
{
    struct wry_difference_reader reader;
    struct wry_difference_piece piece;
    enum wry_difference_result result = WRY_DIFFERENCE_INPUT;
    uint64_t seen = 0;
    size_t in = 0;

    wry_difference_init(&reader, 0x40000);
    while (in < n && result != WRY_DIFFERENCE_DAMAGED) {
        const uint8_t *at = bytes + in;
        size_t left = n - in < step ? n - in : step, given = left;
        result = wry_difference_next(&reader, &at, &left, &piece);
        in += given - left;
        if (result != WRY_DIFFERENCE_PIECE || left == 0)
            continue;
        MUST(piece.length > 0);
        seen = seen * 31 + *at + piece.is_copy * (piece.source + UINT64_C(7));
        wry_difference_used(&reader, 1);
        in++;
    }
    return seen * 2 + (result == WRY_DIFFERENCE_DAMAGED);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    MUST(read_all(bytes, n, 1) == read_all(bytes, n, n));
    return 0;
}
