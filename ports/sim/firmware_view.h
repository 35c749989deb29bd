/* What boot ROM and firmware can see of their board. */
#ifndef WRY_SIM_FIRMWARE_VIEW_H
#define WRY_SIM_FIRMWARE_VIEW_H

#include <stdbool.h>

#include "nor_die.h"
#include "sounder.h"
#include "wrytograph/chip.h"
#include "wrytograph/loader.h"

/* The board, for its boot ROM and firmware. */
struct sim_firmware {
    const struct wry_chip *chip;
    const struct wry_board_identity *identity;
    struct sim_nor_die *die;
    bool browned_out; /* the last reset was a brown-out */
    struct sim_sounder *sounder;
};

#endif
