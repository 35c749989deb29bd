/*
 * XMODEM: sending and receiving one file over a line of 8 data bits, after the protocol's published
 * descriptions (W. Christensen 1982; C. Forsberg, "XMODEM/YMODEM Protocol Reference", 1988), with
 * checksum or CRC and with blocks of 128 or 1024 bytes. A chip behind a board's console often takes
 * its firmware this way.
 *
 * A sender or receiver computes only: the caller passes in received bytes and the time, and
 * writes what comes out.
 *
 *     struct wry_xmodem_send send;
 *     wry_xmodem_send_begin(&send, &options, now());
 *     while (send.state == WRY_XMODEM_RUNNING) {
 *         size_t n = wry_xmodem_send_output(&send, now(), &bytes);
 *         write(bytes, n);
 *         got = read(byte, wry_xmodem_send_deadline(&send));   until then at the latest
 *         if (got && !wry_xmodem_send_input(&send, byte, now()))
 *             show(byte);                                   text of the other side
 *     }
 *
 * Neither checks more than the protocol has: a sum of 8 bits or a CRC of 16 bits for each block.
 * The other side learns no length: the last block is padded with 0x1A.
 */
#ifndef WRYTOGRAPH_XMODEM_H
#define WRYTOGRAPH_XMODEM_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/reader.h"

#ifdef __cplusplus
extern "C" {
#endif

enum {
    WRY_XMODEM_SMALL = 128,  /* bytes of content in a block */
    WRY_XMODEM_LARGE = 1024, /* likewise, "1K" */
    WRY_XMODEM_FRAME_MAX = 3 + WRY_XMODEM_LARGE + 2,
    WRY_XMODEM_PADDING = 0x1A,
    WRY_XMODEM_TRIES = 10, /* of a block, before a side gives up */
};

enum wry_xmodem_state {
    WRY_XMODEM_RUNNING,
    WRY_XMODEM_DONE,
    WRY_XMODEM_FAILED,
};

enum wry_xmodem_failure {
    WRY_XMODEM_NO_FAILURE,
    WRY_XMODEM_NOT_BEGUN,    /* the other side did not begin in time */
    WRY_XMODEM_NOT_ANSWERED, /* it fell silent */
    WRY_XMODEM_REFUSED,      /* it asked for the same block again and again */
    WRY_XMODEM_CANCELLED,    /* it cancelled */
    WRY_XMODEM_STOPPED,      /* this side did: wry_xmodem_send_cancel, wry_xmodem_receive_cancel */
    WRY_XMODEM_OUT_OF_ORDER, /* a block was missing, or came twice and differed */
    WRY_XMODEM_UNREADABLE,   /* the reader of the content failed */
};

struct wry_xmodem_options {
    uint32_t speed;      /* baud */
    uint64_t start_time; /* us to wait for the other side to begin */
    bool large;          /* sender: blocks of 1024 bytes where the other side checks by CRC. What is
                            left in the end goes in blocks of 128 if that takes fewer bytes */
    bool sum_only;       /* receiver: asks for checksums at once. Otherwise for CRCs, and for
                            checksums if that is not answered four times */
};

/* Members above the line are for everyone to read, the others are the sender's own. */
struct wry_xmodem_send {
    enum wry_xmodem_state state;
    enum wry_xmodem_failure failure;
    uint32_t done;     /* bytes of content that the other side has confirmed */
    uint32_t repeated; /* blocks that were sent again */
    uint8_t tries;     /* how often the latest one was */
    bool crc;          /* checked by CRC; valid once done > 0 */
    /* ---- */
    struct wry_xmodem_options options;
    struct wry_reader content;
    uint32_t length;
    uint8_t phase, number, asked, cans;
    uint8_t sent, answers; /* of the frame: how often it was sent, and answered */
    bool surplus;          /* the frame before was sent more often than it was answered */
    bool early;            /* a confirmation came too early for its last copy, */
    uint8_t only_early;    /* and so often no other followed */
    bool unpaced;          /* the line is faster than its speed says, such as over a network */
    bool pending;          /* the frame is to be written */
    bool again;            /* asked for again at least once: not only silence */
    uint64_t asked_at;     /* us: when the other side asked to begin */
    uint64_t answer_at;    /* us: before, the frame cannot have arrived */
    uint64_t until;        /* us */
    size_t frame_length, block;
    uint8_t frame[WRY_XMODEM_FRAME_MAX];
};

/* Begins to send length bytes of content, which is read block by block and must stay until the end.
 * now in us, of a clock that never runs back. */
void wry_xmodem_send_begin(struct wry_xmodem_send *send, const struct wry_xmodem_options *options,
                           const struct wry_reader *content, uint32_t length, uint64_t now);

/* Takes a byte that the other side sent. False if it does not belong to the protocol, but is text.
 */
bool wry_xmodem_send_input(struct wry_xmodem_send *send, uint8_t byte, uint64_t now);

/* The bytes to write now, and how many: 0 if there are none. They stay until the next call. */
size_t wry_xmodem_send_output(struct wry_xmodem_send *send, uint64_t now, const uint8_t **bytes);

/* us: when wry_xmodem_send_output wants to be called again at the latest. */
uint64_t wry_xmodem_send_deadline(const struct wry_xmodem_send *send);

/* Ends it as WRY_XMODEM_STOPPED. The output that follows cancels it on the other side. */
void wry_xmodem_send_cancel(struct wry_xmodem_send *send);

/* Members above the line are for everyone to read, the others are the receiver's own. */
struct wry_xmodem_receive {
    enum wry_xmodem_state state;
    enum wry_xmodem_failure failure;
    uint32_t done;     /* bytes received in whole blocks, padding included */
    uint32_t repeated; /* blocks that were asked for again */
    bool crc;          /* asks for CRCs */
    /* ---- */
    struct wry_xmodem_options options;
    uint8_t phase, number, cans, tries, asked;
    uint8_t output[8];
    size_t output_length;
    bool ready; /* the frame holds a block for wry_xmodem_receive_content */
    bool ended; /* the end was announced once */
    uint64_t begun, until, ask_at;
    size_t frame_length, frame_whole;
    uint8_t frame[WRY_XMODEM_FRAME_MAX];
};

/* Begins to receive. now as above. */
void wry_xmodem_receive_begin(struct wry_xmodem_receive *receive,
                              const struct wry_xmodem_options *options, uint64_t now);

/* As for the sender. After each byte, wry_xmodem_receive_content must be called. */
bool wry_xmodem_receive_input(struct wry_xmodem_receive *receive, uint8_t byte, uint64_t now);
size_t wry_xmodem_receive_output(struct wry_xmodem_receive *receive, uint64_t now,
                                 const uint8_t **bytes);
uint64_t wry_xmodem_receive_deadline(const struct wry_xmodem_receive *receive);
void wry_xmodem_receive_cancel(struct wry_xmodem_receive *receive);

/* The content of a block that is complete, once; 0 if there is none. It stays until the next byte.
 */
size_t wry_xmodem_receive_content(struct wry_xmodem_receive *receive, const uint8_t **content);

/* CRC-16/XMODEM: polynomial 0x1021, initial value 0, not reflected. crc: of the bytes before, or 0.
 */
uint16_t wry_xmodem_crc(uint16_t crc, const uint8_t *bytes, size_t n);

#ifdef __cplusplus
}
#endif

#endif
