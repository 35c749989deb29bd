/*
 * Sessions: working on one board through a port.
 *
 * A session puts the board into loading mode, agrees on a speed, and then erases, reads, writes,
 * verifies and starts. All memory is the caller's, at most WRY_SESSION_RAM_MAX bytes; images come
 * through readers, content read goes out through a writer. Calls return when the work is done and
 * checked, or with a status; what went wrong in detail stays in the session as a fault.
 *
 *     struct wry_session session;
 *     struct wry_session_config config = {.token = random_number};
 *     wry_session_init(&session, port, &config);
 *     if (wry_session_connect(&session) == WRY_OK)
 *         printf("%u bytes of flash\n", wry_session_board(&session)->capacity);
 *
 * A call that fails leaves the board answering where that is possible, and can be repeated: every
 * message speaks of absolute offsets. What works on the board (write, read, back_up,
 * digest, sector_sums, verify, start) returns WRY_BAD_ARGUMENT before a connect that returned
 * WRY_OK, and after start; connect may be called again at any time, and finds the board anew.
 *
 * Pointers are not NULL unless a comment allows it. A session points into itself: once it is
 * initialised it must not be copied or moved. It holds nothing that has to be freed.
 */
#ifndef WRYTOGRAPH_SESSION_H
#define WRYTOGRAPH_SESSION_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/bytes.h"
#include "wrytograph/cost.h"
#include "wrytograph/frame.h"
#include "wrytograph/inflate.h"
#include "wrytograph/known.h"
#include "wrytograph/message.h"
#include "wrytograph/packer.h"
#include "wrytograph/plan.h"
#include "wrytograph/port.h"
#include "wrytograph/status.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_SESSION_RAM_MAX (16u * 1024u)
#define WRY_SESSION_READS 4u                                     /* read requests in flight */
#define WRY_SESSION_READ_LENGTH (WRY_READ_PAGES * WRY_PAGE_SIZE) /* bytes each asks for */
#define WRY_SESSION_SUMS_MAX 256u
/* Bytes for reading packed content: streams in flight, and what unpacks them. */
#define WRY_SESSION_READ_MEMORY (WRY_SESSION_READS * WRY_SESSION_READ_LENGTH + 48u * 1024u)
#define WRY_SESSION_HEARD 256u /* bytes of other traffic kept */

/* Takes n bytes of flash content from offset. False on failure. Offsets need not rise. */
struct wry_writer {
    void *context;
    bool (*write)(void *context, uint32_t offset, const uint8_t *bytes, size_t n);
};

enum wry_kept {
    WRY_KEPT_NO,
    WRY_KEPT_YES,
    WRY_KEPT_UNKNOWN, /* it cannot tell: nothing is erased then */
};

/* A sector that holds other content besides what is written. */
struct wry_journal_sector {
    uint32_t offset;
    uint16_t from, to;              /* of it, the pages that hold all of the other content */
    uint8_t bytes[WRY_SECTOR_SIZE]; /* those as they were; the rest means nothing */
};

/*
 * The caller's safe place for what an erase puts at risk. A span of sectors is erased only after
 * begin has returned true, which means that span and mixed sectors are stored where they outlive
 * this process; after end they may be forgotten. With a journal, a write that was cut anywhere can
 * be made good by a later session: neighbours are put back from the store, and sectors that
 * unsettled names are erased again even where they read as they should. What a journal stores
 * belongs to one board: to its address, chip, flash size and JEDEC ID.
 */
struct wry_journal {
    void *context;
    /* kept: the span's mixed sectors; intended: the span as it shall be, from 0 on. Both are valid
     * during the call, and take the place of what is stored of these sectors. What is stored of
     * other sectors of the span stays stored until end: this may be its putting back. */
    bool (*begin)(void *context, const struct wry_span *span, const struct wry_journal_sector *kept,
                  size_t count, const struct wry_reader *intended);
    /* The span holds what it should, by the board's digest. */
    bool (*end)(void *context, const struct wry_span *span);
    /* Whether any sector of the range was begun by a session before and never ended. */
    enum wry_kept (*unsettled)(void *context, uint32_t offset, uint32_t length);
    /* The lowest mixed sector that was begun and never ended. */
    enum wry_kept (*saved)(void *context, struct wry_journal_sector *old,
                           uint8_t intended[WRY_SECTOR_SIZE]);
    /* That sector cannot be put back: the flash holds newer work, or ends before it. Neither saved
     * nor unsettled speak of it any more. */
    bool (*yield)(void *context, uint32_t offset);
};

