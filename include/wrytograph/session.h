/*
 * Sessions: working on one board through a port.
 *
 * A session puts the board into loading mode, negotiates a speed, and then erases, reads, writes,
 * verifies and starts. The caller provides all memory, at most WRY_SESSION_RAM_MAX bytes. Images
 * come from readers; content that is read goes to a writer. Calls return when the work is done and
 * checked, or with a status; the details of a failure stay in the session as a fault.
 *
 *     struct wry_session session;
 *     struct wry_session_config config = {.token = random_number};
 *
 *     wry_session_init(&session, port, &config);
 *     if (wry_session_connect(&session) == WRY_OK)
 *         printf("%u bytes of flash\n", wry_session_board(&session)->capacity);
 *
 * A call that fails leaves the board able to answer if that is possible, and can be repeated: all
 * messages use absolute offsets. The calls that work on the board (write, read, back_up, digest,
 * sector_sums, verify, start) return WRY_BAD_ARGUMENT before a successful connect and after start.
 * connect may be called again at any time and then looks for the board anew.
 *
 * Pointers must not be NULL unless a comment allows it. A session points into itself: do not copy
 * or move it once it is initialised. It owns nothing that has to be freed.
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
#define WRY_SESSION_READS 4u /* read requests in flight */
#define WRY_SESSION_READ_LENGTH                                                                    \
    (WRY_READ_PAGES * WRY_PAGE_SIZE) /* bytes that each of them requests */
#define WRY_SESSION_SUMS_MAX 256u
/* Bytes of memory for reading streams: the streams in flight, and the decoder. */
#define WRY_SESSION_READ_MEMORY (WRY_SESSION_READS * WRY_SESSION_READ_LENGTH + 48u * 1024u)
#define WRY_SESSION_ANSWER 128u
#define WRY_SESSION_HEARD 256u /* bytes of other traffic that are remembered */

/* Receives n bytes of flash content from offset on. False on failure. Offsets may come in any
 * order. */
struct wry_writer {
    void *context;
    bool (*write)(void *context, uint32_t offset, const uint8_t *bytes, size_t n);
};

enum wry_kept {
    WRY_KEPT_NO,
    WRY_KEPT_YES,
    WRY_KEPT_UNKNOWN, /* it cannot be determined: nothing is erased then */
};

/* A shared sector: it also holds bytes that the write must preserve. */
struct wry_journal_sector {
    uint32_t offset;
    uint16_t from, to;              /* the pages from and up to to hold all of those bytes */
    uint8_t bytes[WRY_SECTOR_SIZE]; /* their content; the rest of the array is undefined */
};

/*
 * Where the caller stores bytes that an erase puts at risk.
 *
 * A span of sectors is erased only after begin has returned true, which means that the span and its
 * shared sectors are stored where they outlive this process; after end they may be deleted. With a
 * journal, a later session can recover an interrupted write: it restores the preserved bytes from
 * the journal, and it erases sectors that unsettled reports again even if they read correctly,
 * since an interrupted erase can leave cells that fade.
 *
 * Journals are per board: what is stored belongs to one address, chip, flash size and JEDEC ID.
 */
struct wry_journal {
    void *context;
    /* kept: the shared sectors of the span; intended: the content that the span shall have, from 0
     * on. Both are valid during the call and replace what is stored of these sectors. Entries for
     * other sectors of the span stay stored until end: this call may be the recovery of an earlier
     * one. */
    bool (*begin)(void *context, const struct wry_span *span, const struct wry_journal_sector *kept,
                  size_t count, const struct wry_reader *intended);
    /* The span holds its intended content, by the board's digest. */
    bool (*end)(void *context, const struct wry_span *span);
    /* Whether an earlier session began, but did not end, a span with a sector of this range. */
    enum wry_kept (*unsettled)(void *context, uint32_t offset, uint32_t length);
    /* The lowest shared sector of a span that was begun and not ended. */
    enum wry_kept (*saved)(void *context, struct wry_journal_sector *old,
                           uint8_t intended[WRY_SECTOR_SIZE]);
    /* That sector cannot be restored: the flash holds newer content, or ends before it. saved and
     * unsettled must not report it again. */
    bool (*yield)(void *context, uint32_t offset);
};

