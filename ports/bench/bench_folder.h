/*
 * The bench: a folder of simulated boards.
 *
 * Each board is a sub-folder with board.yaml (chip, address, flash size, faults) and flash.bin, the
 * content of its flash, which persists between commands.
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

/* A locally administered address (IEEE 802) derived from the name. */
void bench_make_address(const char *name, uint8_t eui48[WRY_EUI48_SIZE]);

/*
 * Adds a board. content: a file with the initial bytes of the flash; NULL: a blank flash. On
 * failure nothing is left behind.
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

/* Removes a board with its flash and journal. Fails while it is in use. */
gboolean bench_remove(const char *folder, const char *name, GError **error);

/*
 * Switches a board on, in virtual time, with its buttons as they were left. Only one process at a
 * time can have it. wiring: what the host assumes; NULL: the real one, which is that of the
 * description.
 */
struct bench_board *bench_open(const char *folder, const char *name,
                               const struct wry_wiring *wiring, GError **error);
const struct wry_port *bench_port(const struct bench_board *board);
/* How the board is wired. */
const struct wry_wiring *bench_wiring(const struct bench_board *board);
/* The adapter behind the port, for a server. */
struct sim_adapter *bench_adapter(struct bench_board *board);
/* Changes the wiring that the host assumes; the real one stays. */
void bench_take_wiring(struct bench_board *board, const struct wry_wiring *wiring);

/* Gives the board these faults; it is switched off and on. */
void bench_take_faults(struct bench_board *board, const struct sim_board_faults *faults);

/* The file that describes a board. It is replaced when faults are set. Free with g_free. */
char *bench_description_path(const char *folder, const char *name);

/* Switches the board off and writes its flash content back. */
void bench_close(struct bench_board *board);

#endif
