/*
 * One direction of a serial line: bytes of ten bit times, speed mismatch, noise.
 *
 * The sender puts bytes into a queue; each is handed to the receiver when its last bit has passed.
 * A receiver listening at another speed gets garbage. Noise strikes single bits: in the data bits
 * it flips one, in the start or stop bit the byte is lost or doubled.
 */
#ifndef WRY_SIM_LINE_H
#define WRY_SIM_LINE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#define SIM_LINE_ROOM 4096u

struct sim_line {
    uint8_t queue[SIM_LINE_ROOM];
    size_t room; /* bytes of queue in use by this sender, at most SIM_LINE_ROOM */
    size_t head, fill;
    uint64_t head_due; /* ns when the first queued byte has passed; 0 when idle */
    uint32_t sender_baud, receiver_baud;
    uint32_t timed_baud;  /* the speed for which */
    uint64_t byte_time;   /* ns is known */
    uint32_t clean_baud;  /* above this speed the cable garbles bytes; 0 = no bound */
    uint32_t noise_ppb;   /* bit errors per 10^9 bits */
    uint32_t noise_above; /* noise strikes only at faster speeds than this; 0 = at any */
    uint32_t lost_ppb;    /* bytes lost of 10^9: a busy computer or adapter drops them */
    uint64_t random;
    bool looped;   /* the receiver is the sender: always at one speed */
    bool cut;      /* nothing arrives any more */
    uint64_t sent; /* bytes that have passed */
    void (*deliver)(void *receiver, uint8_t byte, uint64_t at);
    void *receiver;
};

void sim_line_init(struct sim_line *line, size_t room, uint64_t seed,
                   void (*deliver)(void *receiver, uint8_t byte, uint64_t at), void *receiver);

/* Takes up to n bytes at time now (ns); how many. */
size_t sim_line_put(struct sim_line *line, const uint8_t *bytes, size_t n, uint64_t now);

/* Delivers all bytes that have passed by now. */
void sim_line_advance(struct sim_line *line, uint64_t now);

/* Forgets what is queued: the sender lost power or was reset. */
void sim_line_clear(struct sim_line *line);

#endif