/* How far a call has come. */
struct wry_session_progress {
    enum wry_step step;
    uint32_t offset;      /* flash offset that has been reached */
    uint64_t done, total; /* bytes of this call */
    uint64_t expected; /* us that the rest of a write will take, by the cost model; 0 = not known */
    uint32_t speed;    /* baud in use */
    bool lost;         /* the link is lost; the session is looking for the board */
    bool flash_busy; /* the board answers, but its flash is still busy with an operation from before
                        the reset */
};

struct wry_session_config {
    uint32_t token;        /* any number, different for each session: identifies stale replies */
    uint32_t start_speed;  /* baud at which the board is called first; 0 = WRY_STARTING_SPEED */
    uint32_t likely_speed; /* baud to try first and not to exceed; 0 = none */
    uint32_t max_speed;    /* baud; 0 = the highest that board and port support */
    bool by_hand;          /* somebody presses the buttons: call for call_time */
    uint64_t call_time;    /* us; 0 = a minute */
    uint64_t patience;     /* us to wait for a lost link; 0 = 10 s */
    unsigned attempts;     /* attempts to enter loading mode; 0 = 3 */
    uint32_t flash_size; /* bytes, a power of two: of a flash that does not report its size; 0 = not
                            known */
    bool trust_capacity; /* do not check that the flash has its claimed size; it is checked all the
                            same if only flash_size says so */
    bool every_sector;   /* write sectors that hold the right content already, too */
    bool clear_protection;             /* clear block protection before a change */
    const struct wry_journal *journal; /* outlives the session; NULL = none */
    const struct wry_packer *packer;   /* likewise; NULL = content is sent unencoded */
    const struct wry_known *known;     /* likewise; NULL = nothing is known */
    void *read_memory; /* WRY_SESSION_READ_MEMORY bytes, aligned as by malloc, for the lifetime of
                          the session; NULL = content is not read as streams */
    /* Memory for the shared sectors of one span. NULL: room for two. */
    struct wry_journal_sector *kept;
    size_t kept_count; /* 2 at least */
    void *context;     /* argument of progress */
    /*
     * Called at least every 100 ms of the port's time during a call, also while it waits. Returning
     * true asks to stop: the call ends with WRY_STOPPED. May be NULL.
     */
    bool (*progress)(void *context, const struct wry_session_progress *progress);
};

/* Traffic counters, and what was heard outside the protocol. */
struct wry_session_stats {
    uint64_t bytes_sent, bytes_received;
    uint64_t content_sent;     /* bytes in data frames, encoded or not, repetitions included */
    uint32_t frames_resent;    /* data frames that had to be sent again */
    uint32_t frames_bad;       /* received with a wrong FCS */
    uint32_t bytes_outside;    /* received outside frames: boot text, another program, garbage */
    uint32_t bytes_printable;  /* printable ones among them */
    uint32_t bytes_zero;       /* zeros among bytes_outside: a line held low reads as zeros */
    uint32_t own_frames;       /* sent frames that came back: the line echoes */
    uint32_t speed_steps_down; /* times that a lower speed was chosen */
    uint32_t sectors_written;  /* sectors written and verified in the last write */
    uint32_t sectors_left;     /* sectors of the last write that already had the right content */
    uint32_t reconnects;       /* times the link was lost and found again */
    uint32_t not_forgotten;    /* finished spans that the journal failed to delete */
    uint64_t bytes_known;      /* bytes of backups taken from known content instead of read */
    uint32_t differences;      /* parts that were sent as a difference */
    uint32_t guesses_wrong;    /* times that known content turned out to be wrong */
    uint32_t restarts; /* reconnects to a board that had lost its session: it had restarted, or was
                          reset after a dozen calls in vain */
};

