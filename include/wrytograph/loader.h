/*
 * The loader: the board's half of the protocol.
 *
 * It is a polled state machine for the program that answers in loading mode. It needs no operating
 * system, never blocks and never allocates. The firmware that hosts it fills in a board port, calls
 * wry_loader_init once and then wry_loader_poll forever. Each call takes the bytes that have
 * arrived, starts or advances at most one flash operation, does one slice of digest or read work,
 * and sends what the line accepts. Its result is the time that the board may sleep. The flash
 * erases and programs while data arrives in a window in RAM.
 *
 *     static struct wry_loader loader;
 *     static uint8_t memory[48 * 1024];
 *
 *     wry_loader_init(&loader, &board_port, &identity, memory, sizeof memory);
 *     for (;;)
 *         wry_loader_poll(&loader);
 *
 * Nothing from the line is trusted: every length, offset and count is checked against the flash and
 * the current job before use. docs/protocol.md describes each message.
 */
#ifndef WRYTOGRAPH_LOADER_H
#define WRYTOGRAPH_LOADER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/branch_filter.h"
#include "wrytograph/bytes.h"
#include "wrytograph/deflate.h"
#include "wrytograph/difference.h"
#include "wrytograph/frame.h"
#include "wrytograph/inflate.h"
#include "wrytograph/lzma.h"
#include "wrytograph/message.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_LOADER_RAM_MAX (16u * 1024u) /* bytes, upper bound of sizeof(struct wry_loader) */
#define WRY_LOADER_MEMORY_LEAST 4352u    /* bytes, the least memory to give to wry_loader_init */
#define WRY_LOADER_READS 4u              /* read requests held at once */
#define WRY_LOADER_DIGEST_SECTORS 256u   /* sectors in one sector digest */
#define WRY_LOADER_BLANK_SECTORS                                                                   \
    4096u /* leading sectors of a digest's range that can be remembered as blank */
#define WRY_LOADER_SPEED_CONFIRM                                                                   \
    400000u /* us after a speed change in which a good frame must arrive */
#define WRY_LOADER_SPEED_IDLE                                                                      \
    5000000u /* us without a good frame before the starting speed is restored, and */
#define WRY_LOADER_IDLE_FRAMES 4u /* in longest frames, which is more at slow speeds */
#define WRY_LOADER_RECEIVE_ROOM                                                                    \
    256u /* bytes that the port buffers between two polls: see receive */
#define WRY_LOADER_REST_MOST 100000u   /* us, the longest time between two polls; and */
#define WRY_LOADER_REST_WORK 10000u    /* while any work is in progress */
#define WRY_LOADER_FLASH_WAIT 4000000u /* us to wait for a flash whose status reads as all ones */

/* One SPI transaction with chip select low: sends out, then out2, then receives in. A port that has
 * one line and one clock ignores the last two members, and says so in wry_board_identity. */
struct wry_spi_transfer {
    const uint8_t *out;
    size_t out_length;
    const uint8_t *out2;
    size_t out2_length;
    uint8_t *in;
    size_t in_length;
    uint8_t data_lines; /* lines for out2 and in: 0 or 1, 2 or 4; out always goes on one. In bits:
                           on four lines the upper four bits of a byte first, the highest on IO3 */
    bool fast; /* at the clock of flash_mhz; otherwise at one that every flash takes, such as 40 MHz
                */
};

enum wry_work {
    WRY_WORK_FRAME_IN,   /* bytes unframed and checked */
    WRY_WORK_FRAME_OUT,  /* bytes framed */
    WRY_WORK_DIGEST,     /* bytes hashed, by the port's sha256 if it has one */
    WRY_WORK_SCAN,       /* bytes checked for being blank */
    WRY_WORK_COMPARE,    /* bytes compared */
    WRY_WORK_UNPACK,     /* bytes of a deflate stream decoded */
    WRY_WORK_COPY,       /* bytes that a stream decoded to */
    WRY_WORK_LZMA,       /* bytes of an LZMA stream decoded */
    WRY_WORK_FILTER,     /* bytes with branches restored */
    WRY_WORK_ADD,        /* bytes of new content computed from a difference */
    WRY_WORK_PACK,       /* bytes of content compressed */
    WRY_WORK_PACK_QUICK, /* bytes of content compressed with less search */
    WRY_WORK_PACK_RUN,   /* bytes of runs of one value compressed */
    WRY_WORK_TURN,       /* one call of wry_loader_poll; always 0 bytes */
};

