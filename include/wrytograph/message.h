/*
 * Messages: the bodies of frames.
 *
 * A body begins with kind, flags and a 16-bit sequence number, followed by fixed little-endian
 * fields. docs/protocol.md describes every field, with example bytes. Encoders write the body
 * without its payload into a small buffer and return its length. Decoders check every length,
 * offset and count within the message; the receiver checks that ranges fit the flash.
 *
 *     uint8_t head[WRY_MESSAGE_HEAD_MAX];
 *     struct wry_range_message erase = {.offset = 0x4000, .length = 0x1000};
 *     size_t n = wry_message_put_range(head, WRY_KIND_ERASE, 0, seq, &erase);
 */
#ifndef WRYTOGRAPH_MESSAGE_H
#define WRYTOGRAPH_MESSAGE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/flash.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_PROTOCOL_VERSION 1u
#define WRY_STARTING_SPEED 115200u /* baud at which every board starts listening */
#define WRY_SLOWEST_SPEED 9600u    /* baud */

#define WRY_PAYLOAD_MAX 2048u /* bytes of content in one data frame, a multiple of a page */

#define WRY_SECTOR_DIGEST_SIZE 8u /* bytes: the beginning of the sector's SHA-256 */
#define WRY_WHOLE_SECTORS 64u     /* sectors for which one answer can hold a full SHA-256 each */

#define WRY_MESSAGE_PREFIX 4u /* kind, flags, sequence */
#define WRY_DATA_HEAD 12u     /* prefix, offset, length and encoding */
#define WRY_MESSAGE_HEAD_MAX 80u
#define WRY_BODY_MAX (WRY_DATA_HEAD + WRY_PAYLOAD_MAX)
#define WRY_PROGRESS_PAGES                                                                         \
    256u /* pages beyond the cumulative mark that a progress message covers */

/* Requests of the host. The board's reply to kind K is K | WRY_KIND_REPLY. */
enum wry_kind {
    WRY_KIND_HELLO = 0x01,
    WRY_KIND_SPEED = 0x02,
    WRY_KIND_ERASE = 0x03,
    WRY_KIND_DATA = 0x04, /* both directions; from the board with WRY_KIND_REPLY set */
    WRY_KIND_READ = 0x05,
    WRY_KIND_DIGEST = 0x06,
    WRY_KIND_START = 0x07,
    WRY_KIND_STATUS = 0x08, /* replied to with a progress message */
    WRY_KIND_REPLY = 0x80,
    WRY_KIND_ERROR = 0xFF,
};

enum wry_message_flag {
    WRY_FLAG_HEARD = 0x01,   /* hello: the host has heard the board at this speed */
    WRY_FLAG_PROVE = 0x01,   /* speed: only hellos with the flag above confirm it */
    WRY_FLAG_PROGRAM = 0x01, /* erase: content for the whole range follows as data */
    WRY_FLAG_FORCE = 0x02,   /* erase: also erase what is already blank */
    WRY_FLAG_STREAM = 0x04,  /* erase: the content comes as a stream */
    WRY_FLAG_CLEAR = 0x08,   /* erase: clear the flash's protection first */
    WRY_FLAG_DOWN = 0x10,    /* erase: with a stream over old content, from the end down */
    WRY_FLAG_SECTORS = 0x01, /* digest: one short digest per sector instead of one SHA-256 */
    WRY_FLAG_WHOLE = 0x02,   /* digest, with the flag above: a full SHA-256 per sector */
    WRY_FLAG_AFTER = 0x04,   /* digest: queue it after the current one instead of cancelling that */
    WRY_FLAG_TOGETHER = 0x08, /* digest, with 0x01 and 0x02: one SHA-256 of the sectors' digests */
    WRY_FLAG_ODD = 0x08,      /* digest, with 0x01 and WRY_FLAG_SPREAD: every (2^n + 3)-th */
    WRY_FLAG_SPREAD = 0xF0, /* digest, with WRY_FLAG_SECTORS: n > 0 for every 2^n-th sector only */
    WRY_FLAG_PACKED = 0x10, /* read: as a deflate stream */
    WRY_FLAG_SOON =
        0x20, /* read, some pages of a stream: serve it before other requests if possible */
    WRY_FLAG_QUICK = 0x40,  /* read, with WRY_FLAG_PACKED: packed with less search */
    WRY_FLAG_FRAMES = 0x0F, /* read: 0, or n for data frames of at most 256 * 2^(n - 1) bytes */
};

enum wry_encoding {
    WRY_ENCODING_STORED = 0,
    WRY_ENCODING_BLANK = 1,  /* no payload: length bytes of 0xFF */
    WRY_ENCODING_STREAM = 2, /* part of the job's stream: offset and length count its bytes */
};