/* A page on its way to the board. */
enum wry_page_state {
    WRY_PAGE_UNSENT = 0,
    WRY_PAGE_SENT,
    WRY_PAGE_RECEIVED,
};

struct wry_session_window {
    uint32_t start, end;      /* the current part; for a stream, 0 and its length, if known */
    uint32_t received, limit; /* as the board last reported */
    uint32_t available;       /* content available for sending: all of it, unless it is a stream */
    uint32_t packed;          /* bytes of a stream made so far */
    bool is_stream;           /* all positions here count bytes of the stream */
    uint32_t sent;            /* content up to here has been sent at least once */
    uint32_t again;           /* position from which content is sent again */
    uint32_t hashed;          /* content up to here is in sha */
    struct wry_sha256 sha;
    uint16_t sent_seq[WRY_PROGRESS_PAGES];
    uint8_t state[WRY_PROGRESS_PAGES]; /* enum wry_page_state */
};

struct wry_session_read {
    bool active;
    uint16_t seq;    /* sequence number of the latest request */
    uint16_t frames; /* frames that have answered it */
    uint32_t offset, length;
    uint8_t have[WRY_READ_PAGES / 8]; /* pages of content, or of the stream */
    /* A read that is answered with a stream: */
    bool packed, stream_known; /* stream_known: its length is known */
    bool quick;                /* requested so; stays, as it determines the stream */
    bool soon;                 /* it may be answered before earlier requests */
    bool was_busy;             /* the board rejected it once for lack of room */
    uint16_t seq_before;       /* sequence number of the request before */
    uint32_t stream_length;    /* bytes */
    uint32_t stream_seen;      /* end of the furthest byte received */
    uint32_t stream_used;      /* bytes of the stream decoded */
    uint32_t unpacked;         /* bytes of content from offset on */
};

/* How well the line carries data frames in both directions, and the decisions made from that. */
struct wry_session_pace {
    uint32_t payload;                  /* current bytes of content per data frame */
    uint32_t frames, lost;             /* since payload was last decided */
    uint32_t short_frames, short_lost; /* shortest frames, since the speed was last decided */
    uint32_t before;                   /* baud before a lower speed on trial; 0 = none */
    uint32_t before_yield;             /* throughput at that speed: baud less losses */
    bool untried;                      /* no frame has been lost so far: longer frames may work */
    bool settled;                      /* a lower speed was no better; stay here */
    bool doubtful;                     /* at the last decision hardly anything got through */
};

/* A short answer to a digest request that came before it was waited for. */
struct wry_session_answer {
    bool fresh;
    uint16_t seq;
    struct wry_range_message range;
    size_t length;
    uint8_t digest[WRY_SESSION_ANSWER];
};

struct wry_session {
    const struct wry_port *port;
    struct wry_session_config config;
    struct wry_session_stats stats;
    struct wry_fault fault;

    bool connected;
    bool continued; /* continued of the last hello reply */
    bool running;   /* the board may have a write job that has not ended */
    struct wry_hello_reply board;
    uint32_t speed;
    uint32_t speed_tried;  /* the last speed requested of the board */
    uint32_t speed_bound;  /* speeds above this one failed */
    bool capacity_checked; /* the two halves of the flash are known to be distinct */
    uint16_t seq;
    bool port_failed;       /* a call to the port failed: it must be reopened */
    uint64_t line_free_at;  /* us: when the bytes written so far should have left */
    uint64_t latency;       /* us from request to answer beyond the line's own time, as measured, */
    uint64_t latency_least; /* and the least of them: the board had nothing else to do */
    uint64_t spoke_at;      /* us: when something was last written */

