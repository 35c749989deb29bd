/* A simulated board's description, and board.yaml, the file that keeps it. */
#ifndef WRY_BENCH_BOARD_FILE_H
#define WRY_BENCH_BOARD_FILE_H

#include <glib.h>
#include <stdint.h>

#include "sim/sim_board.h"
#include "wrytograph-host/wiring.h"
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
    const struct wry_wiring *wiring; /* of its reset and strap */
    uint32_t flash_size;             /* bytes */
    struct sim_board_faults faults;
};

gboolean board_file_load(const char *path, struct bench_description *description, GError **error);
gboolean board_file_save(const char *path, const struct bench_description *description,
                         GError **error);

#endif
