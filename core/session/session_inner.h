/* Declarations shared by the files of the session. Each block names its file. */
#ifndef WRY_SESSION_INNER_H
#define WRY_SESSION_INNER_H

#include "wrytograph/session.h"

#define US_PER_MS UINT64_C(1000)

/* wait.c: time, and progress reports while it passes. */
uint64_t session_now(const struct wry_session *session);
/* us that n bytes take at the current speed. */
uint64_t session_line_time(const struct wry_session *session, size_t bytes);
/* us of silence within a frame after which its rest is not expected any more. */
uint64_t session_gap(const struct wry_session *session);
/* Time at which an answer of n bytes to a message just sent is overdue. */
uint64_t session_answer_deadline(const struct wry_session *session, size_t bytes);
/* Updates the latency by an answer of n bytes to a request that was sent tries times, first at
 * asked. With several tries it is unknown which one was answered. */
void session_note_latency(struct wry_session *session, uint64_t asked, size_t bytes,
                          unsigned tries);
/* us from question to answer beyond the line's own time. */
uint64_t session_latency(const struct wry_session *session);
/* Reports progress to the caller; WRY_STOPPED if it asks to stop. */
enum wry_status session_report(struct wry_session *session, enum wry_step step, uint32_t offset,
                               uint64_t done, uint64_t total);
/* Reports that the link is lost and the board is being looked for. */
enum wry_status session_report_loss(struct wry_session *session, enum wry_step step);
/* Repeats the last report if it was some time ago. */
enum wry_status session_heartbeat(struct wry_session *session);
/* The deadline, or the end of a time slice if that is sooner: no single wait is longer. */
uint64_t session_slice(const struct wry_session *session, uint64_t deadline);
/* Waits until then; WRY_STOPPED if asked to stop. */
enum wry_status session_pause(struct wry_session *session, uint64_t until);
/* Begins a call of the public API: it may be stopped, and the stall timer restarts. */
void session_begin_call(struct wry_session *session);

/* The work has advanced: restarts the stall timer. */
void session_advanced(struct wry_session *session);
/* WRY_STALLED if the work has not advanced for too long; WRY_LINK_LOST if damaged frames explain
 * it. */
enum wry_status session_check_advance(struct wry_session *session, enum wry_step step,
                                      uint32_t offset);

/* rate_control.c: length of data frames, and the speed. */
void session_pace_begin(struct wry_session *session);
/* True if no frame was lost or damaged since the board was found. */
bool session_line_is_clean(const struct wry_session *session);
/* Counts frames that went over the line in one direction, and lost ones among them. */
void session_pace_note(struct wry_session *session, uint32_t frames, uint32_t lost);
/* Most bytes of content in a data frame. */
uint32_t session_frame_max(const struct wry_session *session);
/* Changes the speed if that promises more throughput; WRY_LINK_LOST if hardly anything gets
 * through. */
enum wry_status session_pace_judge(struct wry_session *session, enum wry_step step, bool *changed);

/* exchange.c: sending and receiving. Before a board has answered, only hello may be sent; anything
 * else is WRY_BAD_ARGUMENT. */
uint16_t session_next_seq(struct wry_session *session);
enum wry_status session_send(struct wry_session *session, const uint8_t *head, size_t head_length,
                             const uint8_t *payload, size_t payload_length);
/*
 * Receives the next good frame until the deadline, which is extended while a frame arrives; *got is
 * false if there was none. A deadline in the past means: do not wait. Progress and digest messages
 * are also stored in the session.
 */
enum wry_status session_receive(struct wry_session *session, uint64_t deadline,
                                struct wry_message *message, bool *got);
/* Keeps the digest that came last, if it is short, before another takes its place. */
void session_keep_answer(struct wry_session *session);
/* Sends a request until its reply comes; WRY_LINK_LOST if it never does. */
enum wry_status session_exchange(struct wry_session *session, const uint8_t *head, size_t length,
                                 unsigned tries, struct wry_message *reply);
/* The same for a start request: if the answer is lost, output of the firmware proves the start. */
enum wry_status session_exchange_start(struct wry_session *session, const uint8_t *head,
                                       size_t length, unsigned tries);
enum wry_status session_ask_status(struct wry_session *session);
/* Between messages: keeps the board from taking a slow encoder for a lost link. */
enum wry_status session_keep_awake(struct wry_session *session);
enum wry_status session_set_port_speed(struct wry_session *session, uint32_t baud);

/* fault.c */
enum wry_status session_fail(struct wry_session *session, enum wry_status status,
                             enum wry_step step, uint32_t offset);
