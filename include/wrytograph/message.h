/*
 * Messages: what stands in the body of a frame.
 *
 * A body starts with kind, flags and a 16-bit sequence number; then come fixed little-endian
 * fields. docs/protocol.md describes every field and shows example bytes. Encoders write the body
 * (without payload) into a small buffer and return its length; decoders check every length, offset
 * and count that stands in the message itself, and whether a range fits the flash is for the
 * receiver to check.
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
#define WRY_STARTING_SPEED 115200u /* baud, at which every board listens first */
#define WRY_SLOWEST_SPEED 9600u    /* baud */

#define WRY_PAYLOAD_MAX 2048u /* bytes of content in one data frame, a multiple of a page */

#define WRY_SECTOR_DIGEST_SIZE 8u /* bytes: the first of the sector's SHA-256 */
#define WRY_WHOLE_SECTORS 64u     /* that an answer with a whole SHA-256 of each can hold */

#define WRY_MESSAGE_PREFIX 4u /* kind, flags, sequence */
#define WRY_DATA_HEAD 12u     /* prefix, offset, length and encoding */
#define WRY_MESSAGE_HEAD_MAX 80u
#define WRY_BODY_MAX (WRY_DATA_HEAD + WRY_PAYLOAD_MAX)
#define WRY_PROGRESS_PAGES 256u /* beyond the cumulative mark, that a progress can speak of */

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
    WRY_FLAG_HEARD = 0x01,   /* hello: an answer of the board was heard at this speed */
    WRY_FLAG_PROVE = 0x01,   /* speed: hellos without the flag above do not confirm it */
    WRY_FLAG_PROGRAM = 0x01, /* erase: content for the whole range follows as data */
    WRY_FLAG_FORCE = 0x02,   /* erase: also what reads as blank */
    WRY_FLAG_STREAM = 0x04,  /* erase: that content comes as a stream */
    WRY_FLAG_CLEAR = 0x08,   /* erase: the flash's protection is cleared first */
    WRY_FLAG_SECTORS = 0x01, /* digest: one short digest a sector instead of one SHA-256 */
    WRY_FLAG_WHOLE = 0x02,   /* digest, with the one before: a whole SHA-256 a sector */
    WRY_FLAG_AFTER = 0x04,   /* digest: after the one that is under way, which goes on */
    WRY_FLAG_SPREAD = 0xF0,  /* digest, with the first: n > 0 for every 2^n-th sector alone */
    WRY_FLAG_PACKED = 0x10,  /* read: as a deflate stream */
    WRY_FLAG_SOON = 0x20,    /* read, of some pages of a stream: before other requests if it can */
    WRY_FLAG_FRAMES = 0x0F,  /* read: 0, or n for data frames of at most 256 * 2^(n - 1) bytes */
};

enum wry_encoding {
    WRY_ENCODING_STORED = 0,
    WRY_ENCODING_BLANK = 1,  /* no payload: length bytes of 0xFF */
    WRY_ENCODING_STREAM = 2, /* part of the job's stream: offset and length count its bytes */
};

/* Bits of features. */
enum wry_feature {
    WRY_FEATURE_STREAMS = 0x0001, /* content of a job may come as a deflate stream */
    WRY_FEATURE_WHOLE = 0x0002,   /* digests: WRY_FLAG_WHOLE */
    WRY_FEATURE_SPREAD = 0x0004,  /* digests: WRY_FLAG_SPREAD */
    WRY_FEATURE_PACKED = 0x0008,  /* reads: WRY_FLAG_PACKED */
    WRY_FEATURE_AFTER = 0x0010,   /* digests: WRY_FLAG_AFTER */
    WRY_FEATURE_SOON = 0x0020,    /* reads: WRY_FLAG_SOON; the latest streams are kept for it */
    WRY_FEATURE_BLIND = 0x0040,   /* protect is not known: it shows when something is tried */
    WRY_FEATURE_CLEAR = 0x0080,   /* erase: WRY_FLAG_CLEAR */
    WRY_FEATURE_PROOF = 0x0100,   /* speed: WRY_FLAG_PROVE, confirm_ms */
};

/* How a stream is packed. */
enum wry_coding {
    WRY_CODING_DEFLATE = 1,    /* RFC 1951 */
    WRY_CODING_DIFFERENCE = 2, /* wrytograph/difference.h, and that deflated */
};

/* Codes of an error message. */
enum wry_error_code {
    WRY_ERROR_NONE = 0,
    WRY_ERROR_BAD_RANGE = 1,
    WRY_ERROR_PROTECTED = 2,
    WRY_ERROR_FLASH_FAILED = 3,
    WRY_ERROR_UNSUPPORTED = 4,
    WRY_ERROR_BUSY = 5,
    WRY_ERROR_MALFORMED = 6,
    WRY_ERROR_BAD_STREAM = 7,  /* the content of a job cannot be unpacked */
    WRY_ERROR_FLASH_LIMIT = 8, /* the flash may only be read: hello tells why */
};

