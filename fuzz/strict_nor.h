/*
 * A NOR flash that forgives nothing: it breaks off at a change outside what was asked for, at one
 * without write enable or while it is busy, and at programming over content.
 */
#ifndef WRY_FUZZ_STRICT_NOR_H
#define WRY_FUZZ_STRICT_NOR_H

#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/flash.h"
#include "wrytograph/loader.h"

#define STRICT_NOR_SIZE (256u * 1024u)
#define STRICT_NOR_SECTORS (STRICT_NOR_SIZE / WRY_SECTOR_SIZE)

struct strict_nor {
    uint8_t cells[STRICT_NOR_SIZE];
    bool may_erase[STRICT_NOR_SECTORS]; /* as asked for */
    bool may_program[STRICT_NOR_SECTORS];
    bool enabled;
    unsigned busy;  /* more status reads that find it so */
    uint8_t status; /* protect bits */
    unsigned erases, programs;
};

void strict_nor_init(struct strict_nor *nor, uint8_t protect, uint8_t fill);

/* A request for that range was sent: it may be changed from now on. */
void strict_nor_allow(struct strict_nor *nor, uint32_t offset, uint32_t length, bool program);

void strict_nor_transfer(struct strict_nor *nor, const struct wry_spi_transfer *transfer);

#endif