    bool ending;  /* stopping: the board is being left in a clean state */
    bool stopped; /* the last call was stopped: do not wait for answers until the next one */
    uint64_t told_at;
    struct wry_session_progress told; /* the last progress report, repeated while waiting */
    uint32_t sector_time;             /* us per sector of the current part, by the cost model */
    uint64_t waited; /* us spent in the port so far: the deadlines of the board do not include the
                        caller's own work */
    uint64_t advanced_at;    /* on that clock: when the current work last advanced, */
    uint64_t frame_at;       /* and when the last good frame came */
    uint32_t bad_at_advance; /* frames_bad at that time */
    uint32_t bad_at_first;   /* frames_bad when the board was found: most boards print something
                                before that */

    bool progress_fresh;
    struct wry_progress_message progress;
    bool digest_fresh;
    bool digest_asked_again; /* the digest awaited last is void; it was requested again */
    uint16_t digest_seq;
    struct wry_range_message digest_range;
    size_t digest_length;
    struct wry_session_answer earlier; /* the answer before that one */

    struct wry_session_pace pace;
    struct wry_session_window window;
    struct wry_session_read reads[WRY_SESSION_READS];
    bool unpack_failed; /* a stream was invalid: read without streams */
    unsigned ask_plain; /* number of reads to request without streams, since the last one gained
                           nothing */

    struct wry_decoder decoder;
    uint8_t raw[128];
    size_t raw_at, raw_fill;
    size_t raw_last; /* raw_fill when input last arrived */
    size_t heard_at;
    uint32_t printed; /* bytes of text since the last good frame */
    uint8_t heard[WRY_SESSION_HEARD];
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t cargo[WRY_PAYLOAD_MAX];    /* outgoing content, or an incoming digest */
    struct wry_journal_sector kept[2]; /* shared sectors of the span if config.kept is NULL */
};

/* Fails to compile, in C and C++, if the struct exceeds its bound. */
typedef char
    wry_session_fits_its_memory[sizeof(struct wry_session) <= WRY_SESSION_RAM_MAX ? 1 : -1];

/* Initialises a session without using the port. port and what config points to must outlive the
 * session. */
void wry_session_init(struct wry_session *session, const struct wry_port *port,
                      const struct wry_session_config *config);

/*
 * Enters loading mode by the control lines, says hello, and chooses the highest speed that works.
 * After WRY_NO_ANSWER the stats and wry_session_heard have what was heard instead.
 */
enum wry_status wry_session_connect(struct wry_session *session);

/* What the board reported about itself; zeros before connect. This and the next two may be called
 * at any time. */
const struct wry_hello_reply *wry_session_board(const struct wry_session *session);
const struct wry_session_stats *wry_session_stats(const struct wry_session *session);
const struct wry_fault *wry_session_fault(const struct wry_session *session);

/* Copies the latest bytes heard outside frames, oldest first; returns their number. At any time. */
size_t wry_session_heard(const struct wry_session *session, uint8_t to[WRY_SESSION_HEARD]);

/*
 * Makes the flash hold the content of the plan. Sectors that already hold it, by the board's sector
 * digests, are left alone; the others are erased and written, and in the end the board's SHA-256 of
 * the whole range is compared with that of the content. WRY_OK means that the flash holds the
 * content and that all bytes outside the placements are unchanged. WRY_PROTECTED, before anything
 * is erased, if the plan touches a protected range (fault: its offset and length). plan->flash_size
 * must not exceed the board's capacity.
 */
enum wry_status wry_session_write(struct wry_session *session, const struct wry_plan *plan);

/* Receives each part that a write would write. Returning false ends the estimate with
 * WRY_SINK_FAILED. */
struct wry_estimate_sink {
    void *context;
    bool (*part)(void *context, const struct wry_cost_part *part, const struct wry_cost *cost);
};

/*
 * Reports what wry_session_write would do and how long it would take; changes nothing. It cannot
 * foresee losses on the line, nor all the work that the flash is spared where it is blank: times
 * are for a good line, and for a used flash unless every sector that was sampled is blank.
 */
enum wry_status wry_session_estimate(struct wry_session *session, const struct wry_plan *plan,
                                     const struct wry_estimate_sink *sink);

