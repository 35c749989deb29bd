/*
 * Difference streams: new content told by what stood in the flash before.
 *
 * A stream is a row of records. Each begins with a number in groups of seven bits, low ones first,
 * the eighth bit set where another group follows: twice the length in bytes, plus 1 for a copy. A
 * literal record goes on with its bytes. A copy goes on with the change of the distance from new to
 * old content (in the same groups, twice its size, less 1 where it is negative), and then as many
 * bytes, which are added modulo 256 to the old ones. The distance begins at 0. docs/protocol.md
 * shows an example.
 *
 * The reader of a stream takes heads apart, and says what comes next; moving the bytes is the
 * caller's, who knows where old content is to be had.
 *
 *     struct wry_difference_reader difference;
 *     struct wry_difference_piece piece;
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

#define WRY_DIFFERENCE_HEAD_MAX 10u /* bytes of a record's head: two numbers of 32 bits */

enum wry_difference_result {
    WRY_DIFFERENCE_INPUT,   /* all that was given is used up: more is wanted */
    WRY_DIFFERENCE_PIECE,   /* a record is under way */
    WRY_DIFFERENCE_DAMAGED, /* it is no such stream */
};

/* What is left of the record in hand. */
struct wry_difference_piece {
    bool is_copy;
    uint32_t source; /* of a copy: flash offset of the first old byte; any number, to be checked */
    uint32_t length; /* bytes, not 0 */
};

struct wry_difference_reader {
    uint32_t at;       /* flash offset of the next byte of new content */
    uint32_t distance; /* from there to the old one, modulo 2^32 */
    uint32_t value;    /* of the number in hand */
    uint32_t left;     /* bytes of the record */
    uint8_t state;
    uint8_t shift;
    bool is_copy;
};

/* offset: flash offset of the first byte of new content. */
void wry_difference_init(struct wry_difference_reader *difference, uint32_t offset);

/*
 * Takes heads from *n bytes at *bytes, moving both on, until a record is under way. May be called
 * again without harm; after DAMAGED, that stays.
 */
enum wry_difference_result wry_difference_next(struct wry_difference_reader *difference,
                                               const uint8_t **bytes, size_t *n,
                                               struct wry_difference_piece *piece);

/* n bytes of the record were put out, and as many of the stream used up; at most piece.length. */
void wry_difference_used(struct wry_difference_reader *difference, uint32_t n);

/* Writes the head of a record, for encoders: its length. distance_change counts for copies. */
size_t wry_difference_put_head(uint8_t to[WRY_DIFFERENCE_HEAD_MAX], bool is_copy, uint32_t length,
                               int32_t distance_change);

#ifdef __cplusplus
}
#endif

#endif
