/*
 * Prefix codes computed in place (Moffat and Katajainen, "In-place calculation of
 * minimum-redundancy codes", 1995); codes above the length limit are shortened by moving others
 * down.
 */
#include "huffman.h"

enum {
    LENGTH_MOST = 32,
    CODE_BITS = 15,
};

/* Sorts the symbols that occur, rarest first; returns their number. */
static unsigned sort(const uint16_t *uses, unsigned n, uint16_t *order)
{
    unsigned count = 0;

    for (unsigned i = 0; i < n; i++) {
        if (uses[i] > 0)
            order[count++] = (uint16_t)i;
    }
    for (unsigned gap = count / 2; gap > 0; gap /= 2) {
        for (unsigned i = gap; i < count; i++) {
            uint16_t moved = order[i];
            unsigned at = i;
            for (; at >= gap && uses[order[at - gap]] > uses[moved]; at -= gap)
                order[at] = order[at - gap];
            order[at] = moved;
        }
    }
    return count;
}

/* Weights in rising order become depths in falling order. n is at least 2. */
static void weights_to_depths(uint32_t *a, unsigned n)
{
    unsigned root = 0, leaf = 2, next;

    a[0] += a[1];
    for (next = 1; next < n - 1; next++) {
        for (unsigned child = 0; child < 2; child++) {
            uint32_t weight = leaf >= n || (root < next && a[root] < a[leaf]) ? a[root] : a[leaf];
            if (leaf >= n || (root < next && a[root] < a[leaf]))
                a[root++] = next;
            else
                leaf++;
            a[next] = child == 0 ? weight : a[next] + weight;
        }
    }
    a[n - 2] = 0;
    for (unsigned i = n - 2; i-- > 0;)
        a[i] = a[a[i]] + 1;
    unsigned available = 1, used = 0, at = n;
    int inner = (int)n - 2;
    for (uint32_t depth = 0; available > 0; depth++) {
        while (inner >= 0 && a[inner] == depth) {
            used++;
            inner--;
        }
        for (; available > used; available--)
            a[--at] = depth;
        available = 2 * used;
        used = 0;
    }
}

/* Counts the codes of each length and applies the limit. */
static void count_lengths(const uint32_t *depths, unsigned n, unsigned limit, unsigned *counts)
{
    uint32_t space = 0;

    for (unsigned i = 0; i < n; i++)
        counts[depths[i] < limit ? depths[i] : limit]++;
    for (unsigned length = 1; length <= limit; length++)
        space += counts[length] << (limit - length);
    for (; space > UINT32_C(1) << limit; space--) {
        unsigned length = limit - 1;
        while (counts[length] == 0)
            length--;
        counts[limit]--;
        counts[length]--;
        counts[length + 1] += 2;
    }
}

void huffman_lengths(const uint16_t *uses, unsigned n, unsigned limit, uint8_t *lengths,
                     uint16_t *order, uint32_t *weights)
{
    unsigned counts[LENGTH_MOST] = {0};
    unsigned count = sort(uses, n, order), at = 0;

    for (unsigned i = 0; i < n; i++)
        lengths[i] = 0;
    if (count < 2) {
        unsigned only = count == 1 ? order[0] : 0;
        lengths[only] = lengths[only == 0 ? 1 : 0] = 1;
        return;
    }
    for (unsigned i = 0; i < count; i++)
        weights[i] = uses[order[i]];
    weights_to_depths(weights, count);
    count_lengths(weights, count, limit, counts);
    for (unsigned length = limit; length > 0; length--) {
        for (unsigned i = 0; i < counts[length]; i++)
            lengths[order[at++]] = (uint8_t)length;
    }
}

void huffman_codes(const uint8_t *lengths, unsigned n, uint16_t *codes)
{
    unsigned counts[CODE_BITS + 1] = {0}, next[CODE_BITS + 2] = {0};

    for (unsigned i = 0; i < n; i++)
        counts[lengths[i]]++;
    counts[0] = 0;
    for (unsigned length = 1; length <= CODE_BITS; length++)
        next[length + 1] = (next[length] + counts[length]) << 1;
    for (unsigned i = 0; i < n; i++) {
        unsigned code = lengths[i] > 0 ? next[lengths[i]]++ : 0, reversed = 0;
        for (unsigned bit = 0; bit < lengths[i]; bit++, code >>= 1)
            reversed = reversed << 1 | (code & 1);
        codes[i] = (uint16_t)reversed;
    }
}
