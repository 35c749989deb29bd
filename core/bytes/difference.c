/* Difference streams: heads of records. */
#include "wrytograph/difference.h"

enum state {
    HEAD,
    DISTANCE,
    RECORD,
    DAMAGED,
};

enum {
    GROUP_BITS = 7,
    MORE = 0x80,
    LAST_SHIFT = 28, /* shift of the last group of a 32-bit number */
    LAST_MOST = 0x0F,
};

void wry_difference_init(struct wry_difference_reader *difference, uint32_t offset)
{
    *difference = (struct wry_difference_reader){.at = offset, .state = HEAD};
}

/* Adds one group to the current number; true if it was the last one. */
static bool add_group(struct wry_difference_reader *d, uint8_t group)
{
    if (d->shift == LAST_SHIFT && group > LAST_MOST) {
        d->state = DAMAGED;
        return false;
    }
    d->value |= (uint32_t)(group & (MORE - 1)) << d->shift;
    d->shift = (uint8_t)(d->shift + GROUP_BITS);
    return (group & MORE) == 0;
}

static void end_number(struct wry_difference_reader *d)
{
    if (d->state == HEAD) {
        d->is_copy = (d->value & 1) != 0;
        d->left = d->value >> 1;
        d->state = d->left == 0 ? DAMAGED : d->is_copy ? DISTANCE : RECORD;
    } else {
        d->distance += (d->value & 1) ? ~(d->value >> 1) : d->value >> 1;
        d->state = RECORD;
    }
    d->value = 0;
    d->shift = 0;
}

enum wry_difference_result wry_difference_next(struct wry_difference_reader *difference,
                                               const uint8_t **bytes, size_t *n,
                                               struct wry_difference_piece *piece)
{
    while (*n > 0 && (difference->state == HEAD || difference->state == DISTANCE)) {
        bool ended = add_group(difference, **bytes);
        ++*bytes;
        --*n;
        if (ended)
            end_number(difference);
    }
    if (difference->state == DAMAGED)
        return WRY_DIFFERENCE_DAMAGED;
    if (difference->state != RECORD)
        return WRY_DIFFERENCE_INPUT;
    *piece = (struct wry_difference_piece){.is_copy = difference->is_copy,
                                           .source = difference->at + difference->distance,
                                           .length = difference->left};
    return WRY_DIFFERENCE_PIECE;
}

void wry_difference_used(struct wry_difference_reader *difference, uint32_t n)
{
    difference->at += n;
    difference->left -= n;
    if (difference->left == 0)
        difference->state = HEAD;
}

static size_t put_number(uint8_t *to, uint32_t value)
{
    size_t n = 0;

    for (; value >= MORE; value >>= GROUP_BITS)
        to[n++] = (uint8_t)(value | MORE);
    to[n++] = (uint8_t)value;
    return n;
}

size_t wry_difference_put_head(uint8_t to[WRY_DIFFERENCE_HEAD_MAX], bool is_copy, uint32_t length,
                               int32_t distance_change)
{
    size_t n = put_number(to, length << 1 | is_copy);
    uint32_t change = (uint32_t)distance_change;

    if (is_copy)
        n += put_number(to + n, distance_change < 0 ? ~change << 1 | 1 : change << 1);
    return n;
}
