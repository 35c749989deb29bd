/* The blank test. */
#include "wrytograph/bytes.h"

bool wry_bytes_blank(const uint8_t *bytes, size_t n)
{
    size_t i = 0;

    /* Eight bytes at a time: a loader checks everything it erases. */
    for (; n - i >= 8; i += 8) {
        const uint8_t *at = bytes + i;
        if ((at[0] & at[1] & at[2] & at[3] & at[4] & at[5] & at[6] & at[7]) != 0xFF)
            return false;
    }
    for (; i < n; i++) {
        if (bytes[i] != 0xFF)
            return false;
    }
    return true;
}
