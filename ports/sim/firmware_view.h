/* What a program that runs on a simulated board sees of it. */
#ifndef WRY_SIM_FIRMWARE_VIEW_H
#define WRY_SIM_FIRMWARE_VIEW_H

#include <stdbool.h>

#include "nor_die.h"
#include "wrytograph/chip.h"
#include "wrytograph/loader.h"

/* What boot ROM and firmware see of the board they run on. */
struct sim_firmware {
    const struct wry_chip *chip;
    const struct wry_board_identity *identity;
    struct sim_nor_die *die;
    bool browned_out; /* the last reset was one */
};

#endif
