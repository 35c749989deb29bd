/*
 * One direction of a serial line: bytes of ten bit times, speed mismatch, noise.
 *
 * The sender queues bytes; each is delivered when its last bit has passed. A receiver at another
 * speed gets garbage. Noise hits single bits: in the data it flips one; in a start or stop bit the
 * byte is lost or doubled.
 */
#ifndef WRY_SIM_LINE_H
#define WRY_SIM_LINE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define SIM_LINE_ROOM 4096u

struct sim_line {
    uint8_t queue[SIM_LINE_ROOM];
    size_t room; /* bytes of the queue that this sender uses, at most SIM_LINE_ROOM */
    size_t head, fill;
    uint64_t head_due; /* ns: when the first queued byte has passed; 0 = idle */
    uint32_t sender_baud, receiver_baud;
    uint32_t timed_baud;  /* the speed to which */
    uint64_t byte_time;   /* ns of a byte belongs */
    uint32_t clean_baud;  /* the cable garbles bytes above this speed; 0 = no limit */
    uint32_t noise_ppb;   /* bit errors per 10^9 bits */
    uint32_t noise_above; /* noise occurs only above this speed; 0 = always */
    uint32_t lost_ppb;    /* bytes lost per 10^9, as by a busy computer or adapter */
    uint64_t random;
    bool looped;   /* sender and receiver are the same: always at one speed */
    bool cut;      /* the line is cut */
    uint64_t sent; /* bytes delivered */
    void (*deliver)(void *receiver, uint8_t byte, uint64_t at);
    void *receiver;
};

void sim_line_init(struct sim_line *line, size_t room, uint64_t seed,
                   void (*deliver)(void *receiver, uint8_t byte, uint64_t at), void *receiver);

/* Queues up to n bytes at time now (ns); returns their number. */
size_t sim_line_put(struct sim_line *line, const uint8_t *bytes, size_t n, uint64_t now);

/* Delivers the bytes that have passed by now. */
void sim_line_advance(struct sim_line *line, uint64_t now);

/* Drops queued bytes: the sender lost power or was reset. */
void sim_line_clear(struct sim_line *line);

#endif
