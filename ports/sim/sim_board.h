/*
 * A simulated board: power, reset, boot strap, boot ROM, the real loader, and a firmware that runs
 * from what is in flash.
 *
 *     OFF -> power -> HELD <-> reset line
 *                      | released
 *                      v
 *                    BOOTING -> strap held: LOADING (the loader is polled)
 *                            -> else: RUNNING, or STUCK when no valid program is in flash
 *
 * The board's processor time is accounted: work that the loader reports and SPI transfers move its
 * own clock on, and it is polled again when that time is over.
 */
#ifndef WRY_SIM_BOARD_H
#define WRY_SIM_BOARD_H

#include "line.h"
#include "nor_die.h"
#include "wrytograph/chip.h"
#include "wrytograph/loader.h"

#define SIM_UART_ROOM 1024u
#define SIM_SCRIPT_ROOM 1024u
#define SIM_MEMORY_MAX (256u * 1024u)

enum sim_board_state {
    SIM_BOARD_OFF,
    SIM_BOARD_HELD,
    SIM_BOARD_BOOTING,
    SIM_BOARD_LOADING,
    SIM_BOARD_RUNNING,
    SIM_BOARD_STUCK,
};

enum sim_line_end {
    SIM_LINE_END_CRLF,
    SIM_LINE_END_LF,
    SIM_LINE_END_CR,
};

struct sim_board_faults {
    bool strap_released;    /* the strap never reaches the chip */
    uint32_t noise_ppb;     /* bit errors per 10^9 bits, both directions */
    uint32_t noise_above;   /* baud up to which there is none */
    uint32_t lost_ppb;      /* bytes lost of 10^9, both directions */
    uint32_t latency_ms;    /* for which the adapter holds back less than a packet; 0 = 2 ms */
    uint32_t clean_baud;    /* the cable garbles anything faster; 0 = none */
    uint32_t clean_in;      /* the wire to the board does; 0 = no more than the cable */
    uint32_t clean_out;     /* the wire to the host does */
    uint32_t off_permille;  /* by which the board's UART is too fast */
    uint32_t line_delay_ms; /* the adapter sets RTS so much later than DTR */
    uint32_t erase_least;   /* bytes that the flash erases at least; 0 = a sector */
    uint32_t busy_ms;       /* the flash is at work on an erase of all when the power comes */
    uint8_t protect;        /* block-protect bits of the flash's status register */
    uint32_t claims;        /* bytes that the flash's JEDEC ID claims; 0 = what it has */
    bool unpowered;         /* its pins pull the line low */
    bool no_ground;         /* nothing arrives as it was sent, and bytes come from nowhere */
    bool swapped;           /* TX to TX, RX to RX: nothing arrives */
    bool echo;              /* the adapter's TX is joined to its RX */
    bool brown_out;         /* the supply gives way when the board works hard */
    uint32_t loader_baud;   /* the loader listens at this speed first; 0 = the usual one */
    uint32_t console_baud;  /* the firmware's text; 0 = as the chip has it */
    uint8_t line_end;       /* what ends a line for the firmware: enum sim_line_end */
    bool tx_open;           /* the wire from the adapter's TX is open */
    bool rx_open;           /* the wire to the adapter's RX is open */
    bool strap_stuck;       /* the strap is always held */
    uint64_t power_cut;     /* the power fails within this flash operation, from 1; 0 = never */
    uint64_t cable_cut;     /* the cable is pulled after that many bytes to the board; 0 = never */
    uint64_t unplugged;     /* the adapter is, after that many, and plugged in again in 3 s */
};

struct sim_board {
    const struct wry_chip *chip;
    struct wry_board_identity identity;
    struct sim_board_faults faults;
    struct sim_nor_die die;
    struct wry_loader loader;
    struct wry_board_port port;
    uint32_t memory_size; /* bytes that the chip gives its loader */
    uint8_t memory[SIM_MEMORY_MAX];

    enum sim_board_state state;
    bool boot_line;          /* the strap as the control line drives it */
    bool strap_jumper;       /* the strap held at the board */
    bool strap_held;         /* as the ROM saw it, soon after the reset ended */
    uint64_t reset_rise;     /* ns from reset let go to the chip's leaving it: an RC does that */
    uint64_t release_due;    /* ns; 0 = reset is held, or over */
    uint64_t boot_due;       /* ns; 0 = the strap was not looked at yet */
    bool strap_ignored;      /* asked to run its firmware, the ROM does not look at the strap */
    uint64_t clock;          /* ns: the board's own time within a poll */
    uint64_t next_poll;      /* ns */
    struct sim_line *output; /* towards the host */
    struct sim_line *input;  /* its receiver_baud is ours to set */

    uint8_t received[SIM_UART_ROOM]; /* the UART's buffer */
    size_t received_head, received_fill;
    size_t received_most; /* that it ever held */
    uint64_t overruns;    /* bytes lost because it was full */

    char script[SIM_SCRIPT_ROOM]; /* what ROM or firmware still has to say */
    size_t script_length, script_sent;
    bool greets;           /* the firmware has still to say its first words */
    uint64_t greeting_due; /* ns; 0 = the ROM still speaks */
    char line[64];         /* what the firmware is being sent */
    size_t line_length;
    bool sleeps;          /* as long as the loader says, and byte by byte woken */
    uint64_t watchdog;    /* ns without being fed after which it resets the board; 0 = none */
    uint64_t fed;         /* ns */
    unsigned bitten;      /* how often it did */
    uint32_t hashed;      /* bytes since the board came up: hard work */
    bool browned_out;     /* the last reset was one */
    uint64_t next_report; /* ns */
    unsigned reports;
};

/*
 * The identity names a chip that is known here. cells holds size bytes of flash and outlives the
 * board. The board begins OFF. output and input are wired by the caller.
 */
void sim_board_init(struct sim_board *board, const struct wry_board_identity *identity,
                    uint8_t *cells, uint32_t size, uint64_t seed);

/* Lets the faults take hold in the parts; before the power goes on. */
void sim_board_set_faults(struct sim_board *board, const struct sim_board_faults *faults);

void sim_board_power(struct sim_board *board, bool on, uint64_t now);
void sim_board_lines(struct sim_board *board, bool reset, bool boot, uint64_t now);

/* A break on the line. */
void sim_board_break(struct sim_board *board, uint64_t now);

/* A byte reached the board's receiver. */
void sim_board_receive(struct sim_board *board, uint8_t byte);

/* Processor cycles that a board is charged for a byte of that work. */
uint64_t sim_board_cycles(enum wry_work work);

/* Runs the board once at now; sets next_poll. */
void sim_board_poll(struct sim_board *board, uint64_t now);

#endif
