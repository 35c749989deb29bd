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
#include "sounder.h"
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
    bool strap_released;    /* the strap is not connected to the chip */
    uint32_t noise_ppb;     /* bit errors per 10^9 bits, in both directions */
    uint32_t noise_above;   /* noise only above this speed */
    uint32_t lost_ppb;      /* bytes lost per 10^9, in both directions */
    uint32_t latency_ms;    /* latency of the adapter; 0 = 2 ms */
    uint32_t clean_baud;    /* the cable garbles bytes above this speed; 0 = none */
    uint32_t clean_in;      /* the wire to the board does so; 0 = like the cable */
    uint32_t clean_out;     /* the wire to the host does so */
    uint32_t off_permille;  /* the board's UART is too fast by so many per mille */
    uint32_t line_delay_ms; /* the adapter sets RTS later than DTR */
    uint32_t erase_least;   /* smallest erase unit of the flash; 0 = a sector */
    uint32_t busy_ms;       /* the flash is busy with a chip erase at power-up */
    uint8_t protect;        /* block-protect bits of the flash's status register */
    uint32_t claims;        /* bytes that the JEDEC ID claims; 0 = the real size */
    bool unpowered;         /* its pins pull the line low */
    bool no_ground;         /* bytes arrive garbled, and stray bytes appear */
    bool swapped;           /* TX to TX, RX to RX: nothing arrives */
    bool echo;              /* the adapter's TX is joined to its RX */
    bool brown_out;         /* the supply fails under load */
    uint32_t loader_baud;   /* initial speed of the loader; 0 = the usual one */
    uint32_t console_baud;  /* speed of the firmware; 0 = the chip's usual one */
    uint8_t line_end;       /* line end of the firmware: enum sim_line_end */
    bool tx_open;           /* the wire from the adapter's TX is open */
    bool rx_open;           /* the wire to the adapter's RX is open */
    bool strap_stuck;       /* the strap is always held */
    bool console_echo;      /* the firmware echoes what it receives */
    uint64_t power_cut;     /* power fails during this flash operation, from 1; 0 = never */
    uint64_t cable_cut;     /* the cable is pulled after so many bytes to the board; 0 = never */
    uint64_t unplugged;     /* the adapter is unplugged after so many, and plugged in 3 s later */
    struct sim_sounder_faults sounder; /* of the module behind the board */
};

struct sim_board {
    const struct wry_chip *chip;
    struct wry_board_identity identity;
    struct sim_board_faults faults;
    struct sim_nor_die die;
    struct wry_loader loader;
    struct wry_board_port port;
    uint32_t memory_size; /* bytes of RAM for the loader */
    uint8_t memory[SIM_MEMORY_MAX];

    enum sim_board_state state;
    bool boot_line;          /* the strap as the control line drives it */
    bool strap_jumper;       /* the strap held at the board */
    bool strap_held;         /* as sampled by the ROM soon after reset */
    uint64_t reset_rise;     /* ns from the release of reset until the chip leaves it (RC) */
    uint64_t release_due;    /* ns: when the chip leaves reset; 0 = held, or done */
    uint64_t boot_due;       /* ns: first output; 0 = strap not sampled yet */
    bool strap_ignored;      /* a restart into the firmware ignores the strap */
    uint64_t clock;          /* ns: the board's own time within a poll */
    uint64_t next_poll;      /* ns */
    struct sim_line *output; /* towards the host */
    struct sim_line *input;  /* the board sets its receiver_baud */

    uint8_t received[SIM_UART_ROOM]; /* the UART's buffer */
    size_t received_head, received_fill;
    size_t received_most; /* most bytes it ever held */
    uint64_t overruns;    /* bytes lost because it was full */

    char script[SIM_SCRIPT_ROOM]; /* pending output of ROM or firmware */
    size_t script_length, script_sent;
    bool greets;           /* the firmware has not printed its greeting yet */
    uint64_t greeting_due; /* ns: when it will; 0 = the ROM is still printing */
    char line[64];         /* incomplete input line of the firmware */
    size_t line_length;
    bool sleeps;          /* sleeps as long as the loader allows, and wakes for each byte */
    uint64_t watchdog;    /* ns after which an unfed watchdog resets the board; 0 = none */
    uint64_t fed;         /* ns */
    unsigned bitten;      /* times that it did */
    uint32_t hashed;      /* bytes hashed since power-up, which is a load */
    bool browned_out;     /* the last reset was a brown-out */
    uint64_t next_report; /* ns */
    unsigned reports;
    struct sim_sounder sounder; /* none, unless its supply is set */
    bool bridged;               /* the firmware passes bytes on to it */
};

/*
 * chip: the one with the identity's code. cells holds size bytes of flash; both must outlive the
 * board. The board is OFF at first. The caller connects output and input.
 */
void sim_board_init(struct sim_board *board, const struct wry_chip *chip,
                    const struct wry_board_identity *identity, uint8_t *cells, uint32_t size,
                    uint64_t seed);

/* Applies the faults to the parts; call it before power is on. */
void sim_board_set_faults(struct sim_board *board, const struct sim_board_faults *faults);

void sim_board_power(struct sim_board *board, bool on, uint64_t now);
void sim_board_lines(struct sim_board *board, bool reset, bool boot, uint64_t now);

/* A break on the line. */
void sim_board_break(struct sim_board *board, uint64_t now);

/* A byte has reached the board's receiver. */
void sim_board_receive(struct sim_board *board, uint8_t byte);

/* Processor cycles charged for a byte of this work. */
uint64_t sim_board_cycles(enum wry_work work);

/* Runs the board once at now; sets next_poll. */
void sim_board_poll(struct sim_board *board, uint64_t now);

#endif
