/* What the files of the session share. Each block names the file that holds it. */
#ifndef WRY_SESSION_INNER_H
#define WRY_SESSION_INNER_H

#include "wrytograph/session.h"

#define US_PER_MS UINT64_C(1000)

/* wait.c: time, and telling the caller while it passes. */
uint64_t session_now(const struct wry_session *session);
/* us that so many bytes take at the speed in use. */
uint64_t session_line_time(const struct wry_session *session, size_t bytes);
/* us of silence within a frame after which no more of it is to be expected. */
uint64_t session_gap(const struct wry_session *session);
/* When an answer of so many bytes to what was just sent is overdue. */
uint64_t session_answer_deadline(const struct wry_session *session, size_t bytes);
/* Learns from an answer of so many bytes to a question that was asked tries times, first at asked:
 * to which of them, nobody knows. */
void session_note_latency(struct wry_session *session, uint64_t asked, size_t bytes,
                          unsigned tries);
/* us from question to answer beyond the line's own time. */
uint64_t session_latency(const struct wry_session *session);
/* Tells the caller how far it is; WRY_STOPPED when asked to stop. */
enum wry_status session_report(struct wry_session *session, enum wry_step step, uint32_t offset,
                               uint64_t done, uint64_t total);
/* Tells it that the link is lost and the board is being looked for. */
enum wry_status session_report_loss(struct wry_session *session, enum wry_step step);
/* Tells it again when it has not heard for a while. */
enum wry_status session_heartbeat(struct wry_session *session);
/* The deadline, or the end of a slice if that is sooner: no wait of the port's is longer. */
uint64_t session_slice(const struct wry_session *session, uint64_t deadline);
/* Waits, and can be stopped. */
enum wry_status session_pause(struct wry_session *session, uint64_t until);
/* Every call of the session's user begins with this: it may be stopped, and has just advanced. */
void session_begin_call(struct wry_session *session);

/* The work in hand has come further; a peer that answers without that is given up. */
void session_advanced(struct wry_session *session);
/* WRY_STALLED when it has not for too long; WRY_LINK_LOST when damaged frames tell why. */
enum wry_status session_check_advance(struct wry_session *session, enum wry_step step,
                                      uint32_t offset);

/* pace.c: how long frames are, and at which speed. */
void session_pace_begin(struct wry_session *session);
/* So many frames more went over the line in one direction, so many of them were lost. */
void session_pace_note(struct wry_session *session, uint32_t frames, uint32_t lost);
/* Bytes of content that a data frame should have at most. */
uint32_t session_frame_max(const struct wry_session *session);
/* Changes the speed where that promises more; WRY_LINK_LOST when next to nothing gets through. */
enum wry_status session_pace_judge(struct wry_session *session, enum wry_step step, bool *changed);

/* exchange.c: frames out and in. Before a board has answered, only hello goes out; anything else is
 * WRY_BAD_ARGUMENT. */
uint16_t session_next_seq(struct wry_session *session);
enum wry_status session_send(struct wry_session *session, const uint8_t *head, size_t head_length,
                             const uint8_t *payload, size_t payload_length);
/*
 * The next good frame until the deadline, which a frame that is coming in puts off; *got false when
 * none came. A deadline in the past only looks. Progress and digest messages are noted in the
 * session as well.
 */
enum wry_status session_receive(struct wry_session *session, uint64_t deadline,
                                struct wry_message *message, bool *got);
/* Sends until the reply of its kind and sequence comes; WRY_LINK_LOST when it never does. */
enum wry_status session_exchange(struct wry_session *session, const uint8_t *head, size_t length,
                                 unsigned tries, struct wry_message *reply);
/* The same of a request to start: where its answer was lost, text tells that the board has. */
enum wry_status session_exchange_start(struct wry_session *session, const uint8_t *head,
                                       size_t length, unsigned tries);
enum wry_status session_ask_status(struct wry_session *session);
enum wry_status session_set_port_speed(struct wry_session *session, uint32_t baud);

/* fault.c */
enum wry_status session_fail(struct wry_session *session, enum wry_status status,
                             enum wry_step step, uint32_t offset);
/* The same with a length: a range is concerned. */
enum wry_status session_fail_range(struct wry_session *session, enum wry_status status,
                                   enum wry_step step, uint32_t offset, uint32_t length);
/* The status that an error message stands for, with the fault filled in. */
enum wry_status session_refused(struct wry_session *session, enum wry_step step, uint8_t code,
                                uint32_t offset);

/* hello.c */
/* Ends whatever the board is still doing for this session, so that it answers the next request. */
void session_abandon(struct wry_session *session);
enum wry_status session_hello(struct wry_session *session, unsigned tries);
/* The same once a hello was answered at this speed: the board then keeps to it. */
enum wry_status session_hello_heard(struct wry_session *session, unsigned tries);

