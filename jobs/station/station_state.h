/* struct wry_station, for the jobs that work on it: what it is made of, and no calls. */
#ifndef WRY_JOBS_STATION_STATE_H
#define WRY_JOBS_STATION_STATE_H

#include <glib.h>

#include "wrytograph-host/station.h"

struct run_record;
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
    struct journal *journal; /* NULL until recovery_settle */
    void *read_memory;       /* for the session to unpack what it reads */
    struct wry_journal_sector *kept; /* for the session, what shares sectors with what it writes */
    struct pack *pack;               /* packs what is written */
    struct known *known;             /* NULL until a job makes use of it */
    bool known_failed;               /* to be opened, and that was told */
    struct run_record *run_record;   /* NULL: nothing is put on record */
    GPtrArray *secrets;              /* char *: values that no log shows; NULL = none */
};

#endif