/* Why a flash may be read and not changed. */
enum wry_flash_limit {
    WRY_FLASH_FULL = 0,        /* it may: each sector can be erased alone */
    WRY_FLASH_COARSE = 1,      /* the smallest unit that it can erase is larger than a sector */
    WRY_FLASH_MIXED = 2,       /* single sectors can be erased in parts of it only */
    WRY_FLASH_SHORT_PAGES = 3, /* fewer bytes than a page can be programmed at once */
    WRY_FLASH_UNCLEAR = 4,     /* what it says of its erase units contradicts itself */
};

enum wry_job_state {
    WRY_JOB_NONE = 0,
    WRY_JOB_RUNNING = 1,
    WRY_JOB_DONE = 2,
    WRY_JOB_FAILED = 3,
};

/* Any body, its prefix split off. fields points into the frame. */
struct wry_message {
    uint8_t kind;
    uint8_t flags;
    uint16_t seq;
    const uint8_t *fields;
    size_t length; /* of fields */
};

struct wry_hello_message {
    uint32_t token; /* chosen by the host, new for each session */
    uint8_t version_min, version_max;
    bool heard; /* an answer to one before it was heard at this speed */
};

/* What a board says of itself. */
struct wry_hello_reply {
    uint32_t token;
    uint8_t version;   /* chosen by the board within the host's bounds; 0 = none fits */
    bool continued;    /* the token is that of the session before: jobs and window still stand */
    uint16_t features; /* enum wry_feature */
    uint16_t chip_code;
    uint8_t chip_revision;
    uint8_t protect; /* block-protect bits of the flash's status register, as read (bits 2 to 6) */
    uint8_t eui48[WRY_EUI48_SIZE];
    uint8_t jedec[WRY_JEDEC_SIZE];
    uint8_t encodings;    /* bit n = enum wry_encoding n is understood */
    uint32_t capacity;    /* bytes of flash */
    uint32_t window;      /* bytes the board can hold ahead of the flash, at most 64 KiB */
    uint16_t payload_max; /* bytes of content in one data frame */
    uint32_t top_speed;   /* baud */
    uint32_t dictionary;  /* bytes that a stream may reach back, a power of two; 0 = no streams */
    uint32_t old_block;   /* bytes that are kept before they are erased, a power of two from a
                             sector to 64 KiB; 0 = no difference streams */
    uint32_t old_history; /* bytes before that block that are kept as well, whole pages */
    uint8_t flash_limit;  /* enum wry_flash_limit; other values: for a reason not known here */
    uint32_t erase_least; /* bytes of the smallest unit that the flash erases; 0 = not told */
};

struct wry_speed_message {
    uint32_t baud;
    uint16_t confirm_ms; /* within which it has to be confirmed, 100 to 2000; 0 = 400. An older
                            board passes over it */
    bool prove; /* hellos do not confirm it, but for those that say that an answer was heard */
};

/* erase, read, digest and their short replies. */
struct wry_range_message {
    uint32_t offset; /* bytes */
    uint32_t length; /* bytes */
};

/* A request to erase. The fields behind the range count where WRY_FLAG_STREAM is set. */
struct wry_erase_message {
    struct wry_range_message range;
    uint8_t coding;  /* enum wry_coding */
    uint32_t window; /* bytes that the stream reaches back at most, a power of two */
};

#define WRY_READ_PAGES 256u /* pages that a read request can choose among */
/* Bytes of a range read as a deflate stream: a stream is hardly ever longer than what it packs, and
 * its pages can be chosen among, too. */
#define WRY_READ_PACKED_MOST (240u * WRY_PAGE_SIZE)

/* A request to read. Fields behind the range are a later addition that an older board passes over:
 * it sends all of the range in frames of its own choice. */
