/*
 * Descriptions of the Wi-Fi microcontroller families: the built-in ones, from chips/ in the source.
 * A chip of your own is a struct wry_chip with a code of its own (boards/README.md).
 *
 *     const struct wry_chip *chip = wry_chip_by_code(board->chip_code);
 *     printf("%s starts from 0x%x\n", chip->title, chip->start_offset);
 */
#ifndef WRYTOGRAPH_CHIP_H
#define WRYTOGRAPH_CHIP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/region.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_NO_OFFSET UINT32_MAX

enum wry_chip_code {
    WRY_CHIP_SANDERLING_S1 = 0x5101,
    WRY_CHIP_TURNSTONE_T2 = 0x7402,
    WRY_CHIP_DUNLIN_D3 = 0xD103,
};

/* What a bound of a usual region is counted from, for any flash size. */
enum wry_usual_from {
    WRY_USUAL_START = 0,  /* value */
    WRY_USUAL_MIDDLE = 1, /* half the flash + value */
    WRY_USUAL_END = 2,    /* the flash size - value */
};

struct wry_usual_bound {
    uint8_t from;   /* enum wry_usual_from */
    uint32_t value; /* bytes */
};

/* A region that boards with a chip usually have. */
struct wry_usual_region {
    const char *name;
    uint8_t kind; /* enum wry_region_kind */
    struct wry_usual_bound start, end;
};

/* Instruction sets of programs for a chip. */
enum wry_instructions {
    WRY_INSTRUCTIONS_UNKNOWN = 0,
    WRY_INSTRUCTIONS_RISCV = 1,
    WRY_INSTRUCTIONS_THUMB = 2,
    WRY_INSTRUCTIONS_ARM = 3,
    WRY_INSTRUCTIONS_ARM64 = 4,
};

struct wry_chip {
    uint16_t code;            /* as the board reports it in its hello reply */
    const char *name;         /* identifier in commands and files: lower case, with hyphens */
    const char *title;        /* display name */
    uint8_t cores;            /* processors */
    uint8_t instructions;     /* enum wry_instructions */
    bool wants_header;        /* the boot ROM starts no program without a boot header */
    uint8_t read_lines_most;  /* most data lines it reads its flash over: 1, 2 or 4 */
    uint8_t read_clock_most;  /* fastest flash read clock, MHz */
    const char *strap;        /* name of the pin that selects loading mode when low during reset */
    const char *says_loading; /* ROM output that shows that the strap is held; NULL = none */
    const char *says_nothing; /* ROM output when there is no program to start; NULL = none */
    uint32_t start_offset;    /* flash offset from which the boot ROM starts a program */
    uint32_t table_offset;    /* flash offset of the region table, or WRY_NO_OFFSET */
    uint32_t app_offset;      /* lowest flash offset of an application */
    uint32_t flash_min, flash_max; /* bytes, the range of flash sizes on boards with this chip */
    uint32_t boot_speed;           /* baud of the boot ROM's output */
    uint32_t run_speed;            /* baud of the firmware's console */
    uint32_t top_speed;            /* baud that the chip's receiver is specified for */
    const struct wry_usual_region *usual; /* the usual layout of its boards */
    size_t usual_count;
};

/* The built-in chip with this code; NULL if there is none. */
const struct wry_chip *wry_chip_by_code(uint16_t code);
const struct wry_chip *wry_chip_by_name(const char *name);
/* The n-th chip, counting from 0; NULL past the last. */
const struct wry_chip *wry_chip_at(size_t n);

#ifdef __cplusplus
}
#endif

#endif
