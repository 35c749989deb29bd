/*
 * Difference streams: new content as changes to the old content of the flash.
 *
 * A stream is a sequence of records. A record begins with a number in groups of seven bits, low
 * groups first, with the eighth bit set if another group follows: twice the length in bytes, plus 1
 * for a copy. In a literal record the bytes follow. In a copy record the change of the distance
 * from new to old content follows (in the same groups; twice its absolute value, less 1 if it is
 * negative), then as many bytes as the length says, which are added modulo 256 to the old bytes.
 * The distance begins at 0. docs/protocol.md has an example.
 *
 * The reader parses record heads and reports what follows. The caller moves the bytes: only the
 * caller has access to the old content.
 *
 *     struct wry_difference_reader difference;
 *     struct wry_difference_piece piece;
 *
 *     wry_difference_init(&difference, offset);
 *     while (wry_difference_next(&difference, &bytes, &n, &piece) == WRY_DIFFERENCE_PIECE)
 *         wry_difference_used(&difference, put_out(&piece));
 */
#ifndef WRYTOGRAPH_DIFFERENCE_H
#define WRYTOGRAPH_DIFFERENCE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_DIFFERENCE_HEAD_MAX 10u /* bytes of the longest record head: two 32-bit numbers */

enum wry_difference_result {
    WRY_DIFFERENCE_INPUT,   /* the input is used up: more is needed */
    WRY_DIFFERENCE_PIECE,   /* piece describes the rest of the current record */
    WRY_DIFFERENCE_DAMAGED, /* not a valid stream */
};

/* The rest of the current record. */
struct wry_difference_piece {
    bool is_copy;
    uint32_t source; /* copy: flash offset of the first old byte; unchecked, any 32-bit value */
    uint32_t length; /* bytes, at least 1 */
};

struct wry_difference_reader {
    uint32_t at;       /* flash offset of the next byte of new content */
    uint32_t distance; /* from there to the old byte, modulo 2^32 */
    uint32_t value;    /* groups of the current number read so far */
    uint32_t left;     /* bytes of the current record left */
    uint8_t state;
    uint8_t shift;
    bool is_copy;
};

/* offset: flash offset of the first byte of new content. */
void wry_difference_init(struct wry_difference_reader *difference, uint32_t offset);

/*
 * Parses heads from *n bytes at *bytes, advancing both, until a record has begun. It may be called
 * again for the same record. After WRY_DIFFERENCE_DAMAGED it keeps returning that.
 */
enum wry_difference_result wry_difference_next(struct wry_difference_reader *difference,
                                               const uint8_t **bytes, size_t *n,
                                               struct wry_difference_piece *piece);

/* Reports that n bytes of the record were used, at most piece.length. */
void wry_difference_used(struct wry_difference_reader *difference, uint32_t n);

/* Writes the head of a record, for encoders; returns its length. distance_change only matters for a
 * copy. */
size_t wry_difference_put_head(uint8_t to[WRY_DIFFERENCE_HEAD_MAX], bool is_copy, uint32_t length,
                               int32_t distance_change);

#ifdef __cplusplus
}
#endif

#endif
