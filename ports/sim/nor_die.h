/*
 * A NOR flash die at the level of SPI commands, with its timing.
 *
 * Programming only clears bits; erasing sets a sector or block to 0xFF. An operation takes effect
 * when its time is over, so a power cut before that leaves a page half programmed or a sector in an
 * undefined state, drawn from the seed. The cells belong to the caller.
 */
#ifndef WRY_SIM_NOR_DIE_H
#define WRY_SIM_NOR_DIE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/loader.h"

/* What kind of part it is. Larger than 16 MiB, it has commands of its own for four address bytes,
 * or a mode in which all have them. */
struct sim_nor_part {
    bool sfdp;     /* it describes itself (JESD216); a die begins with this */
    bool no_types; /* and says nothing of its erase units */
    bool lacks_4k, lacks_32k, lacks_64k;
    uint8_t large_log2; /* of the bytes that command D8 erases; 0 = 16 */
    uint32_t fine_end;  /* single sectors can be erased below this offset only; 0 = everywhere */
    uint32_t die_size;  /* it is made of dies of so many bytes: reading wraps in each; 0 = of one */
    uint16_t page;      /* bytes; 0 = 256. Programming beyond its end wraps to its start */
    bool clashes;       /* its table has one command for two units */
    bool once;          /* a page that is not blank takes no program */
    bool by_flag;       /* the flag status register tells that it is busy, the other does not */
    bool two_registers; /* of status: a write of one byte clears the second */
    bool by_mode;
    bool other_protection; /* four bits, 2 to 5: 2^(n-1) blocks of 64 KiB from the end */
    bool pin_held;         /* the status register takes no change */
};

/* What ran before left it in a mode that only ones end. */
enum sim_nor_left {
    SIM_NOR_PLAIN,
    SIM_NOR_CONTINUOUS, /* reads: what is sent is an address */
    SIM_NOR_FOUR_LINES, /* every command on four data lines */
};

#define SIM_NOR_SECTORS 32768u /* at most */

struct sim_nor_die {
    uint8_t *cells;
    struct sim_nor_part part;
    bool dead;      /* it answers to nothing, as one that is not there */
    bool asleep;    /* hears only the command that wakes it */
    uint8_t left;   /* enum sim_nor_left: in what mode */
    bool long_mode; /* every address has four bytes */
    bool reset_enabled;
    bool pending_status; /* the status register is being changed, to this: */
    uint8_t status_next, second_next;
    uint8_t second; /* status register */
    uint32_t size;  /* bytes of cells, a power of two */
    uint8_t jedec[3];
    uint8_t told;   /* by SFDP: log2 of its bytes */
    uint8_t status; /* status register: busy is computed, the rest stored */
    uint32_t spi_hz;
    bool slowest;    /* all takes as long as data sheets allow at most */
    uint64_t random; /* state of the generator for undefined states */

    uint64_t kept_busy;  /* ns, until which an older operation lasts */
    uint64_t busy_until; /* ns; an operation is pending while pending_length > 0 */
    uint32_t pending_offset, pending_length;
    bool pending_program;
    uint8_t pending_page[256];

    uint32_t stuck_at; /* a worn cell here keeps its bits; 0 = none */

    /* Every other erase that is cut reads as blank and holds badly, until a whole one. */
    bool weak_cuts;
    uint8_t weak[SIM_NOR_SECTORS / 8]; /* bit n: sector n does */

    uint64_t cut_at_operation; /* the power fails in the middle of this one; 0 = never */
    uint64_t cut_due;          /* ns; 0 = not yet known */

    uint64_t operations; /* erases and programs begun since the start */
    uint64_t erased_bytes, programmed_pages;
};

/* size is a power of two from 64 KiB to 128 MiB; the JEDEC ID is made up and carries the size. */
void sim_nor_die_init(struct sim_nor_die *die, uint8_t *cells, uint32_t size, uint64_t seed);

/* What it says of itself from that address on, as command 0x5A gives it (nor_sfdp.c). */
void sim_nor_die_describe(const struct sim_nor_die *die, uint32_t address, uint8_t *to, size_t n);

/* One transaction starting at now (ns); returns how long it takes on the SPI lines (ns). */
uint64_t sim_nor_die_transfer(struct sim_nor_die *die, const struct wry_spi_transfer *transfer,
                              uint64_t now);

/* Lets a pending operation take effect if its time has come. */
void sim_nor_die_settle(struct sim_nor_die *die, uint64_t now);

/* It is at work until then (ns) on what was begun before; its content is not touched. */
void sim_nor_die_keep_busy(struct sim_nor_die *die, uint64_t until);

/* Time passes: what holds badly changes. True when something does. */
bool sim_nor_die_age(struct sim_nor_die *die);

/* Power is gone at now: an unfinished operation leaves its range undefined. */
void sim_nor_die_cut(struct sim_nor_die *die, uint64_t now);

#endif