/* Bits of features. */
enum wry_feature {
    WRY_FEATURE_STREAMS = 0x0001, /* accepts job content as a deflate stream */
    WRY_FEATURE_WHOLE = 0x0002,   /* digests: WRY_FLAG_WHOLE */
    WRY_FEATURE_SPREAD = 0x0004,  /* digests: WRY_FLAG_SPREAD */
    WRY_FEATURE_PACKED = 0x0008,  /* reads: WRY_FLAG_PACKED */
    WRY_FEATURE_AFTER = 0x0010,   /* digests: WRY_FLAG_AFTER */
    WRY_FEATURE_SOON = 0x0020,    /* reads: WRY_FLAG_SOON; the latest streams are kept for it */
    WRY_FEATURE_BLIND =
        0x0040, /* protection cannot be read: it shows when an operation has no effect */
    WRY_FEATURE_CLEAR = 0x0080,    /* erase: WRY_FLAG_CLEAR */
    WRY_FEATURE_PROOF = 0x0100,    /* speed: WRY_FLAG_PROVE, confirm_ms */
    WRY_FEATURE_LZMA = 0x0200,     /* the codings with LZMA; the others are given by the memory */
    WRY_FEATURE_TOGETHER = 0x0400, /* digests: WRY_FLAG_TOGETHER */
    WRY_FEATURE_ACCELERATOR = 0x0800, /* one computes SHA-256, in hardly any time */
    WRY_FEATURE_ODD = 0x1000,         /* digests: WRY_FLAG_ODD */
};

/* How a stream is encoded. */
enum wry_coding {
    WRY_CODING_DEFLATE = 1,         /* RFC 1951 */
    WRY_CODING_DIFFERENCE = 2,      /* a difference stream (wrytograph/difference.h), deflated */
    WRY_CODING_LZMA = 3,            /* raw LZMA1 (wrytograph/lzma.h) */
    WRY_CODING_LZMA_DIFFERENCE = 4, /* a difference stream, packed by LZMA */
    WRY_CODING_LZMA_OLD = 5, /* LZMA of the new content that also refers to the old content */
};

/* True for codings that need the old content of the flash. */
static inline bool wry_coding_needs_old(uint8_t coding)
{
    return coding == WRY_CODING_DIFFERENCE || coding == WRY_CODING_LZMA_DIFFERENCE ||
           coding == WRY_CODING_LZMA_OLD;
}

/* Codes of an error message. */
enum wry_error_code {
    WRY_ERROR_NONE = 0,
    WRY_ERROR_BAD_RANGE = 1,
    WRY_ERROR_PROTECTED = 2,
    WRY_ERROR_FLASH_FAILED = 3,
    WRY_ERROR_UNSUPPORTED = 4,
    WRY_ERROR_BUSY = 5,
    WRY_ERROR_MALFORMED = 6,
    WRY_ERROR_BAD_STREAM = 7,  /* the stream of a job cannot be decoded */
    WRY_ERROR_FLASH_LIMIT = 8, /* the flash can only be read: the hello reply gives the reason */
};

/* Why a flash can be read but not written. */
enum wry_flash_limit {
    WRY_FLASH_FULL = 0,        /* no limit: each sector can be erased alone */
    WRY_FLASH_COARSE = 1,      /* its smallest erase unit is larger than a sector */
    WRY_FLASH_MIXED = 2,       /* only parts of it can be erased by single sectors */
    WRY_FLASH_SHORT_PAGES = 3, /* it programs fewer bytes than a page at once */
    WRY_FLASH_UNCLEAR = 4,     /* its own description of its erase units is contradictory */
};

/* What the size of the flash rests on. */
enum wry_flash_size_from {
    WRY_SIZE_UNSAID = 0, /* an older board does not say */
    WRY_SIZE_TABLE = 1,  /* SFDP (JESD216) */
    WRY_SIZE_ID = 2,     /* the third byte of the JEDEC ID, in one of the usual numberings */
    WRY_SIZE_TOLD = 3,   /* the host's hello: the flash itself does not report it */
};

enum wry_job_state {
    WRY_JOB_NONE = 0,
    WRY_JOB_RUNNING = 1,
    WRY_JOB_DONE = 2,
    WRY_JOB_FAILED = 3,
};

/* A body without its prefix. fields points into the frame. */
struct wry_message {
    uint8_t kind;
    uint8_t flags;
    uint16_t seq;
    const uint8_t *fields;
    size_t length; /* bytes of fields */
};

struct wry_hello_message {
    uint32_t token; /* chosen by the host, new for each session */
    uint8_t version_min, version_max;
    bool heard;          /* an earlier answer was heard at this speed */
    uint32_t flash_size; /* bytes, a power of two, for a flash that does not report its size; 0 =
                            not known */
};