/* Replaces config.known; NULL: nothing is known from now on. */
void wry_session_set_known(struct wry_session *session, const struct wry_known *known);

/* Replaces config.journal, for callers that must know the board before they know where to store. */
void wry_session_set_journal(struct wry_session *session, const struct wry_journal *journal);

enum wry_recovered {
    WRY_RECOVERED_PUT_BACK, /* the sector has its preserved bytes back */
    WRY_RECOVERED_NEWER,    /* it has been written since the interruption: left alone */
    WRY_RECOVERED_BEYOND,   /* the flash ends before it */
};

/* Receives each sector after its recovery. */
struct wry_recovery_sink {
    void *context;
    void (*sector)(void *context, uint32_t offset, enum wry_recovered outcome);
};

/*
 * Recovers the interrupted writes of earlier sessions from the journal: restores preserved bytes,
 * but only in sectors that still look interrupted. Sectors that were written since are left alone.
 * Call it after connect, before anything else is read or written. sink may be NULL.
 */
enum wry_status wry_session_recover(struct wry_session *session,
                                    const struct wry_recovery_sink *sink);

/* The board's SHA-256 of a range. */
enum wry_status wry_session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t digest[WRY_SHA256_SIZE]);

/* The same of count ranges, requested two at a time: half the time where answers are late. */
enum wry_status wry_session_digests(struct wry_session *session,
                                    const struct wry_range_message *ranges, size_t count,
                                    uint8_t (*digests)[WRY_SHA256_SIZE]);

/*
 * The board's short digest (see wry_sha256_end_short) of each of count sectors from offset on;
 * count is at most WRY_SESSION_SUMS_MAX.
 */
enum wry_status wry_session_sector_sums(struct wry_session *session, uint32_t offset,
                                        uint32_t count, uint64_t *sums);

/* Reads a range into the writer. */
enum wry_status wry_session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                                 const struct wry_writer *writer);

/*
 * Reads a range, and returns the board's SHA-256 of it, computed while sending. The caller compares
 * it with the digest of what arrived. Content that config.known provides is not read from the board
 * (stats.bytes_known): if the digests differ, call wry_session_set_known with NULL and back up
 * again.
 */
enum wry_status wry_session_back_up(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer,
                                    uint8_t digest[WRY_SHA256_SIZE]);

/* Receives one range that differs; first_expected and first_found are its first bytes. */
struct wry_difference_sink {
    void *context;
    void (*difference)(void *context, uint32_t offset, uint32_t length, uint8_t first_expected,
                       uint8_t first_found);
};

enum wry_verify_method {
    WRY_VERIFY_DIGEST,    /* compare the board's SHA-256, and read content only where it differs */
    WRY_VERIFY_READ_BACK, /* read and compare every byte */
};

/*
 * Compares one placement with the flash. WRY_DIFFERS after all differences were reported;
 * fault.offset is the first, fault.found the number of differing bytes. WRY_CONTRADICTED if the
 * digests differ but the bytes do not. sink may be NULL.
 */
enum wry_status wry_session_verify(struct wry_session *session,
                                   const struct wry_placement *placement,
                                   enum wry_verify_method method,
                                   const struct wry_difference_sink *sink);

/*
 * Returns the board to the starting speed, still in loading mode, so that the next session finds it
 * at once. Failure does no harm: a board that hears nothing does so by itself. It may be called at
 * any time and does nothing before connect.
 */
void wry_session_leave(struct wry_session *session);

/*
 * Takes up to room bytes that arrived after the last processed frame; returns their number. After
 * wry_session_start this is the beginning of the firmware's output.
 */
size_t wry_session_take_rest(struct wry_session *session, uint8_t *to, size_t room);

/* Leaves loading mode and runs the firmware. The board no longer answers then; the session has to
 * connect again. */
enum wry_status wry_session_start(struct wry_session *session);

#ifdef __cplusplus
}
#endif

#endif
