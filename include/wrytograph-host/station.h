/*
 * A station: one place at the bench, with one board at a time.
 *
 * It opens a link by its address, puts the board into loading mode, does the jobs of jobs.h on it,
 * and leaves it in a defined state when it is freed.
 *
 *     struct wry_station_settings settings = {.link = "/dev/ttyUSB0", .event = on_event};
 *     struct wry_station *station = wry_station_new(&settings);
 *     enum wry_outcome outcome = wry_station_write(station, &options, &result);
 *
 *     if (outcome != WRY_OUTCOME_DONE)
 *         show(wry_station_problem(station));
 *     wry_station_free(station);
 *
 * A station belongs to one thread at a time; a thread may have several. Stations of one process
 * share the user's stores (shelf, ledger, backups, journal, known content), encoded streams of
 * equal content and, if given the same one, a ledger. All of these do their own locking.
 */
#ifndef WRYTOGRAPH_HOST_STATION_H
#define WRYTOGRAPH_HOST_STATION_H

#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/event.h"
#include "wrytograph-host/problem.h"
#include "wrytograph-host/stop.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/chip.h"
#include "wrytograph/session.h"

#ifdef __cplusplus
extern "C" {
#endif

struct wry_ledger;
struct wry_station;

/* Members may be 0 or NULL for the default given in the comment. Strings are copied. */
enum wry_trace_kind {
    WRY_TRACE_SENT,     /* bytes, n */
    WRY_TRACE_RECEIVED, /* bytes, n */
    WRY_TRACE_SPEED,    /* speed: the port was set to it, by status */
    WRY_TRACE_LINES,    /* reset, boot: the outputs were set, by status */
    WRY_TRACE_FAILED,   /* a read or write failed, by status */
};

/* Valid during the call only. */
struct wry_trace {
    enum wry_trace_kind kind;
    uint64_t now; /* us on the link's clock */
    const uint8_t *bytes;
    size_t n;
    uint32_t speed; /* baud */
    bool reset, boot;
    enum wry_status status;
};

struct wry_station_settings {
    /* A device path, rfc2217://HOST:PORT, tcp://HOST:PORT[?speed=BAUD] or bench:NAME. Default: the
     * only USB adapter that is plugged in. */
    const char *link;
    /* A way to the board of the program's own (wrytograph/port.h), such as a multiplexer, in place
     * of a link; it must outlive the station. link is then its name in messages and in the ledger.
     */
    const struct wry_port *port;
    const char *bench_folder;        /* folder of simulated boards; default: the user's */
    const struct wry_wiring *wiring; /* default: the usual one; must outlive the station */
    uint32_t max_speed;              /* baud; default: the highest of both sides */
    uint32_t call_speed;             /* baud at which the board is called first; default: 115200 */
    bool by_hand;                    /* somebody presses the buttons for loading mode */
    uint64_t call_time;              /* us to call with by_hand; default: a minute */
    uint64_t patience;               /* us to wait for a lost link; default: 10 s */
    bool leaves_running; /* run the firmware when the station is freed; default: stay in loading
                            mode */
    const struct wry_chip *expect_chip; /* refuse other chips; default: accept all */
    uint32_t
        expect_flash; /* bytes, likewise. Also believed where the flash cannot prove its size */
    bool clear_protection;     /* clear the flash's block-protect bits if necessary */
    bool without_known;        /* ignore what this computer knows of the board's content */
    const char *layout_file;   /* file with the regions; default: the board's region table, else the
                                  chip's usual layout */
    struct wry_ledger *ledger; /* where writes, restores, erases, backups and cards are recorded;
                                  must outlive the station. NULL: nowhere */
    void *context;             /* argument of event and board */
    void (*event)(void *context, const struct wry_event *event); /* may be NULL */
    /* Called when the board has answered: wry_station_board and the like are valid. May be NULL. */
    void (*board)(void *context, const struct wry_station *station);
    struct wry_stop stop;             /* asked at least every 100 ms */
    const char *settings_description; /* file with the keys of its firmware's settings and what they
                                         may be; default: that of the layout file, else none */
    const char *done_by;              /* who does the work, for the ledger; default: not recorded */
    const char *lot; /* the lot that the work belongs to, for the ledger; default: none */
    /* What passes on the link, for reports of faults. It holds everything that is sent and
     * received, secrets too. May be NULL. */
    void (*trace)(void *context, const struct wry_trace *trace);
};

struct wry_station;

/* Creates a station. The link is not opened yet. */
struct wry_station *wry_station_new_of(const struct wry_station_settings *settings, size_t size);
static inline struct wry_station *wry_station_new(const struct wry_station_settings *settings)
{
    return wry_station_new_of(settings, sizeof *settings);
}

/* Leaves the board as the settings say and closes the link; this may send events. NULL is
 * allowed. */
void wry_station_free(struct wry_station *station);

/*
 * Opens the link only: wry_station_port is then valid, for programs that run a session themselves.
 * Does nothing if it is open.
 */
enum wry_outcome wry_station_open(struct wry_station *station);

/*
 * Opens the link, puts the board into loading mode, negotiates the speed and checks the board
 * against the settings. Does nothing if that has been done. Every job begins with it.
 */
enum wry_outcome wry_station_connect(struct wry_station *station);

/*
 * Several jobs on one board as one run: one row in the ledger, by name, with what all of them did,
 * and one figure in the events of all (event.h). jobs: how many calls of jobs.h are planned.
 *
 *     wry_station_begin_run(station, "gauge jig", 3);
 *     if (wry_station_backup(…) == WRY_OUTCOME_DONE && wry_station_write(…) == WRY_OUTCOME_DONE)
 *         wry_station_verify(…);
 *     outcome = wry_station_end_run(station);
 *
 * The run's outcome is that of the first job that failed. A card is a run of its own.
 */
void wry_station_begin_run(struct wry_station *station, const char *name, unsigned jobs);
enum wry_outcome wry_station_end_run(struct wry_station *station);

/* What the jobs of a station have taken so far. */
struct wry_spent {
    double seconds; /* s on the link's clock, which is virtual on the bench, since it was opened */
    double connecting;                   /* of these, until the board had answered and was known */
    uint64_t bytes_sent, bytes_received; /* on the line, whatever they were */
};

/* False if no link has been opened; then spent is left as it was. */
bool wry_station_spent(const struct wry_station *station, struct wry_spent *spent);

/* How far the last job or run is, in 1/1000, as in its events. */
uint32_t wry_station_figure(const struct wry_station *station);

/* Why the last call failed; kind WRY_PROBLEM_NONE if it did not. Never NULL; valid until the next
 * call. */
const struct wry_problem *wry_station_problem(const struct wry_station *station);

/* A copy of text with secret settings of this station's jobs replaced by ********; free with
 * g_free. */
char *wry_station_masked(const struct wry_station *station, const char *text);

/* The link in use: that of the settings, or the adapter found. NULL before it is open. */
const char *wry_station_link(const struct wry_station *station);

/* NULL before it is open. */
const struct wry_port *wry_station_port(const struct wry_station *station);

/* True for a simulated board, whose times are not real time. */
bool wry_station_is_simulated(const struct wry_station *station);

/* What the board reported about itself; NULL before it is connected. */
const struct wry_hello_reply *wry_station_board(const struct wry_station *station);

/* Its chip; NULL if it is unknown or not connected yet. */
const struct wry_chip *wry_station_chip(const struct wry_station *station);

/* Baud in use; 0 before it is connected. */
uint32_t wry_station_speed(const struct wry_station *station);

#ifdef __cplusplus
}
#endif

#endif