/* How far a call has come. */
struct wry_session_progress {
    enum wry_step step;
    uint32_t offset;      /* flash offset that has been reached */
    uint64_t done, total; /* bytes of this call */
    uint64_t expected;    /* us that the rest of a write takes by the cost model; 0 = not known */
    uint32_t speed;       /* baud in use */
    bool lost;            /* the link is lost, and the board is being looked for */
    bool flash_busy;      /* the board answers; its flash is at work on what a reset interrupted */
};

struct wry_session_config {
    uint32_t token;        /* any number, different for each session: tells stale replies apart */
    uint32_t start_speed;  /* baud at which the board is called; 0 = WRY_STARTING_SPEED */
    uint32_t likely_speed; /* baud that is tried first, and faster ones are not; 0 = none */
    uint32_t max_speed;    /* baud; 0 = the fastest that board and port can */
    bool by_hand;          /* loading mode is entered by hand: call until call_time is over */
    uint64_t call_time;    /* us; 0 = a minute */
    uint64_t patience;     /* us that a lost link may take to come back; 0 = 10 s */
    unsigned attempts;     /* tries to get into loading mode; 0 = 3 */
    bool trust_capacity;   /* the flash is as large as it claims, by the caller's own knowledge */
    bool every_sector;     /* write sectors that hold the right content already, too */
    bool clear_protection; /* of the flash, where something is to be changed */
    const struct wry_journal *journal; /* outlives the session; NULL = none */
    const struct wry_packer *packer;   /* the same; NULL = content goes out as it is */
    const struct wry_known *known;     /* the same; NULL = nothing is known */
    void *read_memory; /* WRY_SESSION_READ_MEMORY bytes, aligned as malloc does, the session's for
                          as long as it lives; NULL = content is read as it is */
    /* For the mixed sectors of what is written in one go; NULL: there is room for two. */
    struct wry_journal_sector *kept;
    size_t kept_count; /* 2 at least */
    void *context;     /* handed to progress */
    /*
     * Called at least every 100 ms of the port's time while a call lasts, also while it only waits;
     * returning true asks to stop. The call then ends with WRY_STOPPED. May be NULL.
     */
    bool (*progress)(void *context, const struct wry_session_progress *progress);
};

/* What went over the link, and what was heard besides the protocol. */
struct wry_session_stats {
    uint64_t bytes_sent, bytes_received;
    uint64_t content_sent;     /* bytes in data frames, packed or not, repeats included */
    uint32_t frames_resent;    /* data frames that had to be sent again */
    uint32_t frames_bad;       /* received with a wrong FCS */
    uint32_t bytes_outside;    /* received outside frames: boot text, another program, garbage */
    uint32_t bytes_printable;  /* of these */
    uint32_t bytes_zero;       /* and of these: a line held low reads as zeros */
    uint32_t own_frames;       /* our own frames came back: the line echoes */
    uint32_t speed_steps_down; /* speeds given up */
    uint32_t sectors_written;  /* and checked, in the last write */
    uint32_t sectors_left;     /* in the last write, not touched because they were right already */
    uint32_t reconnects;       /* times the link was lost and found again */
    uint32_t not_forgotten;    /* spans that are done, and that the journal failed to forget */
    uint64_t bytes_known;      /* of backups, that were not read since the caller knew them */
    uint32_t differences;   /* parts for which the difference to what was known saved something */
    uint32_t guesses_wrong; /* times that what was taken for known was not there */
};

/* A page on its way to the board. */
enum wry_page_state {
    WRY_PAGE_UNSENT = 0,
    WRY_PAGE_SENT,
    WRY_PAGE_RECEIVED,
};

struct wry_session_window {
    uint32_t start, end;      /* the part being written; of a stream, 0 and its length, if known */
    uint32_t received, limit; /* as the board last told */
    uint32_t available;       /* what is there to be sent; all of it, but of a stream */
    uint32_t packed;          /* bytes of a stream made so far */
    bool is_stream;           /* these marks count bytes of a stream */
    uint32_t sent;            /* content up to here has been sent at least once */
    uint32_t again;           /* where sending once more goes on */
    uint32_t hashed;          /* content up to here is in sha */
    struct wry_sha256 sha;
    uint16_t sent_seq[WRY_PROGRESS_PAGES];
    uint8_t state[WRY_PROGRESS_PAGES]; /* enum wry_page_state */
};

struct wry_session_read {
    bool active;
    uint16_t seq;    /* of the latest question */
    uint16_t frames; /* that have answered it */
    uint32_t offset, length;
    uint8_t have[WRY_READ_PAGES / 8]; /* pages of content, or of the stream */
    /* Of one that is answered by a stream: */
    bool packed, stream_known; /* known: its length */
    bool soon;                 /* it may be answered before others that were asked earlier */
    bool was_busy;             /* the board had no room for it once */
    uint16_t seq_before;       /* of the question before */
    uint32_t stream_length;    /* bytes */
    uint32_t stream_seen;      /* the furthest byte that has come */
    uint32_t stream_used;      /* bytes that are unpacked */
    uint32_t unpacked;         /* bytes of content from offset on */
};