/* The same for a range. */
enum wry_status session_fail_range(struct wry_session *session, enum wry_status status,
                                   enum wry_step step, uint32_t offset, uint32_t length);
/* The status for an error message of the board; sets the fault. */
enum wry_status session_refused(struct wry_session *session, enum wry_step step, uint8_t code,
                                uint32_t offset);

/* hello.c */
/* Cancels the board's jobs of this session, so that it answers the next request. */
void session_abandon(struct wry_session *session);
enum wry_status session_hello(struct wry_session *session, unsigned tries);
/* A hello that confirms an earlier answer at this speed; afterwards the board keeps the speed. */
enum wry_status session_hello_heard(struct wry_session *session, unsigned tries);

/* connect.c */
/* Finds a lost board again. session->continued tells if its jobs are still valid. */
/* True for a lost link; false for one that exists but carries hardly anything. */
bool session_may_recover(const struct wry_session *session, enum wry_status status);
enum wry_status session_recover(struct wry_session *session, enum wry_step step);

/* speed.c */
/* Calls at that speed. The board must have heard that its answer was heard: only then it keeps to
 * the speed. */
enum wry_status session_call_at(struct wry_session *session, uint32_t baud, unsigned tries);
/* Climbs to the fastest speed that works, not above speed_bound. */
enum wry_status session_climb(struct wry_session *session);
/* The fastest speed below the one in use; 0 when there is none. */
uint32_t session_slower_speed(const struct wry_session *session);
/* To the fastest speed that works within the bound. */
enum wry_status session_change_speed(struct wry_session *session, uint32_t bound);

/* window.c: which pages are on their way. */
void session_window_begin(struct wry_session_window *window, const struct wry_span *span);
/* Takes in what the board told; false when it cannot be true of this span. */
bool session_window_note(struct wry_session *session, const struct wry_progress_message *progress);
/* The next stretch to send; false when the window is full or all is on its way. */
bool session_window_next(const struct wry_session *session, uint32_t *offset, uint32_t *length);
/* True when the page at offset may be sent and was not. */
bool session_window_unsent(const struct wry_session_window *window, uint32_t offset);
/* A page worth sending once more for want of anything better; false when there is none. */
bool session_window_again(struct wry_session *session, uint32_t *offset);
/* Nothing that was sent has arrived. */
void session_window_forget(struct wry_session_window *window);
void session_window_sent(struct wry_session *session, uint32_t offset, uint32_t length,
                         uint16_t seq);

/* A board that hears nothing for 5 s takes the link for lost. */
#define SESSION_KEEP_ALIVE (3000 * US_PER_MS)

#define SESSION_ERASE_MOST 0x10000u /* bytes: the largest unit that flash erases at once */

/* Requested sector digests. */
struct session_asked {
    uint32_t offset, sectors; /* 0 sectors: none */
    uint8_t flags;
    uint16_t seq;
};

/* How a part is sent, as chosen by choice.c. */
struct session_choice {
    uint8_t coding; /* enum wry_coding; 0 = as pages */
    bool down;
    bool exact;          /* packed, not estimated */
    bool line_bound;     /* the line matters for the time */
    uint32_t line_bytes; /* bytes of content on the line */
    uint64_t time;       /* us, */
    uint64_t least;      /* and if it was estimated too badly, */
    uint64_t most;       /* or too well */
};

#define SESSION_PIECES 64u
/* A part, piece by piece. */
struct session_pieces {
    struct wry_span part;
    uint32_t piece, count;             /* bytes of each but the last, and their number */
    uint8_t blank[SESSION_PIECES / 8]; /* bit i: the flash seems blank at piece i */
    uint32_t pages[SESSION_PIECES];    /* of each, those that are not blank */
    uint32_t ends[SESSION_PIECES];     /* bytes on the line up to the end of each */
};

/* How long the stream of a whole span is. */
struct session_measured {
    struct wry_span part;
    uint8_t coding;        /* enum wry_coding */
    uint32_t piece, count; /* as in session_pieces; 0 pieces: nothing is known */
    uint32_t ends[SESSION_PIECES];
};

/* A choice that stands as long as nothing is written. */
struct session_chosen {
    struct wry_span part; /* empty: none */
    struct session_choice choice;
};

/* The erase request that begins a part. */
struct session_request {
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t length;
    uint16_t seq;
    uint64_t overdue; /* us: when it is sent again */
    bool open;        /* not accepted yet: no report of the board is about this part */
};