struct wry_board_port {
    void *context;
    /* Stores up to room bytes that have arrived, without waiting; returns their number. Between two
     * polls more bytes arrive than a UART holds: at 2 Mbaud on a 160 MHz processor up to
     * WRY_LOADER_RECEIVE_ROOM, on a slower one proportionally more. An interrupt handler or DMA
     * must buffer them. */
    size_t (*receive)(void *context, uint8_t *to, size_t room);
    /* Accepts up to n bytes for sending, without waiting; returns their number. */
    size_t (*transmit)(void *context, const uint8_t *from, size_t n);
    /* True once all accepted bytes have left on the line. */
    bool (*transmitted)(void *context);
    void (*set_speed)(void *context, uint32_t baud);
    void (*spi)(void *context, const struct wry_spi_transfer *transfer);
    /* A clock in microseconds from any origin; it may wrap around. */
    uint32_t (*now)(void *context);
    /* Resets the chip into its firmware. If it returns, poll must not be called again. */
    void (*restart)(void *context);
    /* Called in each poll and after each slice of work, so that the board can feed its watchdog
     * here. A board that sleeps no longer than wry_loader_poll allows gets this call at least every
     * WRY_LOADER_REST_MOST, and every WRY_LOADER_REST_WORK while any work is in progress. */
    void (*worked)(void *context, enum wry_work work, uint32_t bytes);
    /* Hashes with the chip's accelerator; NULL: the loader does so itself. The state is that of
     * FIPS 180-4, in words. */
    void (*sha256)(void *context, uint32_t state[8], const uint8_t *blocks, size_t count);
};

struct wry_board_identity {
    uint16_t chip_code;
    uint8_t chip_revision;
    uint8_t eui48[WRY_EUI48_SIZE];
    uint32_t top_speed; /* baud */
    /* True if the flash has its block-protect bits where most parts have them: BP0 to BP2, TB and
     * SEC in bits 2 to 6 of the status register. Otherwise the loader finds out about protection
     * when an operation has no effect. */
    bool usual_protection;
    uint8_t flash_lines; /* data lines that spi can use and the board has: 0 (none but the usual two
                            one-way lines, at one clock), 1, 2, 4 */
    uint8_t flash_mhz;   /* clock of fast transfers, MHz; 0 = none. Both are used only as far as
                            the flash reports them and reads alike */
    uint8_t quad_program; /* the flash's command to program a page over four data lines after a
                             three-byte address, which its tables do not tell; 0 = none */
};

/* The flash operation in progress. */
enum wry_loader_op {
    WRY_OP_NONE,
    WRY_OP_ERASE,
    WRY_OP_PROGRAM,
    WRY_OP_UNPROTECT,
    WRY_OP_DROPPED, /* belongs to a cancelled job: the loader only waits for its end */
};

struct wry_loader_write {
    uint8_t state; /* enum wry_job_state */
    uint8_t flags; /* flags of the erase request */
    uint16_t seq;
    uint8_t error;
    uint32_t error_offset;
    uint32_t start, end; /* sector-aligned */
    uint32_t erased;     /* start to here is erased */
    uint32_t programmed; /* start to here is programmed; the window begins here */
    uint32_t looked;     /* erase without content: start to here was read back as blank */
    uint32_t received;   /* start to here has arrived; for a stream, its first so many bytes */
    uint32_t consumed;   /* stream: bytes decoded */
    uint8_t coding;      /* stream: enum wry_coding */
    uint32_t taken;      /* difference: decoded bytes already applied */
    uint32_t
        old_length;    /* WRY_CODING_LZMA_OLD: bytes of old content that the stream may refer to */
    uint32_t reported; /* value of programmed, or of consumed, in the last progress message */
    uint32_t scan;     /* next byte of the blank check */
    uint32_t scan_end; /* end of the current blank check, at most the next 64 KiB boundary */
    uint16_t dirty;    /* sectors of the 64 KiB block that ends at scan_end: bit n set if it must be
                          erased */
    uint8_t arrived[WRY_PROGRESS_PAGES / 8];
};

