/* struct wry_station: the state that jobs share; no calls. */
#pragma once

#include <glib.h>

#include "jobs/station/counted_port.h"
#include "wrytograph-host/station.h"

struct run_record;
struct bench_board;
struct journal;
struct known;
struct pack;
struct wry_remote;
struct wry_serial;

/* Shared sectors of one span, a bound on memory: a HEX file may have many gaps. */
#define STATION_KEPT_SECTORS 256u

/* See figure.h. */
struct figure {
    uint32_t permille;
    unsigned part, parts; /* of the call or run; part is counted from 0 */
    uint64_t base, total; /* bytes of the main step, if it has several ranges; else 0 */
    uint8_t main;         /* enum wry_step */
    bool goes_on;         /* within a run: the next call does not begin anew */
};

struct wry_station {
    struct wry_station_settings settings; /* its strings belong to the station */
    struct wry_problem problem;

    /* The link. */
    char *link;
    struct bench_board *bench; /* one of these three is set */
    struct wry_remote *remote;
    struct wry_serial *serial;
    const struct wry_port *port; /* &counted.port; NULL until it is open */
    struct counted_port counted;
    uint64_t connecting;                      /* us until the board answered */
    bool wiring_assumed;                      /* no wiring was given */
    struct settings_description *description; /* NULL until described_load, and without one */
    uint32_t pipe_speed; /* fixed speed of a raw connection's far end; 0 = unknown */

    /* The board. */
    struct wry_session session;
    bool connected;
    bool flash_measured;             /* the size of its flash was, since it does not report it */
    bool busy_told;                  /* waiting for its flash was noted */
    bool hand_told;                  /* the advice on loading mode has been printed */
    uint32_t hand_seen, hand_judged; /* bytes outside frames while waiting for that */
    uint64_t ends_at;      /* us on the port's clock: when the session is stopped; 0 = never */
    unsigned loss_reports; /* reports of a lost link since it was lost */
    uint32_t loss_outside, loss_printable; /* bytes outside frames at the last of them */
    bool program_heard;                    /* its program has printed while the link was lost */
    uint64_t started;                      /* us on the port's clock: when the board was called */
    bool called;                           /* the board was called */
    struct journal *journal;               /* NULL until recovery_settle */
    void *read_memory;                     /* memory of the session for reading streams */
    struct wry_journal_sector *kept;       /* memory of the session for shared sectors */
    struct pack *pack;                     /* encoder for writes */
    struct known *known;                   /* NULL until a job uses it */
    bool known_failed;                     /* it could not be opened, which was noted */
    struct run_record *run_record;         /* NULL: nothing is recorded */
    GPtrArray *secrets;                    /* char *: secret values; NULL = none */

    /* How far its job is. */
    struct figure figure;
    enum wry_phase phase; /* the step that was begun last */
    /* Within a run of several jobs: called at the end of each, with its problem or NULL. */
    void (*job_ended)(struct wry_station *station, const struct wry_problem *problem);
    enum wry_outcome run_outcome; /* of the first of its jobs that failed */
};