/* One span of sectors being written. */
struct session_write {
    struct wry_session *session;
    const struct wry_plan *plan;
    struct wry_span span;            /* the current span of the plan */
    struct wry_journal_sector *kept; /* its shared sectors, sorted */
    size_t kept_count;
    struct wry_span part;  /* the part of the span being written; after a loss, the rest of it */
    struct wry_span whole; /* all of that part */
    uint64_t done, total;  /* for progress: bytes in whole sectors */
    struct session_request request;
    uint16_t digest_seq;
    struct session_asked ahead;            /* digests requested in advance */
    struct session_asked sample;           /* samples of the span, if requested in advance */
    unsigned missed;                       /* status requests without an answer */
    uint32_t erased, programmed, received; /* progress of the part as last reported */
    uint8_t coding;                        /* enum wry_coding of the part's stream; 0 = pages */
    bool down;                             /* it is written from the end down */
    bool erases;                           /* the part is all blank: no content is sent */
    bool as_pages;                         /* the board could not decode the stream: send pages */
    bool without_old;                      /* the old content was not as assumed */
    struct session_chosen chosen[2];       /* the latest choices */
    struct session_pieces pieces;          /* see session_pieces */
    struct session_measured measured[2];   /* streams of the span's new content */
    const struct wry_estimate_sink *estimate; /* estimate only; NULL in a write */
    bool blank;                               /* what was sampled of the span is blank, */
    bool alike;                               /* or as it should be */
    uint32_t blank_samples;                   /* bit i: sample i of the span is blank */
    uint32_t samples_stride;                  /* bytes from one sample to the next */
    uint64_t look_time; /* us to look for what differs in the span, as expected */
    bool proven;        /* the sectors left alone are verified by full SHA-256 digests */
};

/* hash.c */
/* SHA-256 of a range of a reader, with progress reports. WRY_SOURCE_FAILED if a read failed, with
 * the reader's offset in the fault. */
enum wry_status session_hash(struct wry_session *session, const struct wry_reader *reader,
                             uint32_t offset, uint32_t length, uint8_t digest[WRY_SHA256_SIZE]);
/* Likewise the SHA-256 of the SHA-256 of each of its sectors (WRY_FLAG_TOGETHER). */
enum wry_status session_hash_sectors(struct wry_session *session, const struct wry_reader *reader,
                                     uint32_t offset, uint32_t length,
                                     uint8_t digest[WRY_SHA256_SIZE]);
/* Likewise the short digest of a sector of a reader. */
enum wry_status session_sector_sum(struct wry_session *session, const struct wry_reader *reader,
                                   uint32_t offset, uint64_t *sum);
/* The first 8 bytes of a digest as a number, see wry_sha256_end_short. */
uint64_t session_short_digest(const uint8_t *digest);

/* compose.c */
/* The composed content as a reader, with offset 0 at the page-aligned start; composed must outlive
 * it. */
struct session_composed {
    const struct session_write *job;
    uint32_t start;
};
struct wry_reader session_composed(struct session_composed *composed);
/* Fills to with the intended content from offset on; both are page-aligned and within the span. */
bool session_compose(const struct session_write *job, uint32_t offset, uint8_t *to,
                     uint32_t length);

/* The shared sectors within the range: the first, and their number. */
const struct wry_journal_sector *session_kept_within(const struct session_write *job,
                                                     uint32_t start, uint32_t end, size_t *count);

/* stream_coding.c: sending content as a stream. */
/* Chooses how the part is sent, begins its stream and fills in the request; job->coding is 0 to
 * send pages. Reports the expected time. */
void session_stream_begin(struct session_write *job, struct wry_erase_message *erase);
/* Sets up the window for a stream. */
void session_stream_window(struct wry_session_window *window);
/* Encodes more of the stream as far as the window needs it. */
enum wry_status session_stream_fill(struct session_write *job);
/* Copies bytes of the stream that are available and not acknowledged. */
void session_stream_take(const struct wry_session *session, uint32_t offset, uint8_t *to,
                         uint32_t length);

/* send.c: until the whole part is programmed. */
/* Requests the digest that follows the part. */
enum wry_status session_follow_part(struct session_write *job);
/* If the request is still open, content follows it at once. */
enum wry_status session_send_part(struct session_write *job);

/* write_part.c: sends and verifies a part. */
enum wry_status session_write_part(struct session_write *job);

