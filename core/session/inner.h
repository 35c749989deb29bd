/* What the files of the session share. Each block names the file that holds it. */
#ifndef WRY_SESSION_INNER_H
#define WRY_SESSION_INNER_H

#include "wrytograph/session.h"

#define US_PER_MS UINT64_C(1000)

/* link.c: frames out and in. */
uint64_t session_now(const struct wry_session *session);
uint16_t session_next_seq(struct wry_session *session);
enum wry_status session_send(struct wry_session *session, const uint8_t *head, size_t head_length,
                             const uint8_t *payload, size_t payload_length);
/*
 * The next good frame until the deadline; *got false when none came. Progress and digest messages
 * are noted in the session as well.
 */
enum wry_status session_receive(struct wry_session *session, uint64_t deadline,
                                struct wry_message *message, bool *got);
/* When a reply to what was just sent is overdue. */
uint64_t session_reply_deadline(const struct wry_session *session);
/* Sends until the reply of this kind and sequence comes; WRY_LINK_LOST when it never does. */
enum wry_status session_exchange(struct wry_session *session, const uint8_t *head, size_t length,
                                 uint8_t reply_kind, unsigned tries, struct wry_message *reply);
enum wry_status session_set_port_speed(struct wry_session *session, uint32_t baud);

/* fault.c */
enum wry_status session_fail(struct wry_session *session, enum wry_status status,
                             enum wry_step step, uint32_t offset);
/* The status that an error message stands for, with the fault filled in. */
enum wry_status session_refused(struct wry_session *session, enum wry_step step, uint8_t code,
                                uint32_t offset);
/* Tells the caller how far it is; WRY_STOPPED when asked to stop. */
enum wry_status session_report(struct wry_session *session, enum wry_step step, uint32_t offset,
                               uint64_t done, uint64_t total);

/* connect.c */
enum wry_status session_hello(struct wry_session *session, unsigned tries);
/* After silence: finds the same board again. session->continued tells whether its jobs stand. */
enum wry_status session_recover(struct wry_session *session, enum wry_step step);

/* speed.c */
/* Climbs to the fastest speed that works, not above speed_bound. */
enum wry_status session_climb(struct wry_session *session);
/* Gives the present speed up for the next slower one. */
enum wry_status session_step_down(struct wry_session *session);

/* window.c: which pages are on their way. */
void session_window_begin(struct wry_session_window *window, const struct wry_run *run);
/* Takes in what the board told; false when it cannot be true of this run. */
bool session_window_note(struct wry_session *session, const struct wry_progress_message *progress);
/* The next stretch to send; false when the window is full or all is on its way. */
bool session_window_next(const struct wry_session *session, uint32_t *offset, uint32_t *length);
void session_window_sent(struct wry_session_window *window, uint32_t offset, uint32_t length,
                         uint16_t seq);
/* True when the line loses so much that a slower speed would be quicker. */
bool session_window_is_bad(struct wry_session_window *window);

/* write_run.c: one run of sectors, streamed and checked. */
struct session_write {
    struct wry_session *session;
    const struct wry_plan *plan;
    struct wry_run run;   /* of the plan; its mixed sectors are in session->edges */
    struct wry_run part;  /* of the run, being written */
    uint64_t done, total; /* bytes in sectors, for progress */
    uint16_t digest_seq;
    unsigned missed; /* probes without an answer */
};
/* Fills to with what the flash must hold from offset on; both page-aligned, within the run. */
bool session_compose(const struct session_write *job, uint32_t offset, uint8_t *to,
                     uint32_t length);
enum wry_status session_write_part(struct session_write *job);

/* sectors.c: which sectors of a run have to be written. */
#define SESSION_PIECE_SECTORS 256u
/* True when a few samples of the run all differ, so that looking closer would not pay. */
enum wry_status session_looks_new(struct session_write *job, bool *looks_new);
/* Bit n of dirty: the n-th sector from offset on has to be written. count <= a piece. */
enum wry_status session_find_dirty(struct session_write *job, uint32_t offset, uint32_t count,
                                   uint8_t dirty[SESSION_PIECE_SECTORS / 8]);
bool session_is_unsettled(const struct wry_session *session, uint32_t offset, uint32_t length);

/* digest.c */
enum wry_status session_ask_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t flags, uint16_t *seq);
/* Waits for the answer; it is in session->payload. */
enum wry_status session_await_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags, uint16_t seq);

#endif
