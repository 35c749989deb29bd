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
#ifndef WRY_BENCH_H
#define WRY_BENCH_H

#include <glib.h>
#include <stdint.h>

#include "sim/link.h"
#include "wrytograph/chip.h"

enum bench_error {
    BENCH_ERROR_BAD_NAME,  /* not a name that a board can have */
    BENCH_ERROR_BAD_VALUE, /* a value that does not fit the chip */
    BENCH_ERROR_EXISTS,
    BENCH_ERROR_UNKNOWN, /* no such board */
    BENCH_ERROR_DAMAGED, /* board.yaml or flash.bin is not what it should be */
    BENCH_ERROR_BUSY,    /* another process works on the board */
    BENCH_ERROR_FILE,    /* the system refused */
};

#define BENCH_ERROR bench_error_quark()
GQuark bench_error_quark(void);

/* What board.yaml says. */
struct bench_description {
    const struct wry_chip *chip;
    uint8_t revision;
    uint8_t eui48[WRY_EUI48_SIZE];
    uint32_t flash_size; /* bytes */
    struct sim_board_faults faults;
};

struct bench_board;

/* The folder named by WRYTOGRAPH_BENCH, else one in the XDG data folder. Free with g_free. */
char *bench_default_folder(void);

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

/* Powers the board up, in virtual time. One process at a time. */
struct bench_board *bench_open(const char *folder, const char *name, GError **error);
const struct wry_port *bench_port(const struct bench_board *board);
/* For a server: what the port works on. */
struct sim_link *bench_link(struct bench_board *board);
/* Cuts the power and writes the flash content back. */
void bench_close(struct bench_board *board);

#endif