struct wry_loader_digest_next {
    bool asked;
    uint8_t flags;
    uint16_t seq;
    uint32_t start, end;
};

struct wry_loader_digest {
    struct wry_loader_digest_next next; /* started after this one is answered */
    uint8_t state;                      /* enum wry_job_state */
    uint8_t flags;
    uint16_t seq;
    uint32_t start, end;
    uint32_t at;
    uint32_t blank_to; /* at to here was found to be blank; it is hashed later */
    bool reply_due;
    bool sector_blank; /* the sector that contains at is blank so far */
    bool blank_hashed; /* blank_sector is known */
    struct wry_sha256 sha;
    uint8_t blank_sector[WRY_SHA256_SIZE]; /* digest of a blank sector */
    uint8_t result[WRY_LOADER_DIGEST_SECTORS * WRY_SECTOR_DIGEST_SIZE];
    uint8_t blank[WRY_LOADER_BLANK_SECTORS /
                  8]; /* known blank sectors, which a read need not check again */
};

struct wry_loader_read {
    uint16_t seq;
    uint16_t frame_max; /* bytes of content in a data frame */
    bool packed;        /* sent as a stream, whose pages are meant */
    bool quick;         /* packed with less search */
    bool again;         /* repeats a stream that is still cached: at counts its bytes */
    bool chosen;        /* only the pages in wanted are sent */
    uint32_t start, end;
    uint32_t at;
    uint32_t blank_from; /* bytes from here to at are blank and not reported yet */
    uint8_t wanted[WRY_READ_PAGES / 8];
};

/* A stream that was sent, or is being made. */
struct wry_loader_cached {
    uint32_t start, end; /* the content's range */
    uint32_t at;         /* position of its first byte, counted over all streams */
    uint32_t length;     /* bytes; 0 = not complete yet */
};

/* Ranges that protect the consistency of reads during writes. */
struct wry_loader_content {
    uint32_t unsettled_start,
        unsettled_end;               /* range still to be erased or programmed; empty if equal */
    uint32_t watch_start, watch_end; /* watched range: a change in here ends the watch */
    bool watch_broken;
};

/* The flash part and its commands. */
struct wry_loader_part {
    uint8_t state;                          /* state of the detection */
    uint32_t since;                         /* us */
    bool long_address;                      /* every command carries a four-byte address */
    bool own_commands;                      /* and there are separate commands for that */
    bool entered;                           /* the four-byte mode was entered */
    uint8_t erase_4k, erase_32k, erase_64k; /* erase commands; 0 = the part has none */
    bool assumed;                           /* the part reports none: these are the usual ones */
    uint8_t limit;                          /* enum wry_flash_limit */
    uint8_t least_log2;   /* log2 of the bytes of its smallest erase unit; 0 = not known */
    bool two_bytes;       /* writing one status byte would clear the second status register */
    bool by_flag;         /* it reports busy in its flag status register only */
    uint8_t size_from;    /* enum wry_flash_size_from */
    uint32_t told;        /* bytes of flash that the host knows of; 0 = none */
    uint8_t reads[3];     /* commands that read over 1, 2, 4 lines at the fast clock; 0 = none */
    uint8_t quad_program; /* likewise that programs a page over 4; 0 = none */
    bool lines_settled;   /* reading over several lines was tried, or cannot be */
    uint8_t lines;        /* lines in use; 0 = plain reads */
    uint8_t read_command; /* its command; 0 = the plain one */
};

/* How the memory is divided during a job. */
struct wry_loader_layout {
    uint32_t dictionary; /* bytes of decoded content, a power of two; 0 = no streams */
    uint32_t fresh;      /* bytes of new content computed from records, a power of two */
    uint32_t old_block;  /* bytes of old content kept for each erase, a power of two; 0 = none */
    uint32_t old_size;   /* bytes kept with the history */
    uint16_t window_pages;
};

/* One or two pages as they go to the flash, of a stream that is filtered or comes from the end
 * down. */
