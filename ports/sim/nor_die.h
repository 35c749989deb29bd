/*
 * A NOR flash die at the level of SPI commands, with its timing.
 *
 * Programming only clears bits; erasing sets a sector or block to 0xFF. An operation takes effect
 * when its time is over. A power cut before that leaves a page half programmed or a sector
 * undefined, by the seed. The cells belong to the caller.
 */
#ifndef WRY_SIM_NOR_DIE_H
#define WRY_SIM_NOR_DIE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/loader.h"

/* The kind of part. Above 16 MiB it has four-byte commands, or a mode with four-byte addresses. */
struct sim_nor_part {
    bool sfdp;     /* it has SFDP tables (JESD216); the default */
    bool no_types; /* and they do not list erase units */
    bool lacks_4k, lacks_32k, lacks_64k;
    uint8_t large_log2; /* log2 of the bytes that command D8 erases; 0 = 16 */
    uint32_t fine_end;  /* single sectors can be erased only below this offset; 0 = everywhere */
    uint32_t die_size;  /* bytes of each of its dies, in which reads wrap; 0 = one die */
    uint16_t page;      /* bytes of a page, in which programming wraps; 0 = 256 */
    bool clashes;       /* its table lists one command for two units */
    bool once;          /* a page that is not blank cannot be programmed */
    bool by_flag;       /* busy is reported in the flag status register only */
    bool two_registers; /* writing one status byte clears the second register */
    bool by_mode;
    bool other_protection; /* protection in bits 2 to 5: 2^(n-1) blocks of 64 KiB from the end */
    bool pin_held;         /* the status register cannot be changed */
    uint8_t lines;       /* data lines that its table lists reads for: 1, 2, 4; the default is 4 */
    uint8_t wired;       /* data lines that the board has; the others read as ones. Default: 4 */
    bool single_program; /* it ignores the command that programs over four lines */
    uint32_t most_hz;    /* faster reads return wrong bytes; 0 = as fast as the board asks */
    uint32_t
        slow_from; /* reads over lines at a fast clock are wrong from this offset on; 0 = nowhere */
};

/* A mode left behind by the previous program, which only ones end. */
enum sim_nor_left {
    SIM_NOR_PLAIN,
    SIM_NOR_CONTINUOUS, /* continuous read: input is an address */
    SIM_NOR_FOUR_LINES, /* every command on four data lines */
};

#define SIM_NOR_SECTORS 65536u /* most sectors of a die */

struct sim_nor_die {
    uint8_t *cells;
    struct sim_nor_part part;
    bool dead;      /* it does not answer, like a missing part */
    bool asleep;    /* it accepts only the wake-up command */
    uint8_t left;   /* enum sim_nor_left */
    bool long_mode; /* all addresses have four bytes */
    bool reset_enabled;
    bool pending_status; /* a change of the status register is pending, to: */
    uint8_t status_next, second_next;
    uint8_t second; /* second status register */
    uint32_t size;  /* bytes of cells, a power of two */
    uint8_t jedec[3];
    uint8_t told;             /* log2 of the bytes reported in SFDP */
    uint8_t status;           /* status register; the busy bit is computed */
    uint32_t spi_hz, fast_hz; /* clock of plain and of fast transfers; fast_hz 0 = the same */
    bool slowest;             /* everything takes the maximum time of data sheets */
    uint64_t random;          /* state of the generator of undefined content */

    uint64_t kept_busy;  /* ns: end of an operation from before the start */
    uint64_t busy_until; /* ns; an operation is pending while pending_length > 0 */
    uint32_t pending_offset, pending_length;
    bool pending_program;
    uint8_t pending_page[256];

    uint32_t stuck_at; /* offset of a worn cell that keeps its bits; 0 = none */

    /* Every other interrupted erase reads as blank but decays, until erased completely. */
    bool weak_cuts;
    uint8_t weak[SIM_NOR_SECTORS / 8]; /* bit n: sector n decays */

    uint64_t cut_at_operation; /* power fails during this operation; 0 = never */
    uint64_t cut_due;          /* ns; 0 = not yet known */

    uint64_t operations; /* erases and programs begun since the start */
    uint64_t erased_bytes, programmed_pages;
};

/* size is a power of two from 64 KiB to 256 MiB. The JEDEC ID is made up and encodes the size. */
void sim_nor_die_init(struct sim_nor_die *die, uint8_t *cells, uint32_t size, uint64_t seed);

/* Its SFDP content from this address on, as for command 0x5A (nor_sfdp.c). */
void sim_nor_die_describe(const struct sim_nor_die *die, uint32_t address, uint8_t *to, size_t n);

/* Executes one transaction that starts at now (ns); returns its time on the SPI lines (ns). */
uint64_t sim_nor_die_transfer(struct sim_nor_die *die, const struct wry_spi_transfer *transfer,
                              uint64_t now);

/* Completes a pending operation if its time has come. */
void sim_nor_die_settle(struct sim_nor_die *die, uint64_t now);

/* Keeps it busy until then (ns) with an earlier operation; its content does not change. */
void sim_nor_die_keep_busy(struct sim_nor_die *die, uint64_t until);

/* Lets decaying sectors change. True if any did. */
bool sim_nor_die_age(struct sim_nor_die *die);

/* Removes power at now: an unfinished operation leaves its range undefined. */
void sim_nor_die_cut(struct sim_nor_die *die, uint64_t now);

#endif