/* cost.c: the time that a part takes. */
struct session_cost_terms {
    uint32_t speed;    /* baud */
    uint64_t latency;  /* us from question to answer beyond the line's own time */
    uint32_t window;   /* bytes that the board buffers */
    bool down;         /* from the end down */
    bool blank;        /* nothing must be erased */
    uint32_t rate;     /* bytes that are read from the flash in 1 us */
    uint32_t hash;     /* ns of the board's processor to hash a byte */
    bool decodes_unit; /* the board decodes the largest erase unit ahead */
};
uint32_t session_flash_rate(const struct wry_session *session);
/* us for so many bytes of content on the line. */
uint64_t session_cost_line(const struct wry_session *session, uint32_t bytes);
/* ns of the board's processor to hash a byte. */
uint32_t session_hash_time(const struct wry_session *session);
/* us to find out what differs in so many bytes, by whole digests of the sectors or by short ones.
 * So many of the bytes are blank: the board hashes one blank sector only. */
uint64_t session_cost_look(const struct wry_session *session, uint32_t length, uint32_t blank,
                           bool whole);
/* us that the flash takes to erase a range, or to see that it is blank, and to program so many
 * pages of it. */
uint32_t session_cost_flash(const struct wry_session *session, uint32_t offset, uint32_t length,
                            uint32_t pages, bool blank);
/* pieces: NULL for a part that is taken as one. */
struct wry_cost session_cost_of(const struct session_cost_terms *terms,
                                const struct wry_cost_part *part,
                                const struct session_pieces *pieces);

/* pieces.c: what is blank is neither sent nor programmed. */
/* *pages: those of a range that are not blank. False if the caller cannot provide the content. */
bool session_count_pages(const struct session_write *job, uint32_t start, uint32_t end,
                         uint32_t *pages);
/* Bytes of the span that seem blank on the flash, by its samples. */
uint32_t session_blank_bytes(const struct session_write *job);
/* The pieces of job->part, as they are without a stream. */
const struct session_pieces *session_pieces(struct session_write *job);

#define SESSION_THOROUGH_SPEED 200000u /* baud, below which packing takes its time */
/* measure.c: what the packer is asked for. */
struct wry_packing session_packing(struct session_write *job, uint8_t coding, bool down);
/* The pieces of job->part when it is sent that way. False if the packer cannot do that. */
bool session_measure(struct session_write *job, const struct session_choice *way,
                     struct session_pieces *pieces);
/* True if that takes no packing. */
bool session_is_measured(const struct session_write *job, const struct session_choice *way);

/* choice.c: the way to send a part. */
struct session_cost_terms session_cost_terms(const struct session_write *job, uint8_t coding,
                                             bool down);
/* The same part again gets the same choice until session_forget_choices. After a request to stop it
 * is any: see session->stopped. */
void session_choose(struct session_write *job, struct session_choice *choice);
/* The same for another part, which becomes job->part. */
struct session_choice session_choose_for(struct session_write *job, const struct wry_span *part);
void session_forget_choices(struct session_write *job);
/* True if the part is best written in up to three, of which the inner one has no shared sector and
 * can refer to old content. */
bool session_splits(struct session_write *job, const struct wry_span *part, struct wry_span *inner);

/* The coding of streams of new content; 0: pages only. */
uint8_t session_fresh_coding(const struct session_write *job);
/* us for job->part with these pieces. */
uint64_t session_time_of(const struct session_write *job, const struct session_choice *way,
                         const struct session_pieces *pieces);

/* merge.c: adds right sectors to those to be written, where a whole block takes less time. */
void session_merge(struct session_write *job, uint32_t offset, uint32_t count, uint8_t *dirty);

struct session_dirty;
/* look.c: by samples of the span. False if writing all of it takes no longer than to look for what
 * differs first, by whole digests of the sectors or by short ones. */
bool session_look_pays(struct session_write *job, const struct session_dirty *samples,
                       uint32_t stride, bool by_whole);

/* write_estimate.c: cost of a part without writing it. */
enum wry_status session_estimate_part(struct session_write *job);

/* capacity_check.c: whether the flash has its claimed size. */
/* Called before the first erase beyond half of it, with the range of sectors to be written. */
enum wry_status session_check_capacity(struct wry_session *session, uint32_t start, uint32_t end);
/* Called after that write if nothing was proved: the sector at offset must not appear in the lower
 * half. */
enum wry_status session_check_echo(struct wry_session *session, uint32_t offset);

/* write_spans.c */
enum wry_status session_write(struct wry_session *session, const struct wry_plan *plan);

/* sectors.c: which sectors of a span must be written. */
#define SESSION_PIECE_SECTORS 256u
/* The samples to take of the span; 0 sectors if it is too short. */
struct session_asked session_sample_of(const struct session_write *job);
/* *looks_new is true if all samples of the span differ, so that a closer look would not pay. */
enum wry_status session_looks_new(struct session_write *job, bool *looks_new);
struct session_dirty {
    uint32_t count;                          /* sectors compared */
    uint8_t bits[SESSION_PIECE_SECTORS / 8]; /* bit n: sector n must be written */
};
/*
 * Digest flags for at most this many evenly spaced sectors of the range; the distance is odd if the
 * board can: content often changes in steps of a power of two.
 */
