/*
 * Outcomes and faults.
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
    WRY_BAD_ARGUMENT,   /* the caller broke a stated rule */
    WRY_BAD_RANGE,      /* a range is empty, unaligned or beyond the end of flash */
    WRY_OVERLAP,        /* two placements claim the bytes offset + length; expected and found are
                           their indexes after sorting by offset */
    WRY_SOURCE_FAILED,  /* a reader of the caller failed, at offset */
    WRY_SINK_FAILED,    /* a writer of the caller failed, at offset */
    WRY_JOURNAL_FAILED, /* the caller's journal failed: nothing more was erased, at offset */
    WRY_NO_ANSWER,      /* nothing that speaks the protocol answered */
    WRY_LINK_LOST,     /* the board answered before and no longer does; of a port's call: it failed;
                          or, with
                          expected frames of which found were lost, the line carries next to nothing */
    WRY_PORT_GONE,     /* the port failed and did not come back in time; the board was not asked */
    WRY_STALLED,       /* the board's work has not advanced for long, at offset; it may answer */
    WRY_WRONG_BOARD,   /* another board than before, or a version that we do not speak */
    WRY_DIFFERS,       /* content is not what it should be, in the range offset + length */
    WRY_CONTRADICTED,  /* two answers of the board contradict each other, in offset + length */
    WRY_FLASH_FAILED,  /* a page does not read back as it was programmed, at offset */
    WRY_FLASH_SILENT,  /* the flash does not tell a usable JEDEC ID */
    WRY_FLASH_LIMITED, /* the flash may be read and not changed: found = enum wry_flash_limit of
                          wrytograph/message.h, expected = bytes of its smallest erase unit, or 0 */
    WRY_FLASH_SMALLER, /* beyond offset the flash repeats itself: found bytes, not expected ones */
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
    WRY_STEP_JOURNAL, /* storing what an erase puts at risk */
    WRY_STEP_WRITE,
    WRY_STEP_DIGEST,
    WRY_STEP_START,
};

/* The facts of a failure. Fields that mean nothing for a status are 0. */
struct wry_fault {
    enum wry_status status;
    enum wry_step step;
    uint32_t offset;   /* flash offset in bytes where it arose */
    uint32_t length;   /* bytes concerned */
    uint64_t expected; /* for comparisons: what should have been there */
    uint64_t found;    /* and what was there */
};

/*
 * What a status means, in a few English words without an ending, for logs: "the link was lost".
 * Never NULL; any value may be asked for.
 */
const char *wry_status_text(enum wry_status status);

#ifdef __cplusplus
}
#endif

#endif
