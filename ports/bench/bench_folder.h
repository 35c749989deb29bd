/*
 * The bench: a folder of simulated boards that stands in for hardware.
 *
 * Each board is a sub-folder with board.yaml (chip, address, flash size, faults) and flash.bin, the
 * content of its flash, which stays between runs, so that separate commands see the same board.
 *
 *     GError *error = NULL;
 *     struct bench_board *board = bench_open(dir, "gauge-1", &error);
 *     wry_session_init(&session, bench_port(board), &config);
 *     ...
 *     bench_close(board);
 */
#ifndef WRY_PORTS_BENCH_FOLDER_H
#define WRY_PORTS_BENCH_FOLDER_H

#include <glib.h>
#include <stdint.h>

#include "board_file.h"
#include "sim/adapter.h"
#include "wrytograph-host/bench.h"

struct bench_board;

/* An address of the locally administered kind (IEEE 802), the same for the same name. */
void bench_make_address(const char *name, uint8_t eui48[WRY_EUI48_SIZE]);

/*
 * Makes a board. content may be NULL for a blank flash, or a file whose bytes the flash begins
 * with. Nothing is left behind when it fails.
 */
gboolean bench_add(const char *folder, const char *name,
                   const struct bench_description *description, const char *content,
                   GError **error);

/* Names of all boards, sorted, ends with NULL. Free with g_strfreev. */
char **bench_list(const char *folder, GError **error);

gboolean bench_load(const char *folder, const char *name, struct bench_description *description,
                    GError **error);
gboolean bench_save(const char *folder, const char *name,
                    const struct bench_description *description, GError **error);

/* Takes a board off the bench, its flash and journal with it. Refused while it is worked on. */
gboolean bench_remove(const char *folder, const char *name, GError **error);

/*
 * Powers the board up, in virtual time, with its buttons as they were left. One process at a time.
 * wiring: what the adapter's outputs are taken to be wired to; the board is wired as its
 * description says. NULL: as it is wired.
 */
struct bench_board *bench_open(const char *folder, const char *name,
                               const struct wry_wiring *wiring, GError **error);
const struct wry_port *bench_port(const struct bench_board *board);
/* How the board is wired. */
const struct wry_wiring *bench_wiring(const struct bench_board *board);
/* For a server: what the port works on. */
struct sim_adapter *bench_adapter(struct bench_board *board);
/* Cuts the power and writes the flash content back. */
/* The command takes it to be wired like that; how it is wired stays. */
void bench_take_wiring(struct bench_board *board, const struct wry_wiring *wiring);

void bench_close(struct bench_board *board);

#endif
