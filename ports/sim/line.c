/* One direction of a serial line. */
#include "line.h"

#include <string.h>

#include "random.h"

#define NS_PER_S UINT64_C(1000000000)

enum {
    BITS_PER_BYTE = 10,
    /* Difference of the speeds in per mille: harmless up to the first, fatal from the second. In
     * between the last bits of more and more bytes are misread. */
    APART_HARMLESS = 20,
    APART_HOPELESS = 45,
};

void sim_line_init(struct sim_line *line, size_t room, uint64_t seed,
                   void (*deliver)(void *receiver, uint8_t byte, uint64_t at), void *receiver)
{
    memset(line, 0, sizeof *line);
    line->room = room;
    line->random = seed;
    line->sender_baud = line->receiver_baud = 115200;
    line->deliver = deliver;
    line->receiver = receiver;
}

/* Cached: dividing for each byte would cost a good part of the simulation. */
static uint64_t byte_time(struct sim_line *line)
{
    if (line->timed_baud != line->sender_baud) {
        line->timed_baud = line->sender_baud;
        line->byte_time = BITS_PER_BYTE * NS_PER_S / line->sender_baud;
    }
    return line->byte_time;
}

size_t sim_line_put(struct sim_line *line, const uint8_t *bytes, size_t n, uint64_t now)
{
    size_t taken = 0;

    if (line->fill == 0 && n > 0)
        line->head_due = now + byte_time(line);
    while (taken < n && line->fill < line->room) {
        size_t at = line->head + line->fill++;
        line->queue[at < line->room ? at : at - line->room] = bytes[taken++];
    }
    return taken;
}

static bool speeds_agree(struct sim_line *line)
{
    uint64_t a = line->sender_baud, b = line->receiver_baud;
    uint64_t apart = a > b ? a - b : b - a;

    if (line->looped)
        return true;
    if (line->clean_baud > 0 && a > line->clean_baud)
        return false;
    if (apart * 1000 <= b * APART_HARMLESS)
        return true;
    uint64_t beyond = apart * 1000 / b - APART_HARMLESS;
    return beyond < APART_HOPELESS - APART_HARMLESS &&
           sim_random(&line->random) % (APART_HOPELESS - APART_HARMLESS) >= beyond;
}

/* One random draw decides if any of the ten bits is hit. */
static bool struck(struct sim_line *line)
{
    if (line->noise_ppb == 0 || line->sender_baud <= line->noise_above)
        return false;
    return sim_random(&line->random) % NS_PER_S < (uint64_t)line->noise_ppb * BITS_PER_BYTE;
}

static bool is_lost(struct sim_line *line)
{
    return line->lost_ppb > 0 && sim_random(&line->random) % NS_PER_S < line->lost_ppb;
}

static void pass(struct sim_line *line, uint8_t byte, uint64_t at)
{
    line->sent++;
    if (line->cut || is_lost(line))
        return;
    if (!speeds_agree(line)) {
        line->deliver(line->receiver, (uint8_t)sim_random(&line->random), at);
        return;
    }
    if (!struck(line)) {
        line->deliver(line->receiver, byte, at);
        return;
    }
    unsigned bit = (unsigned)(sim_random(&line->random) % BITS_PER_BYTE);
    if (bit == 8)
        return;
    uint8_t flipped = bit < 8 ? (uint8_t)(1u << bit) : 0;
    line->deliver(line->receiver, byte ^ flipped, at);
    if (bit == 9)
        line->deliver(line->receiver, byte, at);
}

void sim_line_advance(struct sim_line *line, uint64_t now)
{
    while (line->fill > 0 && line->head_due <= now) {
        uint8_t byte = line->queue[line->head];
        uint64_t at = line->head_due;
        line->head = line->head + 1 < line->room ? line->head + 1 : 0;
        line->fill--;
        line->head_due = at + byte_time(line);
        pass(line, byte, at);
    }
}

void sim_line_clear(struct sim_line *line)
{
    line->fill = 0;
}
