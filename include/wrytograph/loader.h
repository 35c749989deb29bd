/*
 * The board's half of the protocol.
 *
 * A polled state machine for the program that answers in loading mode. It needs no operating
 * system, never blocks and never allocates: the firmware that hosts it fills in a board port, calls
 * wry_loader_init once and wry_loader_poll for ever. Each poll takes what the line has brought,
 * starts or advances at most one flash operation, does one slice of digest or read work, and sends
 * what the line will take. It says for how long it has nothing to do, so that the board can sleep.
 * Erasing and programming go on in the flash while data arrive in a window in RAM.
 *
 *     static struct wry_loader loader;
 *     static uint8_t memory[48 * 1024];
 *     wry_loader_init(&loader, &board_port, &identity, memory, sizeof memory);
 *     for (;;)
 *         wry_loader_poll(&loader);
 *
 * Nothing from the line is believed: every length, offset and count is checked against the flash
 * and the job in hand before it is used. What each message does is in docs/protocol.md.
 */
#ifndef WRYTOGRAPH_LOADER_H
#define WRYTOGRAPH_LOADER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/bytes.h"
#include "wrytograph/deflate.h"
#include "wrytograph/difference.h"
#include "wrytograph/frame.h"
#include "wrytograph/inflate.h"
#include "wrytograph/message.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_LOADER_RAM_MAX (16u * 1024u) /* bytes: sizeof(struct wry_loader) stays below */
#define WRY_LOADER_MEMORY_LEAST 4352u    /* bytes of memory besides */
#define WRY_LOADER_READS 4u              /* read requests held at once */
#define WRY_LOADER_DIGEST_SECTORS 256u   /* sectors in one sector digest */
#define WRY_LOADER_BLANK_SECTORS 4096u   /* of a digest's range, that are remembered to be blank */
#define WRY_LOADER_SPEED_CONFIRM 400000u /* us to hear a good frame after a speed change */
#define WRY_LOADER_SPEED_IDLE 5000000u   /* us without life before the starting speed; and */
#define WRY_LOADER_IDLE_FRAMES 4u        /* so many times the longest frame, at slow speeds more */
#define WRY_LOADER_RECEIVE_ROOM 256u     /* bytes to be held between two turns: see port.receive */
#define WRY_LOADER_REST_MOST 100000u     /* us from one turn to the next at most; and */
#define WRY_LOADER_REST_WORK 10000u      /* while anything is under way */
#define WRY_LOADER_FLASH_WAIT 4000000u   /* us to wait for a flash whose status is all ones */

/* One transaction with chip select held low: out, then out2, then in. */
struct wry_spi_transfer {
    const uint8_t *out;
    size_t out_length;
    const uint8_t *out2;
    size_t out2_length;
    uint8_t *in;
    size_t in_length;
};

enum wry_work {
    WRY_WORK_FRAME_IN,  /* bytes unframed and checked */
    WRY_WORK_FRAME_OUT, /* bytes framed */
    WRY_WORK_DIGEST,    /* bytes hashed */
    WRY_WORK_SCAN,      /* bytes looked at for any that is not blank */
    WRY_WORK_COMPARE,   /* bytes compared */
    WRY_WORK_UNPACK,    /* bytes of a stream used up */
    WRY_WORK_COPY,      /* bytes that came out of it */
    WRY_WORK_ADD,       /* bytes of a difference put together */
    WRY_WORK_PACK,      /* bytes of content packed */
    WRY_WORK_PACK_RUN,  /* and of such that are all alike */
    WRY_WORK_TURN,      /* a call of wry_loader_poll: 0 bytes */
};

struct wry_board_port {
    void *context;
    /* Up to room bytes that have arrived, without waiting; how many. Between two turns more arrive
     * than a UART holds: at 2 Mbaud and 160 MHz up to WRY_LOADER_RECEIVE_ROOM, which an interrupt
     * or DMA has to put into memory; in proportion more on a slower processor. */
    size_t (*receive)(void *context, uint8_t *to, size_t room);
    /* Takes up to n bytes for sending, without waiting; how many. */
    size_t (*transmit)(void *context, const uint8_t *from, size_t n);
    /* True when everything taken has left on the line. */
    bool (*transmitted)(void *context);
    void (*set_speed)(void *context, uint32_t baud);
    void (*spi)(void *context, const struct wry_spi_transfer *transfer);
    /* Microseconds from any start; may wrap. */
    uint32_t (*now)(void *context);
    /* Resets the chip into its firmware. May return; poll is then not called again. */
    void (*restart)(void *context);
    /* Called in each turn and after each slice of work: a real board feeds its watchdog here. A
     * board that sleeps no longer than wry_loader_poll says calls it at least every
     * WRY_LOADER_REST_MOST, and every WRY_LOADER_REST_WORK while anything is under way. */
    void (*worked)(void *context, enum wry_work work, uint32_t bytes);
};