/* connect.c */
/* After silence: finds the same board again. session->continued tells whether its jobs stand. */
/* True for a link that was lost; not for one that is there and carries next to nothing. */
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
void session_window_sent(struct wry_session *session, uint32_t offset, uint32_t length,
                         uint16_t seq);

/* A board that hears nothing for 5 s takes the link for lost. */
#define SESSION_KEEP_ALIVE (3000 * US_PER_MS)

#define SESSION_ERASE_MOST 0x10000u /* bytes: the largest unit that flash erases at once */

/* Digests of sectors that were asked for. */
struct session_asked {
    uint32_t offset, sectors; /* 0 sectors: nothing */
    uint8_t flags;
    uint16_t seq;
};

/* One span of sectors being written. */
struct session_write {
    struct wry_session *session;
    const struct wry_plan *plan;
    struct wry_span span;            /* of the plan */
    struct wry_journal_sector *kept; /* its mixed sectors, by rising offset */
    size_t kept_count;
    struct wry_span part; /* of the span, being written; after a loss, what is left of it */
    uint32_t base;        /* where the part began at first */
    uint64_t done, total; /* bytes in sectors, for progress */
    uint16_t digest_seq;
    struct session_asked ahead;            /* of sectors that will be looked at next */
    unsigned missed;                       /* probes without an answer */
    uint32_t erased, programmed, received; /* of the part, as the board last told */
    uint8_t coding;                        /* enum wry_coding of the part's stream; 0 = pages */
    bool erases;                           /* all of the part is blank: no content goes out */
    bool as_pages;    /* the board could not unpack it: content goes out as it is */
    bool without_old; /* what the flash holds is not what it was taken for */
    const struct wry_estimate_sink *estimate; /* nothing is written; NULL in a write */
    bool proven; /* what was left alone in this span is right by the whole SHA-256 of each sector */
};

/* hash.c */
/* SHA-256 of a range of a reader, with signs of life meanwhile. WRY_SOURCE_FAILED when a read
 * failed, with the reader's offset as the fault's. */
enum wry_status session_hash(struct wry_session *session, const struct wry_reader *reader,
                             uint32_t offset, uint32_t length, uint8_t digest[WRY_SHA256_SIZE]);
/* The short digest of a sector of a reader, likewise. */
enum wry_status session_sector_sum(struct wry_session *session, const struct wry_reader *reader,
                                   uint32_t offset, uint64_t *sum);
/* The first 8 bytes of a digest, as wry_sha256_end_short gives them. */
uint64_t session_short_digest(const uint8_t *digest);

/* compose.c */
/* The same as a reader, counted from the page-aligned start on; composed outlives it. */
struct session_composed {
    const struct session_write *job;
    uint32_t start;
};
struct wry_reader session_composed(struct session_composed *composed);
/* Fills to with what the flash must hold from offset on; both page-aligned, within the span. */
bool session_compose(const struct session_write *job, uint32_t offset, uint8_t *to,
                     uint32_t length);

/* Those of the mixed sectors that lie in the range: the first, and how many. */
const struct wry_journal_sector *session_kept_within(const struct session_write *job,
                                                     uint32_t start, uint32_t end, size_t *count);

/* stream.c: content that goes out packed. */
/* Begins a stream of the part's content, where packer and board can: its coding, or 0 when content
 * goes as pages. */
uint8_t session_stream_begin(struct session_write *job);
/* Tells the caller how long the part will take, once its coding is known. */
void session_stream_expect(struct session_write *job);
/* The window of a stream, once it is begun for the part. */
void session_stream_window(struct wry_session_window *window);
/* True if the part went as a difference, and that took less than it packs to by itself, as a rule.
 */
bool session_stream_saved(const struct session_write *job);
/* Makes more of it available, as far as the window has use for it. */
enum wry_status session_stream_fill(struct session_write *job);
/* Pages of it that are available and not acknowledged. */
void session_stream_take(const struct wry_session *session, uint32_t offset, uint8_t *to,
                         uint32_t length);

/* send.c: until all of the part is programmed. */
enum wry_status session_send_part(struct session_write *job);

/* write_part.c: sent and checked. */
enum wry_status session_write_part(struct session_write *job);

/* cost.c: how long a part takes. */
struct session_cost_terms {
    uint32_t speed;   /* baud */
    uint64_t latency; /* us from question to answer beyond the line's own time */
};
struct wry_cost session_cost_of(const struct session_cost_terms *terms,
                                const struct wry_cost_part *part);

/* write_estimate.c: what writing a part would take. */
enum wry_status session_estimate_part(struct session_write *job);

/* claim.c: whether the flash is as large as it claims. */
/* Before the first erase beyond half of it, of the sectors from start to end. */
enum wry_status session_check_capacity(struct wry_session *session, uint32_t start, uint32_t end);
/* After it, where nothing could be told: the sector at offset must not stand in the lower half. */
enum wry_status session_check_echo(struct wry_session *session, uint32_t offset);

