/*
 * The bench: simulated boards in a folder, which stand in for hardware.
 *
 *     struct wry_bench_board board = {.chip = wry_chips_by_name("turnstone-t2"),
 *                                     .flash_size = 0x400000};
 *     wry_bench_add(folder, "gauge-1", &board, NULL, &error);
 *     // from now on "bench:gauge-1" is a link, for stations with this bench_folder
 *
 * Each board is a sub-folder with board.yaml (docs/bench.md) and flash.bin, so that separate
 * programs see the same board. A station works on one in virtual time; a server runs boards in real
 * time, for other programs. Errors are of the domain WRY_BENCH_ERROR (error.h).
 */
#ifndef WRYTOGRAPH_HOST_BENCH_H
#define WRYTOGRAPH_HOST_BENCH_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/wiring.h"
#include "wrytograph/bytes.h"
#include "wrytograph/chip.h"

#ifdef __cplusplus
extern "C" {
#endif

struct wry_bench_board {
    const struct wry_chip *chip;
    uint8_t revision;
    uint8_t eui48[WRY_EUI48_SIZE];   /* derived from the name when the board is added */
    const struct wry_wiring *wiring; /* how reset and strap are wired; NULL: the usual way */
    uint32_t flash_size;             /* bytes */
    char *faults;                    /* "strap-released, noise 1e-05"; "" without any */
};

/* Frees the members. It may be called again. */
void wry_bench_board_clear(struct wry_bench_board *board);

/* The folder in WRYTOGRAPH_BENCH, else one in the XDG data folder. Free with g_free. */
char *wry_bench_default_folder(void);

/*
 * Adds a board and fills in its address, which is a locally administered one (IEEE 802) derived
 * from the name. content: a file with the initial bytes of the flash; NULL: a blank flash. On
 * failure nothing is left behind.
 */
gboolean wry_bench_add(const char *folder, const char *name, struct wry_bench_board *board,
                       const char *content, GError **error);

/* Names of all boards, sorted, ends with NULL. Free with g_strfreev. */
char **wry_bench_list(const char *folder, GError **error);

/* Reads a board's board.yaml. */
gboolean wry_bench_load(const char *folder, const char *name, struct wry_bench_board *board,
                        GError **error);

/* Sets faults such as "noise=1e-5" in this order; "none" removes all. faults ends with NULL. If one
 * of them is not a fault, nothing is changed. */
gboolean wry_bench_set_faults(const char *folder, const char *name, const char *const *faults,
                              GError **error);

/* The state of the boot button. */
enum wry_bench_button {
    WRY_BENCH_BUTTON_RELEASED,
    WRY_BENCH_BUTTON_HELD,
    WRY_BENCH_BUTTON_HELD_ONCE, /* until after the next reset */
};

/* Presses buttons in this order: "boot" (and holds it), "release", "reset", "loading" (hold boot,
 * tap reset, release boot), "power" (off and on). what ends with NULL. */
gboolean wry_bench_press(const char *folder, const char *name, const char *const *what,
                         enum wry_bench_button *boot, GError **error);

/* Removes a board with its flash and journal. Fails while it is in use. */
gboolean wry_bench_remove(const char *folder, const char *name, GError **error);

/*
 * A server for boards in real time. Each board gets a TCP port that speaks RFC 2217, and a
 * pseudo-terminal if asked for; one thread per processor runs them. Over RFC 2217, speed and
 * control lines act as on a real board. A pseudo-terminal has no control lines: its board is
 * powered while the terminal is open and has its boot strap set, so that it comes up in loading
 * mode.
 */
struct wry_bench_server_settings {
    const char *folder;
    const char *host;    /* address to listen on */
    uint16_t first_port; /* the next ports follow; 0: any free ports */
    bool pty;
};

struct wry_bench_server;

/* names ends with NULL. Returns NULL if a board cannot be opened or a port is in use. */
struct wry_bench_server *wry_bench_server_new_of(const struct wry_bench_server_settings *settings,
                                                 size_t size, char **names, GError **error);
static inline struct wry_bench_server *
wry_bench_server_new(const struct wry_bench_server_settings *settings, char **names, GError **error)
{
    return wry_bench_server_new_of(settings, sizeof *settings, names, error);
}

/* TCP port and pseudo-terminal (NULL if there is none) of the n-th board. */
uint16_t wry_bench_server_port(const struct wry_bench_server *server, size_t n);
const char *wry_bench_server_pty(const struct wry_bench_server *server, size_t n);

/* Switches all boards off and saves their state. */
void wry_bench_server_free(struct wry_bench_server *server);

#ifdef __cplusplus
}
#endif

#endif