/* What a board reports about itself. */
struct wry_hello_reply {
    uint32_t token;
    uint8_t version;   /* protocol version, chosen within the host's bounds; 0 = none fits */
    bool continued;    /* the token is that of the previous session: its jobs and window are still
                          valid */
    uint16_t features; /* enum wry_feature */
    uint16_t chip_code;
    uint8_t chip_revision;
    uint8_t protect; /* block-protect bits of the flash's status register, as read (bits 2 to 6) */
    uint8_t eui48[WRY_EUI48_SIZE];
    uint8_t jedec[WRY_JEDEC_SIZE];
    uint8_t encodings; /* bit n set: enum wry_encoding n is accepted */
    uint32_t capacity; /* bytes of flash; 0 = it does not answer, or its size is not known */
    uint32_t window;   /* bytes that the board buffers ahead of the flash, at most 64 KiB, in jobs
                          without old content */
    uint16_t payload_max; /* bytes of content in one data frame */
    uint32_t top_speed;   /* baud */
    uint32_t dictionary;  /* bytes that a stream may reach back in jobs without old content, a power
                             of two; 0 = no streams */
    uint32_t old_window, old_dictionary; /* the same in jobs with old content; in every job on a
                                            board that has none */
    uint32_t old_block;   /* bytes that the board saves before it erases them, a power of two from a
                             sector to 64 KiB; 0 = no difference streams */
    uint32_t old_history; /* bytes before that block that are saved as well, whole pages */
    uint8_t flash_limit;  /* enum wry_flash_limit; other values: a reason unknown to this version */
    uint32_t erase_least; /* bytes of the smallest erase unit; 0 = not reported */
    uint8_t size_from;    /* enum wry_flash_size_from */
    uint8_t filters;      /* bit n set: enum wry_filter n is known */
    uint8_t flash_rate;   /* bytes that are read from the flash in 1 us; 0 = not known, or fewer
                             than one */
};

struct wry_speed_message {
    uint32_t baud;
    uint16_t confirm_ms; /* ms in which the new speed must be confirmed, 100 to 2000; 0 = 400. Older
                            boards ignore it */
    bool prove;          /* only hellos with heard set confirm it */
};

/* Erase, read, digest and their short replies. */
struct wry_range_message {
    uint32_t offset; /* bytes */
    uint32_t length; /* bytes */
};

/* A request to erase. The fields after the range are valid if WRY_FLAG_STREAM is set. */
struct wry_erase_message {
    struct wry_range_message range;
    uint8_t coding;      /* enum wry_coding */
    uint32_t window;     /* most bytes that the stream reaches back, a power of two */
    uint8_t filter;      /* enum wry_filter, for deflate and LZMA streams of content */
    uint8_t parameters;  /* of LZMA, see wry_lzma_init */
    uint32_t old_length; /* WRY_CODING_LZMA_OLD: bytes of old content that the stream may refer to,
                            whole sectors */
};

#define WRY_READ_PAGES 256u /* pages that a read request can select from */
/* Most bytes of a range that is read as a stream. A stream is hardly ever longer than its content,
 * so pages of the stream can be selected as well. */
#define WRY_READ_PACKED_MOST (240u * WRY_PAGE_SIZE)

/* A request to read. An older board ignores the fields after the range: it sends the whole range in
 * frames of any size. */
struct wry_read_message {
    struct wry_range_message range;
    uint32_t
        frame_max; /* most bytes of content in a data frame: a page times a power of two; 0 = any */
    bool packed;   /* send a stream; the range then has at most WRY_READ_PACKED_MOST bytes */
    bool soon;     /* serve it before other requests if the stream is still cached */
    bool quick;    /* pack it with less search: the line is quicker than the board */
    bool
        chosen; /* send only the pages in wanted; the range then has at most WRY_READ_PAGES pages */
    uint8_t wanted[WRY_READ_PAGES / 8]; /* bit n, from bit 0 of byte 0: page n after range.offset;
                                           packed: page n of the stream */
};

struct wry_data_message {
    uint32_t offset;
    uint32_t length;  /* bytes of content, 1 to 2^24 - 1 */
    uint8_t encoding; /* enum wry_encoding */
    const uint8_t *payload;
    size_t payload_length;
};

/* The state of the current erase or write, and of digests. */
struct wry_progress_message {
    uint8_t job;         /* enum wry_job_state of the job */
    uint8_t error;       /* enum wry_error_code of the last failure */
    uint16_t last_seq;   /* sequence number of the previous good frame from the host */
    uint32_t received;   /* all content before this offset has arrived */
    uint32_t limit;      /* data may be sent up to this offset */
    uint32_t erased;     /* the range is erased up to this offset */
    uint32_t programmed; /* the range is programmed up to this offset */
    uint32_t digested;   /* the current digest has reached this offset */
    uint32_t error_offset;
    uint8_t bitmap_length;                  /* used bytes of bitmap */
    uint8_t bitmap[WRY_PROGRESS_PAGES / 8]; /* bit n, from bit 0 of byte 0: page n after received */
};

