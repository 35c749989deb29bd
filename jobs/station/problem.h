/*
 * A station from within, and how the jobs report: problems for the caller, events on the way.
 */
#ifndef WRY_JOBS_REPORT_H
#define WRY_JOBS_REPORT_H

#include <glib.h>

#include "wrytograph-host/station.h"

struct recording;
struct bench_board;
struct journal;
struct known;
struct pack;
struct wry_remote;
struct wry_serial;

/* What shares a sector with what is written, in one go: a HEX file may have many gaps. */
#define STATION_KEPT_SECTORS 256u

struct wry_station {
    struct wry_station_settings settings; /* its strings are the station's */
    struct wry_problem problem;

    /* The link. */
    char *link;
    struct bench_board *bench; /* one of these three */
    struct wry_remote *remote;
    struct wry_serial *serial;
    const struct wry_port *port;
    bool wiring_assumed; /* none was said */
    uint32_t pipe_speed; /* baud that the far end of a raw pipe is told to have; 0 = not told */

    /* The board. */
    struct wry_session session;
    bool connected;
    bool busy_told;                  /* and that its flash is awaited */
    bool hand_told;                  /* the user knows what to do by hand */
    uint32_t hand_seen, hand_judged; /* bytes outside frames while it is done */
    uint32_t heard_before;   /* readable bytes outside frames when the board had answered first */
    uint64_t started;        /* us on the port's clock, when it was called */
    bool called;             /* it was */
    struct journal *journal; /* NULL until keeping_settle */
    void *read_memory;       /* for the session to unpack what it reads */
    struct wry_kept_sector *kept; /* for the session, what shares sectors with what it writes */
    struct pack *pack;            /* packs what is written */
    struct known *known;          /* NULL until a job makes use of it */
    bool known_failed;            /* to be opened, and that was told */
    struct recording *recording;  /* NULL: nothing is put on record */
    GPtrArray *secrets;           /* char *: values that no log shows; NULL = none */
};

/* Every public call begins with this. */
void station_begin(struct wry_station *station);

/*
 * Sets the problem and returns the outcome. subject may be NULL; the caller fills in further facts
 * afterwards.
 */
enum wry_outcome station_fail(struct wry_station *station, enum wry_outcome outcome,
                              enum wry_problem_kind kind, const char *subject);

/* Takes over the error of a port, a bench or a file. */
enum wry_outcome station_fail_system(struct wry_station *station, GError *error);

/* From the session's fault. */
enum wry_outcome station_fail_session(struct wry_station *station, enum wry_status status);

/* What was heard of the board, without the secrets of this job. */
void station_mask_evidence(const struct wry_station *station, struct wry_evidence *evidence);

/* us on the port's clock; 0 before it is open. */
uint64_t station_now(const struct wry_station *station);

bool station_stopped(const struct wry_station *station);

/* Sends the event, with the time. */
void station_tell(const struct wry_station *station, struct wry_event event);
void station_note(const struct wry_station *station, enum wry_note note, const char *text);
/* places: struct wry_place, zero-terminated; nothing is told when it is empty. */
void station_note_places(const struct wry_station *station, enum wry_note note,
                         const GArray *places);
void station_step(const struct wry_station *station, enum wry_job_step step);
void station_step_end(const struct wry_station *station, enum wry_job_step step);

#endif
