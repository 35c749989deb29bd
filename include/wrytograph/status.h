/*
 * Status codes and faults.
 *
 * Every call that can fail returns an enum wry_status. The details (where, what was expected, what
 * was found) are in a struct wry_fault, which the caller passes in or the session holds. The core
 * has no sentences: wrytograph-host/words.h has them for hosted programs, and wry_status_text names
 * a status for logs.
 *
 *     if (wry_session_write(&session, &plan) != WRY_OK)
 *         explain(wry_session_fault(&session));
 */
#ifndef WRYTOGRAPH_STATUS_H
#define WRYTOGRAPH_STATUS_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum wry_status {
    WRY_OK = 0,
    WRY_BAD_ARGUMENT,   /* the caller broke a documented rule */
    WRY_BAD_RANGE,      /* a range is empty, unaligned or beyond the end of flash */
    WRY_OVERLAP,        /* two placements claim the bytes offset + length; expected and found are
                           their indexes after sorting by offset */
    WRY_SOURCE_FAILED,  /* a reader of the caller failed, at offset */
    WRY_SINK_FAILED,    /* a writer of the caller failed, at offset */
    WRY_JOURNAL_FAILED, /* the caller's journal failed: nothing more was erased, at offset */
    WRY_NO_ANSWER,      /* no answer in the protocol */
    WRY_LINK_LOST, /* the board answered before and no longer does; of a port's call: it failed; or
                      the line loses nearly everything (expected: frames sent, found: frames lost)
                    */
    WRY_PORT_GONE, /* the port failed and did not come back in time; the board was not asked */
    WRY_STALLED,   /* the board's work makes no progress, at offset; the board may still answer */
    WRY_WRONG_BOARD, /* not the same board as before, or a protocol version that is not supported */
    WRY_DIFFERS,     /* content differs in the range offset + length */
    WRY_CONTRADICTED,  /* two answers of the board contradict each other, in offset + length */
    WRY_FLASH_FAILED,  /* a page reads back differently after programming, at offset */
    WRY_FLASH_SILENT,  /* the flash reports no usable JEDEC ID */
    WRY_FLASH_UNSIZED, /* the flash answers, but neither it nor the host says how large it is; or it
                          is larger than WRY_FLASH_MAX: found = its bytes, else 0 */
    WRY_FLASH_LIMITED, /* the flash can be read but not written: found = enum wry_flash_limit of
                          wrytograph/message.h, expected = bytes of its smallest erase unit, or 0 */
    WRY_FLASH_SMALLER, /* the flash has found bytes, not the expected ones it claims: it repeats
                          itself from offset on */
    WRY_PROTECTED,     /* a range is write-protected, at offset */
    WRY_UNSUPPORTED,   /* the board does not know the request */
    WRY_REFUSED,       /* the board refused for another reason: found = its error code */
    WRY_STOPPED,       /* the caller's progress callback asked to stop */
};

/* What the session was doing when a fault arose. */
enum wry_step {
    WRY_STEP_NONE = 0,
    WRY_STEP_CONNECT,
    WRY_STEP_SPEED,
    WRY_STEP_READ,
    WRY_STEP_JOURNAL, /* storing bytes that an erase puts at risk */
    WRY_STEP_WRITE,
    WRY_STEP_DIGEST,
    WRY_STEP_START,
};

/* The facts of a failure. Members that do not apply to a status are 0. */
struct wry_fault {
    enum wry_status status;
    enum wry_step step;
    uint32_t offset;   /* flash offset where it occurred */
    uint32_t length;   /* bytes concerned */
    uint64_t expected; /* comparisons: the expected value */
    uint64_t found;    /* the value found */
};

/*
 * A short English phrase for a status, without punctuation, for logs: "the link was lost". Never
 * NULL; accepts any value.
 */
const char *wry_status_text(enum wry_status status);

#ifdef __cplusplus
}
#endif

#endif
