/* Checks of ranges in requests. */
#include "loader_inner.h"

bool loader_range_fits(struct wry_loader *loader, const struct wry_message *message,
                       struct wry_range_message *range)
{
    uint8_t code = WRY_ERROR_NONE;

    if (!wry_message_get_range(message, range)) {
        range->offset = 0;
        code = WRY_ERROR_MALFORMED;
    } else if (range->offset + range->length > loader->capacity) {
        code = WRY_ERROR_BAD_RANGE;
    }
    if (code != WRY_ERROR_NONE)
        loader_output_error(loader, message->kind, message->seq, code, range->offset);
    return code == WRY_ERROR_NONE;
}
