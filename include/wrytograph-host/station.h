/*
 * A station: one board's place at the bench. It opens a link by its address, gets the board into
 * loading mode, does the jobs of jobs.h on it, and leaves it in good order when it is freed.
 *
 *     struct wry_station_settings settings = {.link = "/dev/ttyUSB0", .event = on_event};
 *     struct wry_station *station = wry_station_new(&settings);
 *     enum wry_outcome outcome = wry_station_write(station, &options, &result);
 *     if (outcome != WRY_OUTCOME_DONE)
 *         show(wry_station_problem(station));
 *     wry_station_free(station);
 *
 * One thread may hold several stations; each station belongs to one thread at a time. Stations of
 * one process share the user's stores (shelf, ledger, backups, journal, known content), encoded
 * streams of equal content and, if they were given the same one, a ledger; all of these are locked
 * inside.
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

/* All may be 0 or NULL; then what stands behind it holds. Strings are copied. */
struct wry_station_settings {
    /* A device path, rfc2217://HOST:PORT, tcp://HOST:PORT[?speed=BAUD] or bench:NAME; else the one
     * USB adapter that is plugged in. */
    const char *link;
    const char *bench_folder;           /* of simulated boards; else the user's */
    const struct wry_wiring *wiring;    /* else the usual one; outlives the station */
    uint32_t max_speed;                 /* baud; else as fast as both sides can */
    uint32_t call_speed;                /* baud at which the board is called first; else 115200 */
    bool by_hand;                       /* loading mode is entered by hand */
    uint64_t call_time;                 /* us to call with by_hand; else a minute */
    uint64_t patience;                  /* us that a lost link may take to come back; else 10 s */
    bool leaves_running;                /* when freed, the board runs its firmware; else it stays in
                                           loading mode */
    const struct wry_chip *expect_chip; /* any other is refused; else none is */
    uint32_t expect_flash;              /* bytes, likewise. Also trusted where the flash itself
                                           cannot prove its size */
    bool
        clear_protection; /* the flash's block-protect bits are cleared where they are in the way */
    bool without_known;   /* what this computer knows of a board's content is made no use of */
    const char *layout_file;   /* regions; else the board's own table, else the chip's usual ones */
    struct wry_ledger *ledger; /* writes, restores, erasures, backups and cards are put on record
                                  there; outlives the station. NULL: nowhere */
    void *context;             /* handed to event and board */
    void (*event)(void *context, const struct wry_event *event); /* NULL: nothing is told */
    /* The station as the board has answered: wry_station_board and the like are filled in. NULL:
     * nothing is told. */
    void (*board)(void *context, const struct wry_station *station);
    struct wry_stop stop; /* asked at least every 100 ms of work or waiting */
};

struct wry_station;

/* Touches nothing yet. */
struct wry_station *wry_station_new(const struct wry_station_settings *settings);

/* Leaves the board as the settings say, and closes the link; this may send events. NULL is fine. */
void wry_station_free(struct wry_station *station);

/*
 * Opens the link and no more: then wry_station_port is there, for those who work with a session of
 * their own. Does nothing when it is open.
 */
enum wry_outcome wry_station_open(struct wry_station *station);

/*
 * Opens the link, gets the board into loading mode, agrees on a speed, and checks what the settings
 * expect. Does nothing when that was done. Every job begins with it.
 */
enum wry_outcome wry_station_connect(struct wry_station *station);

/* Why the last call failed; kind WRY_PROBLEM_NONE when it did not. Never NULL; valid until the next
 * call. */
const struct wry_problem *wry_station_problem(const struct wry_station *station);

/* text with the secret settings of this station's jobs as ********; free with g_free. */
char *wry_station_masked(const struct wry_station *station, const char *text);

/* The link in use: as in the settings, or the adapter that was found; NULL before it is open. */
const char *wry_station_link(const struct wry_station *station);

/* NULL before it is open. */
const struct wry_port *wry_station_port(const struct wry_station *station);

/* True when the board is a simulated one, so that times are not those of the clock on the wall. */
bool wry_station_is_simulated(const struct wry_station *station);

/* What the board said of itself; NULL before it is connected. */
const struct wry_hello_reply *wry_station_board(const struct wry_station *station);

/* Its chip; NULL when that is not known here, or before it is connected. */
const struct wry_chip *wry_station_chip(const struct wry_station *station);

/* Baud in use; 0 before it is connected. */
uint32_t wry_station_speed(const struct wry_station *station);

#ifdef __cplusplus
}
#endif

#endif