/* write.c */
enum wry_status session_write(struct wry_session *session, const struct wry_plan *plan);

/* sectors.c: which sectors of a span have to be written. */
#define SESSION_PIECE_SECTORS 256u
/* True when a few samples of the span all differ, so that looking closer would not pay. */
enum wry_status session_looks_new(struct session_write *job, bool *looks_new);
struct session_dirty {
    uint32_t count;                          /* sectors that were looked at */
    uint8_t bits[SESSION_PIECE_SECTORS / 8]; /* the n-th has to be written */
};
/* Flags for the digests of a few sectors of the range, evenly apart: at most so many. */
uint8_t session_spread_flags(uint32_t length, uint32_t most);
/* Looks at count sectors from offset on; count <= a piece. As far as until, more will be looked at
 * behind them. */
enum wry_status session_find_dirty(struct session_write *job, uint32_t offset, uint32_t count,
                                   uint32_t until, struct session_dirty *dirty);
enum wry_status session_sector_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                    uint64_t *sums);
enum wry_status session_is_unsettled(struct wry_session *session, uint32_t offset, uint32_t length,
                                     bool *unsettled);

/* known.c: what need not be read. */
/* Has the caller look at a few sectors of the range. */
enum wry_status session_sample(struct wry_session *session, uint32_t offset, uint32_t length);
/* Bytes from offset on, at most length, that the caller knows. */
uint32_t session_known_from(const struct wry_session *session, uint32_t offset, uint32_t length);
/* Bytes from offset on, at most length, that it does not know. */
uint32_t session_unknown_from(const struct wry_session *session, uint32_t offset, uint32_t length);

/* question.c: one read request in flight. */
bool session_question_has(const struct wry_session_read *read, uint32_t page);
/* The next stretch of pages that are missing; false when there is none from *first on. */
bool session_question_lacks(const struct wry_session_read *read, uint32_t *first, uint32_t *end);
/* All has come; a packed one may still have to be unpacked. */
bool session_question_is_complete(const struct wry_session_read *read);
/* Asks for what is missing, as seq; of nothing, where all is there. */
enum wry_status session_question_ask(struct wry_session *session, struct wry_session_read *read,
                                     uint16_t seq);
/* How many frames were lost of those that should have answered. */
uint32_t session_question_lost(const struct wry_session *session,
                               const struct wry_session_read *read);

/* unpack.c: content that comes in packed. */
struct session_page_sink {
    void *context;
    enum wry_status (*take)(void *context, uint32_t offset, const uint8_t *bytes, uint32_t n);
};
/* Bytes of content that a question should ask for packed at most, of so many in all; 0 = none. */
uint32_t session_unpack_length(const struct wry_session *session, uint64_t total);
/* What is asked for packed had better be asked for as it is. */
bool session_unpack_is_hopeless(const struct wry_session *session);
/* True for data that may be part of the question's stream. */
bool session_unpack_fits(const struct wry_session_read *read, const struct wry_data_message *data);
void session_unpack_take(struct wry_session *session, struct wry_session_read *read,
                         const struct wry_data_message *data);
/* Unpacks what is there, page by page; questions one after the other. */
enum wry_status session_unpack(struct wry_session *session, struct wry_session_read *read,
                               const struct session_page_sink *sink, bool *damaged);

/* read_ask.c: what is asked for next. */
struct session_read_job {
    struct wry_session *session;
    const struct wry_writer *writer;
    uint32_t next, end; /* not yet asked for */
    uint32_t length;    /* of the next question */
    uint16_t first_seq; /* of this job: older answers are not ours */
    uint64_t done, total;
    bool skips;         /* what is known is not read */
    bool asks_where;    /* the board was asked for its status, and has not answered yet */
    uint16_t where_seq; /* of that */
};
/* Bytes of the first questions: what the line carries in a tenth of a second. */
uint32_t session_read_first_length(const struct wry_session *session);
/* Asks until as many questions are in flight as may be. */
enum wry_status session_read_ask(struct session_read_job *job);

/* read.c */
enum wry_status session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                             const struct wry_writer *writer);
/* The same, and the board's SHA-256 of the range, computed while it sends. */
enum wry_status session_read_hashed(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer,
                                    uint8_t digest[WRY_SHA256_SIZE]);

/* digest.c */
enum wry_status session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                               uint8_t digest[WRY_SHA256_SIZE]);
enum wry_status session_ask_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t flags, uint16_t *seq);
/* Waits for the answer; it is in session->cargo. WRY_NO_ANSWER when it does not get through and
 * one about fewer sectors may. */
enum wry_status session_await_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags, uint16_t seq);
/* Both; asks once more when the link was lost and found again. */
enum wry_status session_fetch_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags);

#endif