/* How well the line carries data frames, in either direction, and what was made of it. */
struct wry_session_pace {
    uint32_t payload;                  /* bytes of content per data frame at present */
    uint32_t frames, lost;             /* since the payload was last judged */
    uint32_t short_frames, short_lost; /* of the shortest, since the speed was last judged */
    uint32_t before;                   /* baud before a step down that is on trial; 0 = none */
    uint32_t before_yield;             /* and what it carried: baud less losses */
    bool untried;                      /* no frame was lost yet: longer ones may do */
    bool settled;                      /* a slower speed was no better */
    bool doubtful;                     /* the last judgement was: next to nothing gets through */
};

struct wry_session {
    const struct wry_port *port;
    struct wry_session_config config;
    struct wry_session_stats stats;
    struct wry_fault fault;

    bool connected;
    bool continued; /* as the last hello reply said */
    struct wry_hello_reply board;
    uint32_t speed;
    uint32_t speed_tried;  /* the last that the board was asked for */
    uint32_t speed_bound;  /* speeds above were given up */
    bool capacity_checked; /* the halves of the flash are known to be two */
    uint16_t seq;
    bool port_failed;      /* a call of the port failed: it has to be opened again */
    uint64_t line_free_at; /* us: when what was written should have left */
    uint64_t latency;      /* us from question to answer beyond the line's own time, as seen */
    uint64_t spoke_at;     /* us: when something was last written */

    bool ending;  /* asked to stop already: the board is being left in good order */
    bool stopped; /* the last call was stopped: no answer is waited for until the next */
    uint64_t told_at;
    struct wry_session_progress told; /* repeated while waiting */
    uint32_t sector_time; /* us that a sector of the part in hand takes by the cost model */
    uint64_t waited;      /* us spent in the port so far: what the caller's own work takes is left
                             out of every deadline of the board's */
    uint64_t advanced_at; /* of these us: when the work in hand last came further, */
    uint64_t frame_at;    /* and when the last good frame came */
    uint32_t bad_at_advance; /* frames_bad at that time */

    bool progress_fresh;
    struct wry_progress_message progress;
    bool digest_fresh;
    bool
        digest_asked_again; /* the one that was awaited last; what was asked for after it is void */
    uint16_t digest_seq;
    struct wry_range_message digest_range;
    size_t digest_length;

    struct wry_session_pace pace;
    struct wry_session_window window;
    struct wry_session_read reads[WRY_SESSION_READS];
    bool unpack_failed; /* a stream was none: content is read as it is */
    unsigned ask_plain; /* so many questions are not asked packed: the last gained nothing */

    struct wry_decoder decoder;
    uint8_t raw[128];
    size_t raw_at, raw_fill;
    size_t raw_last; /* raw_fill when something came last */
    size_t heard_at;
    uint8_t heard[WRY_SESSION_HEARD];
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t cargo[WRY_PAYLOAD_MAX];    /* content going out, or a digest that came in */
    struct wry_journal_sector kept[2]; /* mixed sectors of the span, where no memory was lent */
};

/* The session's memory is bounded: in C and C++, this does not compile when it is not. */
typedef char
    wry_session_fits_its_memory[sizeof(struct wry_session) <= WRY_SESSION_RAM_MAX ? 1 : -1];

/* port and what config points to must outlive the session. Touches nothing. */
void wry_session_init(struct wry_session *session, const struct wry_port *port,
                      const struct wry_session_config *config);

/*
 * Loading mode by the control lines, hello, and the fastest speed that works. WRY_NO_ANSWER leaves
 * what was heard in the stats and in wry_session_heard.
 */
enum wry_status wry_session_connect(struct wry_session *session);

/* What the board said of itself; zeros before connect. These three may be called at any time. */
const struct wry_hello_reply *wry_session_board(const struct wry_session *session);
const struct wry_session_stats *wry_session_stats(const struct wry_session *session);
const struct wry_fault *wry_session_fault(const struct wry_session *session);

/* Copies the latest bytes heard outside frames, oldest first; returns how many. At any time. */
size_t wry_session_heard(const struct wry_session *session, uint8_t to[WRY_SESSION_HEARD]);