struct wry_digest_reply {
    struct wry_range_message range;
    const uint8_t *digest; /* 32 bytes, or WRY_SECTOR_DIGEST_SIZE bytes per sector */
    size_t digest_length;
};

struct wry_error_message {
    uint8_t of_kind; /* kind of the failed request; 0 for a job in the background */
    uint8_t code;    /* enum wry_error_code */
    uint32_t offset;
};

/* Splits a body. False if it is shorter than the prefix. */
bool wry_message_split(struct wry_message *message, const uint8_t *body, size_t length);

/* Encoders. to has room for WRY_MESSAGE_HEAD_MAX bytes; the return value is the length. */
size_t wry_message_put_hello(uint8_t *to, uint16_t seq, const struct wry_hello_message *hello);
size_t wry_message_put_hello_reply(uint8_t *to, uint16_t seq, const struct wry_hello_reply *reply);
/* kind is WRY_KIND_SPEED, with or without WRY_KIND_REPLY. */
size_t wry_message_put_speed(uint8_t *to, uint8_t kind, uint16_t seq,
                             const struct wry_speed_message *speed);
/* kind is erase, read or digest, with or without WRY_KIND_REPLY. */
size_t wry_message_put_range(uint8_t *to, uint8_t kind, uint8_t flags, uint16_t seq,
                             const struct wry_range_message *range);
/* Includes the fields about the stream if flags has WRY_FLAG_STREAM. */
size_t wry_message_put_erase(uint8_t *to, uint8_t flags, uint16_t seq,
                             const struct wry_erase_message *erase);
/* Includes as many bytes of wanted as the range has pages. */
size_t wry_message_put_read(uint8_t *to, uint16_t seq, const struct wry_read_message *read);
/* The reply at the end of a packed read; stream_length in bytes. */
size_t wry_message_put_read_end(uint8_t *to, uint16_t seq, const struct wry_range_message *range,
                                uint32_t stream_length);
/* The head of a data body; send the payload after it. kind is WRY_KIND_DATA, with or without
 * WRY_KIND_REPLY. */
size_t wry_message_put_data(uint8_t *to, uint8_t kind, uint16_t seq,
                            const struct wry_data_message *data);
/* kind is start or status, or the reply to start. */
size_t wry_message_put_bare(uint8_t *to, uint8_t kind, uint16_t seq);
size_t wry_message_put_progress(uint8_t *to, uint16_t seq,
                                const struct wry_progress_message *progress);
size_t wry_message_put_error(uint8_t *to, uint16_t seq, const struct wry_error_message *error);

/* Decoders. False if fields are missing or contradict each other. */
bool wry_message_get_hello(const struct wry_message *message, struct wry_hello_message *hello);
bool wry_message_get_hello_reply(const struct wry_message *message, struct wry_hello_reply *reply);
bool wry_message_get_speed(const struct wry_message *message, struct wry_speed_message *speed);
/* Also checks that the length is not 0 and that offset + length does not exceed 2^32 - 1. */
bool wry_message_get_range(const struct wry_message *message, struct wry_range_message *range);
/* coding and window are 0 if the fields about a stream are missing. */
bool wry_message_get_erase(const struct wry_message *message, struct wry_erase_message *erase);
/* True if a digest with these flags is one SHA-256 of the sectors' digests. */
bool wry_digest_is_together(uint8_t flags);
/* Bytes from one selected sector to the next in a sector digest with these flags. */
uint32_t wry_digest_stride(uint8_t flags);
/* Bytes of the answer to a digest request with these flags for a range of this length. */
size_t wry_digest_size(uint8_t flags, uint32_t length);
/* Also checks that a selection has a bit for each page of the range and none beyond. */
bool wry_message_get_read(const struct wry_message *message, struct wry_read_message *read);
/* Reads the reply at the end of a packed read. False if the message is not one. */
bool wry_message_get_read_end(const struct wry_message *message, uint32_t *stream_length);
/* Also checks that payload_length is length, at most WRY_PAYLOAD_MAX, for stored bytes and streams,
 * and 0 for blank ones. */
bool wry_message_get_data(const struct wry_message *message, struct wry_data_message *data);
/* Also checks that received <= limit and that the bitmap has the stated length. */
bool wry_message_get_progress(const struct wry_message *message,
                              struct wry_progress_message *progress);
/* digest points into the frame. */
bool wry_message_get_digest_reply(const struct wry_message *message,
                                  struct wry_digest_reply *reply);
bool wry_message_get_error(const struct wry_message *message, struct wry_error_message *error);

/* True if bit n of the progress bitmap is set. */
bool wry_progress_has_page(const struct wry_progress_message *progress, uint32_t page);

#ifdef __cplusplus
}
#endif

#endif