struct wry_read_message {
    struct wry_range_message range;
    uint32_t frame_max; /* bytes of content in a data frame: a page times a power of two; 0 = any */
    bool packed;        /* as a stream; the range has at most WRY_READ_PACKED_MOST bytes then */
    bool soon;          /* before other requests, where the stream is still there */
    bool chosen;        /* only the pages in wanted; the range has at most WRY_READ_PAGES then */
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

/* How far the board has come with the range being written or erased, and with digests. */
struct wry_progress_message {
    uint8_t job;         /* enum wry_job_state of the erase or write */
    uint8_t error;       /* enum wry_error_code of the last failure */
    uint16_t last_seq;   /* sequence of the last good frame from the host before this one */
    uint32_t received;   /* all content before this offset has arrived */
    uint32_t limit;      /* data may be sent up to this offset */
    uint32_t erased;     /* the range is erased up to here */
    uint32_t programmed; /* and programmed up to here */
    uint32_t digested;   /* the digest in hand has come to this offset */
    uint32_t error_offset;
    uint8_t bitmap_length;                  /* bytes used of bitmap */
    uint8_t bitmap[WRY_PROGRESS_PAGES / 8]; /* bit n, from bit 0 of byte 0: page n after received */
};

struct wry_digest_reply {
    struct wry_range_message range;
    const uint8_t *digest; /* 32 bytes, or WRY_SECTOR_DIGEST_SIZE bytes for each sector */
    size_t digest_length;
};

struct wry_error_message {
    uint8_t of_kind; /* the request it answers; 0 for a job running in the background */
    uint8_t code;    /* enum wry_error_code */
    uint32_t offset;
};

/* False when the body is shorter than the prefix. */
bool wry_message_split(struct wry_message *message, const uint8_t *body, size_t length);

/* Encoders: to has room for WRY_MESSAGE_HEAD_MAX; the length written is returned. */
size_t wry_message_put_hello(uint8_t *to, uint16_t seq, const struct wry_hello_message *hello);
size_t wry_message_put_hello_reply(uint8_t *to, uint16_t seq, const struct wry_hello_reply *reply);
/* kind is WRY_KIND_SPEED, with or without WRY_KIND_REPLY. */
size_t wry_message_put_speed(uint8_t *to, uint8_t kind, uint16_t seq,
                             const struct wry_speed_message *speed);
/* kind is erase, read or digest, with or without WRY_KIND_REPLY. */
size_t wry_message_put_range(uint8_t *to, uint8_t kind, uint8_t flags, uint16_t seq,
                             const struct wry_range_message *range);
/* With WRY_FLAG_STREAM in flags, the fields about the stream go out too. */
size_t wry_message_put_erase(uint8_t *to, uint8_t flags, uint16_t seq,
                             const struct wry_erase_message *erase);
/* Of wanted, as many bytes as the range needs go out. */
size_t wry_message_put_read(uint8_t *to, uint16_t seq, const struct wry_read_message *read);
/* The reply at the end of a packed read; stream_length in bytes. */
size_t wry_message_put_read_end(uint8_t *to, uint16_t seq, const struct wry_range_message *range,
                                uint32_t stream_length);
/* The head of a data body; the payload is sent after it. kind is WRY_KIND_DATA, with or without
 * WRY_KIND_REPLY. */
size_t wry_message_put_data(uint8_t *to, uint8_t kind, uint16_t seq,
                            const struct wry_data_message *data);
/* kind is start or status, or the reply to start. */
size_t wry_message_put_bare(uint8_t *to, uint8_t kind, uint16_t seq);
size_t wry_message_put_progress(uint8_t *to, uint16_t seq,
                                const struct wry_progress_message *progress);
size_t wry_message_put_error(uint8_t *to, uint16_t seq, const struct wry_error_message *error);

/* Decoders: false when the fields are too short or contradict each other. */
bool wry_message_get_hello(const struct wry_message *message, struct wry_hello_message *hello);
bool wry_message_get_hello_reply(const struct wry_message *message, struct wry_hello_reply *reply);
bool wry_message_get_speed(const struct wry_message *message, struct wry_speed_message *speed);
/* The length is not 0 and offset + length does not exceed 2^32 - 1. */
bool wry_message_get_range(const struct wry_message *message, struct wry_range_message *range);
/* coding and window are 0 where the fields about a stream are missing. */
bool wry_message_get_erase(const struct wry_message *message, struct wry_erase_message *erase);
/* Bytes from one sector of a sector digest with these flags to the next. */
uint32_t wry_digest_stride(uint8_t flags);
/* Bytes of the answer to a digest request with these flags, of a range of whole sectors or any. */
size_t wry_digest_size(uint8_t flags, uint32_t length);
/* A choice comes with a bit for each page of the range, and none beyond. */
bool wry_message_get_read(const struct wry_message *message, struct wry_read_message *read);
/* Of the reply at the end of a packed read; false when it is none. */
bool wry_message_get_read_end(const struct wry_message *message, uint32_t *stream_length);
/* Stored and stream: payload_length = length, at most WRY_PAYLOAD_MAX. Blank: no payload. */
bool wry_message_get_data(const struct wry_message *message, struct wry_data_message *data);
/* received <= limit, and a bitmap of no more than its stated bytes. */
bool wry_message_get_progress(const struct wry_message *message,
                              struct wry_progress_message *progress);
/* digest points into the frame. */
bool wry_message_get_digest_reply(const struct wry_message *message,
                                  struct wry_digest_reply *reply);
bool wry_message_get_error(const struct wry_message *message, struct wry_error_message *error);

/* Bit n of a progress bitmap. */
bool wry_progress_has_page(const struct wry_progress_message *progress, uint32_t page);

#ifdef __cplusplus
}
#endif

#endif