uint8_t session_spread_flags(const struct wry_session *session, uint32_t length, uint32_t most);
/* Compares count sectors from offset on, at most a piece. Sectors up to until will follow and may
 * be requested in advance. */
enum wry_status session_find_dirty(struct session_write *job, uint32_t offset, uint32_t count,
                                   uint32_t until, struct session_dirty *dirty);
enum wry_status session_sector_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                    uint64_t *sums);
enum wry_status session_is_unsettled(struct wry_session *session, uint32_t offset, uint32_t length,
                                     bool *unsettled);

/* known.c: content that need not be read. */
/* Lets the caller recognise a few sectors of the range. */
enum wry_status session_sample(struct wry_session *session, uint32_t offset, uint32_t length);
/* Bytes from offset on, at most length, that are known. */
uint32_t session_known_from(const struct wry_session *session, uint32_t offset, uint32_t length);
/* Bytes from offset on, at most length, that are not known. */
uint32_t session_unknown_from(const struct wry_session *session, uint32_t offset, uint32_t length);

/* read_request.c: one read request in flight. */
bool session_question_has(const struct wry_session_read *read, uint32_t page);
/* Finds the next range of missing pages from *first on; false if there is none. */
bool session_question_lacks(const struct wry_session_read *read, uint32_t *first, uint32_t *end);
/* True if the whole answer has arrived; a stream may still have to be decoded. */
bool session_question_is_complete(const struct wry_session_read *read);
/* Requests the missing pages with sequence number seq; does nothing if none are missing. */
enum wry_status session_question_ask(struct wry_session *session, struct wry_session_read *read,
                                     uint16_t seq);
/* The number of lost frames among those of the answer. */
uint32_t session_question_lost(const struct wry_session *session,
                               const struct wry_session_read *read);

/* unpack.c: content received as streams. */
struct session_page_sink {
    void *context;
    enum wry_status (*take)(void *context, uint32_t offset, const uint8_t *bytes, uint32_t n);
};
/* Most bytes of content to request as one stream, with total bytes to read; 0 = do not use
 * streams. */
uint32_t session_unpack_length(const struct wry_session *session, uint64_t total);
/* True if streams should not be requested on this line. */
bool session_unpack_is_hopeless(const struct wry_session *session);
/* True for data that may belong to the request's stream. */
bool session_unpack_fits(const struct wry_session_read *read, const struct wry_data_message *data);
void session_unpack_take(struct wry_session *session, struct wry_session_read *read,
                         const struct wry_data_message *data);
/* Decodes what has arrived, page by page, one request after the other. */
enum wry_status session_unpack(struct wry_session *session, struct wry_session_read *read,
                               const struct session_page_sink *sink, bool *damaged);

/* read_ask.c: what to request next. */
struct session_read_job {
    struct wry_session *session;
    const struct wry_writer *writer;
    uint32_t next, end; /* range not requested yet */
    uint32_t length;    /* bytes of the next request */
    uint16_t first_seq; /* first sequence number of this job: older answers belong to others */
    uint64_t done, total;
    uint64_t done_before; /* done at the last loss of the link, */
    unsigned losses;      /* and how many came at that */
    bool skips;           /* do not read known content */
    bool asks_where;      /* a status request has not been answered yet */
    uint16_t where_seq;   /* its sequence number */
};
/* Bytes of the first requests: what the line carries in a tenth of a second. */
uint32_t session_read_first_length(const struct wry_session *session);
/* Sends requests until as many are in flight as allowed. */
enum wry_status session_read_ask(struct session_read_job *job);

/* read.c */
enum wry_status session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                             const struct wry_writer *writer);
/* The same with the board's SHA-256 of the range, computed while it sends. after, unless NULL:
 * sector digests that are requested too; 0 sectors if that failed. */
enum wry_status session_read_hashed(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer, struct session_asked *after,
                                    uint8_t digest[WRY_SHA256_SIZE]);

/* digest.c */
enum wry_status session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                               uint8_t digest[WRY_SHA256_SIZE]);
enum wry_status session_ask_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t flags, uint16_t *seq);
/* Waits for the answer, which is in session->cargo. WRY_NO_ANSWER if it does not get through but
 * one about fewer sectors may. */
enum wry_status session_await_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags, uint16_t seq);
/* Requests and waits; repeats the request after a lost link. */
enum wry_status session_fetch_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags);

#endif