struct wry_board_identity {
    uint16_t chip_code;
    uint8_t chip_revision;
    uint8_t eui48[WRY_EUI48_SIZE];
    uint32_t top_speed; /* baud */
    /* The flash has its block-protect bits where most parts have them: BP0 to BP2, TB and SEC in
     * bits 2 to 6 of the status register. Not set: protection is found out by trying. */
    bool usual_protection;
};

/* The flash operation under way. */
enum wry_loader_op {
    WRY_OP_NONE,
    WRY_OP_ERASE,
    WRY_OP_PROGRAM,
    WRY_OP_UNPROTECT,
    WRY_OP_DROPPED, /* of a job that is no more: only its end is waited for */
};

struct wry_loader_write {
    uint8_t state; /* enum wry_job_state */
    uint8_t flags; /* of the erase request */
    uint16_t seq;
    uint8_t error;
    uint32_t error_offset;
    uint32_t start, end; /* sector-aligned */
    uint32_t erased;     /* start to here is erased */
    uint32_t programmed; /* start to here is programmed: base of the window */
    uint32_t looked;     /* without content, start to here was seen to be blank after its erase */
    uint32_t received;   /* start to here has arrived; of a stream, 0 to here */
    uint32_t consumed;   /* of a stream, 0 to here is unpacked */
    uint8_t coding;      /* of a stream, enum wry_coding */
    uint32_t taken;      /* of a difference, 0 to here of what was unpacked is used up */
    uint32_t reported;   /* programmed, or consumed, as of the last progress sent */
    uint32_t scan;       /* next byte of the blank scan */
    uint32_t scan_end;   /* end of the stretch being scanned, up to the next 64 KiB boundary */
    uint16_t dirty;      /* its sectors from scan_end's 64 KiB boundary: bit n needs an erase */
    uint8_t arrived[WRY_PROGRESS_PAGES / 8];
};

struct wry_loader_digest_next {
    bool asked;
    uint8_t flags;
    uint16_t seq;
    uint32_t start, end;
};

struct wry_loader_digest {
    struct wry_loader_digest_next next; /* begun once this one is answered */
    uint8_t state;                      /* enum wry_job_state */
    uint8_t flags;
    uint16_t seq;
    uint32_t start, end;
    uint32_t at;
    uint32_t blank_to; /* at to here was read and is blank; hashed later */
    bool reply_due;
    bool sector_blank; /* so far, the one that at stands in */
    struct wry_sha256 sha;
    uint8_t result[WRY_LOADER_DIGEST_SECTORS * WRY_SECTOR_DIGEST_SIZE];
    uint8_t blank[WRY_LOADER_BLANK_SECTORS / 8]; /* a read need not look at these again */
};

struct wry_loader_read {
    uint16_t seq;
    uint16_t frame_max; /* bytes of content in a data frame */
    bool packed;        /* as a stream; the pages are its */
    bool again;         /* of a stream that is still there: at counts its bytes */
    bool chosen;        /* only the pages in wanted are sent */
    uint32_t start, end;
    uint32_t at;
    uint32_t blank_from; /* blank bytes from here to at are not yet told of */
    uint8_t wanted[WRY_READ_PAGES / 8];
};

/* A stream that was made and sent, or is being made. */
struct wry_loader_cached {
    uint32_t start, end; /* of the content */
    uint32_t at;         /* where it begins, counted over all streams */
    uint32_t length;     /* bytes; 0 = not over yet */
};

/* What the flash knows of its own content: what is still being changed, and what must not be. */
struct wry_loader_content {
    uint32_t unsettled_start, unsettled_end; /* still to be erased or programmed; equal: nothing */
    uint32_t watch_start, watch_end;         /* a change in here breaks the watch */
    bool watch_broken;
};