/*
 * Makes the flash hold what the plan says. Sectors that do already are left alone, by the board's
 * sector digests; the others are erased and written, and the board's SHA-256 of all of it is
 * compared with that of the content. WRY_OK means that the flash holds the content and that bytes
 * no placement covers are as before. WRY_PROTECTED before anything is erased when the plan touches
 * a protected range (fault: offset and length of it). plan->flash_size must not exceed the board's
 * capacity.
 */
enum wry_status wry_session_write(struct wry_session *session, const struct wry_plan *plan);

/* Told of each part that a write would write. False ends the estimate with WRY_SINK_FAILED. */
struct wry_estimate_sink {
    void *context;
    bool (*part)(void *context, const struct wry_cost_part *part, const struct wry_cost *cost);
};

/*
 * Looks at the board as a write would, and tells what that would do and take. Nothing is changed.
 * What the flash does not need to do since it is blank is not known before, nor are losses: the
 * times are those of a good line and a used flash.
 */
enum wry_status wry_session_estimate(struct wry_session *session, const struct wry_plan *plan,
                                     const struct wry_estimate_sink *sink);

/* Replaces config.known; NULL: from now on nothing is known. */
void wry_session_set_known(struct wry_session *session, const struct wry_known *known);

/* Replaces config.journal, for callers that know where to store only once they know the board. */
void wry_session_set_journal(struct wry_session *session, const struct wry_journal *journal);

enum wry_recovered {
    WRY_RECOVERED_PUT_BACK, /* the sector holds again what a cut put at risk */
    WRY_RECOVERED_NEWER, /* it holds neither old nor intended content nor what a cut leaves: left */
    WRY_RECOVERED_BEYOND, /* the flash ends before it */
};

/* Told of each sector once it is settled. */
struct wry_recovery_sink {
    void *context;
    void (*sector)(void *context, uint32_t offset, enum wry_recovered outcome);
};

/*
 * Puts back the neighbours that a cut write of an earlier session put at risk, from the journal;
 * but only where the flash still looks cut. What somebody wrote since is left alone. To be called
 * after connect and before anything else is written or read. sink may be NULL.
 */
enum wry_status wry_session_recover(struct wry_session *session,
                                    const struct wry_recovery_sink *sink);

/* SHA-256 of a range, by the board. */
enum wry_status wry_session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t digest[WRY_SHA256_SIZE]);

/*
 * The short digest of each of count sectors from offset on, by the board: what wry_sha256_end_short
 * gives of a sector. count at most WRY_SESSION_SUMS_MAX.
 */
enum wry_status wry_session_sector_sums(struct wry_session *session, uint32_t offset,
                                        uint32_t count, uint64_t *sums);

/* Reads a range through the writer. */
enum wry_status wry_session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                                 const struct wry_writer *writer);

/*
 * The same, and the board's SHA-256 of the range, which it computes while it sends. The caller
 * compares it with the digest of what it received. With config.known, what that gives is not read
 * from the board (stats: bytes_known): where the digests differ then, the caller takes it away, and
 * backs up once more.
 */
enum wry_status wry_session_back_up(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer,
                                    uint8_t digest[WRY_SHA256_SIZE]);

/* Told of one stretch that differs; first_expected and first_found are its first bytes. */
struct wry_difference_sink {
    void *context;
    void (*difference)(void *context, uint32_t offset, uint32_t length, uint8_t first_expected,
                       uint8_t first_found);
};

enum wry_verify_method {
    WRY_VERIFY_DIGEST,    /* the board's SHA-256; only where it differs is content read */
    WRY_VERIFY_READ_BACK, /* every byte is read and compared */
};

/*
 * Compares one placement with the flash. WRY_DIFFERS after all differences were told; fault.offset
 * is the first, fault.found the number of bytes that differ. WRY_CONTRADICTED when the digests
 * differ and the bytes do not. sink may be NULL.
 */
enum wry_status wry_session_verify(struct wry_session *session,
                                   const struct wry_placement *placement,
                                   enum wry_verify_method method,
                                   const struct wry_difference_sink *sink);

/*
 * Takes the board back to the starting speed, still in loading mode, so that the next session finds
 * it at once. Failure does no harm: the board goes back by itself when it hears nothing. May be
 * called at any time; before connect it does nothing.
 */
void wry_session_leave(struct wry_session *session);

/*
 * Takes out what arrived behind the last frame that was looked at, room bytes at most; how many.
 * After wry_session_start it is the beginning of what the firmware says.
 */
size_t wry_session_take_rest(struct wry_session *session, uint8_t *to, size_t room);

/* Leaves loading mode and runs the firmware; the board no longer answers afterwards, and the
 * session has to connect again. */
enum wry_status wry_session_start(struct wry_session *session);

#ifdef __cplusplus
}
#endif

#endif
