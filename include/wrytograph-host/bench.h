/*
 * The bench: simulated boards in a folder, which stand in for hardware.
 *
 *     struct wry_bench_board board = {.chip = wry_chip_by_name("turnstone-t2"),
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
    uint8_t eui48[WRY_EUI48_SIZE];   /* made of the name when the board is added */
    const struct wry_wiring *wiring; /* of its reset and strap; NULL: the usual one */
    uint32_t flash_size;             /* bytes */
    char *faults;                    /* "strap-released, noise 1e-05"; "" without any */
};

/* Frees what it holds; may be called again. */
void wry_bench_board_clear(struct wry_bench_board *board);

/* The folder named by WRYTOGRAPH_BENCH, else one in the XDG data folder. Free with g_free. */
char *wry_bench_default_folder(void);

/*
 * Makes a board and fills in its address, which is of the locally administered kind (IEEE 802) and
 * the same for the same name. content: a file whose bytes the flash begins with; NULL: it is
 * blank. Nothing is left behind when it fails.
 */
gboolean wry_bench_add(const char *folder, const char *name, struct wry_bench_board *board,
                       const char *content, GError **error);

/* Names of all boards, sorted, ends with NULL. Free with g_strfreev. */
char **wry_bench_list(const char *folder, GError **error);

/* What board.yaml says of one. */
gboolean wry_bench_load(const char *folder, const char *name, struct wry_bench_board *board,
                        GError **error);

/* Sets faults, such as "noise=1e-5", one after another; "none" takes all away. faults ends with
 * NULL. Nothing is changed when one of them is no fault. */
gboolean wry_bench_set_faults(const char *folder, const char *name, const char *const *faults,
                              GError **error);

/* How the boot button was left. */
enum wry_bench_button {
    WRY_BENCH_BUTTON_RELEASED,
    WRY_BENCH_BUTTON_HELD,
    WRY_BENCH_BUTTON_HELD_ONCE, /* through the next reset */
};

/* Presses buttons one after another: "boot" (and holds it), "release", "reset", "loading" (boot
 * held, reset tapped, boot let go), "power" (off and on). what ends with NULL. */
gboolean wry_bench_press(const char *folder, const char *name, const char *const *what,
                         enum wry_bench_button *boot, GError **error);

/* Takes a board off the bench, its flash and journal with it. Refused while it is worked on. */
gboolean wry_bench_remove(const char *folder, const char *name, GError **error);

/*
 * Serving boards in real time: each on a TCP port of its own that speaks RFC 2217, and, if asked,
 * as a pseudo-terminal. They have threads of their own, as many as there are processors.
 *
 * Over RFC 2217, speed and control lines act on the board as on a real one. A pseudo-terminal has
 * no control lines: its board gets power when the terminal is opened, loses it when it is closed,
 * and has its boot strap set by a jumper, so that it comes up in loading mode.
 */
struct wry_bench_server_settings {
    const char *folder;
    const char *host;    /* address to listen on */
    uint16_t first_port; /* the others follow; 0: any free ones */
    bool pty;
};

struct wry_bench_server;

/* names: ends with NULL. NULL when a board cannot be opened or a port is taken. */
struct wry_bench_server *wry_bench_server_new(const struct wry_bench_server_settings *settings,
                                              char **names, GError **error);

/* The n-th board's TCP port, and its pseudo-terminal (NULL without). */
uint16_t wry_bench_server_port(const struct wry_bench_server *server, size_t n);
const char *wry_bench_server_pty(const struct wry_bench_server *server, size_t n);

/* Cuts the power of all boards and saves their state. */
void wry_bench_server_free(struct wry_bench_server *server);

#ifdef __cplusplus
}
#endif

#endif