struct wry_loader_restored {
    struct wry_branch_filter filter;
    uint32_t offset; /* of the first page */
    uint32_t ahead;  /* bytes after the last page that are there already */
    uint8_t pages;   /* 0: none */
    uint8_t bytes[2 * WRY_PAGE_SIZE + WRY_FILTER_AHEAD];
};

struct wry_loader {
    const struct wry_board_port *port;
    struct wry_board_identity identity;

    uint8_t jedec[WRY_JEDEC_SIZE];
    uint8_t protect;
    uint32_t capacity;
    struct wry_loader_part part;

    bool in_session;
    uint32_t token;
    uint16_t last_seq;
    bool progress_due;
    bool restart_due;

    uint32_t speed, speed_next; /* speed_next: set once the reply has been sent; 0 = no change */
    bool speed_confirmed;
    bool speed_proved;      /* the host confirmed this speed, or was not asked to */
    uint32_t speed_confirm; /* us after the change in which the host must confirm it */
    uint32_t heard_at;      /* us: the last good frame, byte sent or speed change */

    enum wry_loader_op op;
    uint32_t op_offset, op_length;
    bool op_seen_busy;
    bool page_in_slice; /* slice holds the page at op_offset, just read from the flash */
    struct wry_loader_content content;

    struct wry_loader_write write;
    struct wry_loader_read reads[WRY_LOADER_READS];
    size_t read_count;
    bool packing; /* the first read in the queue is being compressed */
    struct wry_loader_cached cached[WRY_LOADER_READS]; /* ring of the latest streams */
    uint32_t cache_begun;                              /* number of streams begun */
    uint32_t cache_fill;                               /* bytes put into the ring so far */
    uint8_t *cache_ring; /* ring of their bytes, at the end of the memory */
    uint32_t cache_size; /* bytes, a power of two; 0 = streams are not cached */

    struct wry_decoder decoder;
    size_t output_fill, output_sent;
    uint8_t *memory; /* the memory given to wry_loader_init; the following members point into it */
    size_t memory_size;
    struct wry_loader_layout layouts[2]; /* of jobs without and with old content */
    struct wry_loader_layout layout;     /* the one in use */
    uint8_t *window;                     /* ring of pages */
    struct wry_inflate *inflate;         /* both at the same place: one job has one coding */
    struct wry_lzma *lzma;
    uint8_t *dictionary;
    uint8_t *fresh; /* ring: new content computed from a difference, not programmed yet */
    uint8_t *old;   /* ring: old content from before the erase */
    struct wry_difference_reader difference;
    struct wry_loader_restored restored;

    /* Large members come last: small processors encode short offsets in fewer bytes. */
    struct wry_loader_digest digest;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t output[WRY_FRAME_WORST(WRY_BODY_MAX) + WRY_FRAME_WORST(WRY_MESSAGE_HEAD_MAX)];
    uint8_t slice[WRY_PAYLOAD_MAX];
};

/* Fails to compile, in C and C++, if the struct exceeds its bound. */
typedef char wry_loader_fits_its_memory[sizeof(struct wry_loader) <= WRY_LOADER_RAM_MAX ? 1 : -1];

/*
 * Starts listening at WRY_STARTING_SPEED and asks the flash for its ID. No pointer may be NULL.
 * port and what it points to must outlive the loader; identity is copied. It may be called again to
 * start over. A loader points into itself: do not copy or move it afterwards.
 *
 * memory belongs to the loader for as long and has at least WRY_LOADER_MEMORY_LEAST bytes. Its size
 * decides how much data is buffered ahead of the flash and which streams the loader accepts, which
 * the hello reply tells the host. 40 KiB cover a 64 KiB erase at 2 Mbaud; more than 100 KiB bring
 * nothing.
 */
void wry_loader_init(struct wry_loader *loader, const struct wry_board_port *port,
                     const struct wry_board_identity *identity, void *memory, size_t size);

/*
 * Does one turn of work. Returns the microseconds for which no other call is needed unless bytes
 * arrive; 0 = call again at once. While data waits to be sent it returns the time of one byte on
 * the line, since the port does not report when it has room. WRY_LOADER_REST_MOST if there is
 * nothing to do.
 */
uint32_t wry_loader_poll(struct wry_loader *loader);

#ifdef __cplusplus
}
#endif

#endif