/* The flash's part, and how it is spoken to. */
struct wry_loader_part {
    uint8_t state;                          /* of finding that out */
    uint32_t since;                         /* us */
    bool long_address;                      /* four bytes in every command */
    bool own_commands;                      /* that have commands of their own */
    bool entered;                           /* a mode for that was entered */
    uint8_t erase_4k, erase_32k, erase_64k; /* commands; 0 = it has none */
    bool assumed;                           /* it names none: these are the usual ones */
    uint8_t limit;                          /* enum wry_flash_limit */
    uint8_t least_log2;                     /* of the bytes of its smallest unit; 0 = not known */
    bool two_bytes; /* a status write of one byte clears the second status register */
    bool by_flag;   /* its flag status register tells whether it is busy, the other does not */
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

    uint32_t speed, speed_next; /* speed_next: 0, or to be set once the reply is out */
    bool speed_confirmed;
    bool speed_proved;      /* the host heard the board at it, or was not asked to say so */
    uint32_t speed_confirm; /* us after the change within which it has to be confirmed */
    uint32_t heard_at;      /* last good frame, last byte sent, or the speed change */

    enum wry_loader_op op;
    uint32_t op_offset, op_length;
    bool op_seen_busy;
    bool page_in_slice; /* slice holds the page at op_offset, just read from the flash */
    struct wry_loader_content content;

    struct wry_loader_write write;
    struct wry_loader_read reads[WRY_LOADER_READS];
    size_t read_count;
    bool packing;                                      /* the first of them is being packed */
    struct wry_loader_cached cached[WRY_LOADER_READS]; /* the latest streams, in a ring */
    uint32_t cache_begun;                              /* how many were begun */
    uint32_t cache_fill;                               /* bytes that were put into it */
    uint8_t *cache_ring;                               /* at the end of the memory */
    uint32_t cache_size; /* bytes, a power of two; 0 = none are kept */

    struct wry_decoder decoder;
    size_t output_fill, output_sent;
    uint8_t *memory; /* that the board gives; all that follows lies in it */
    size_t memory_size;
    uint8_t *window; /* a ring of pages */
    uint16_t window_pages;
    struct wry_inflate *inflate; /* NULL without a dictionary */
    uint8_t *dictionary;
    uint32_t dictionary_size; /* bytes, a power of two; 0 = too little memory for streams */
    uint8_t *fresh;           /* a ring: new content of a difference that is not programmed yet */
    uint32_t fresh_size;      /* bytes, a power of two */
    uint8_t *old;             /* a ring: content from before the erase */
    uint32_t old_block;       /* bytes kept at a time, a power of two; 0 = no differences */
    uint32_t old_size;        /* of the ring: block and history */
    struct wry_difference_reader difference;

    /* What is large comes last: small processors reach little beyond the start. */
    struct wry_loader_digest digest;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t output[WRY_FRAME_WORST(WRY_BODY_MAX) + WRY_FRAME_WORST(WRY_MESSAGE_HEAD_MAX)];
    uint8_t slice[WRY_PAYLOAD_MAX];
};

/* The loader's memory is bounded: in C and C++, this does not compile when it is not. */
typedef char wry_loader_fits_its_memory[sizeof(struct wry_loader) <= WRY_LOADER_RAM_MAX ? 1 : -1];

/*
 * Starts listening at WRY_STARTING_SPEED and asks the flash for its ID. No pointer is NULL. port
 * and what it points to must outlive the loader; identity is copied. May be called again, to begin
 * anew. A loader points into itself: it must not be copied or moved afterwards.
 *
 * memory is the loader's for as long: at least WRY_LOADER_MEMORY_LEAST bytes. Its size decides how
 * much is held ahead of the flash, and whether content may come packed, and how far; the host is
 * told. 40 KiB let a 64 KiB erase pass at 2 Mbaud; more than 100 KiB gain nothing.
 */
void wry_loader_init(struct wry_loader *loader, const struct wry_board_port *port,
                     const struct wry_board_identity *identity, void *memory, size_t size);

/*
 * One turn. Microseconds for which no other is needed unless bytes arrive; 0 = at once. While
 * something is still to be sent, or waits for that, it is the time of one byte on the line, for
 * nothing tells the loader when there is room. WRY_LOADER_REST_MOST when nothing goes on.
 */
uint32_t wry_loader_poll(struct wry_loader *loader);

#ifdef __cplusplus
}
#endif

#endif
