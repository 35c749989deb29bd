/* The description of a simulated board, as in its board.yaml. */
#ifndef WRY_BENCH_BOARD_FILE_H
#define WRY_BENCH_BOARD_FILE_H

#include <glib.h>
#include <stdint.h>

#include "sim/sim_board.h"
#include "wrytograph-host/error.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/chip.h"

/* The members of board.yaml. */
struct bench_description {
    const struct wry_chip *chip;
    uint8_t revision;
    uint8_t eui48[WRY_EUI48_SIZE];
    const struct wry_wiring *wiring; /* how reset and strap are wired */
    uint32_t flash_size;             /* bytes */
    struct sim_board_faults faults;
};

gboolean board_file_load(const char *path, struct bench_description *description, GError **error);
gboolean board_file_save(const char *path, const struct bench_description *description,
                         GError **error);

#endif
