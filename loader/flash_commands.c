/*
 * Commands of SPI NOR flash. Up to 16 MiB they have three address bytes; above, four-byte commands
 * or a mode are used, whichever the part reports (flash_part.c).
 */
#include "loader_inner.h"

enum command {
    COMMAND_WRITE_STATUS = 0x01,
    COMMAND_PROGRAM = 0x02,
    COMMAND_READ = 0x03,
    COMMAND_READ_STATUS = 0x05,
    COMMAND_WRITE_ENABLE = 0x06,
    COMMAND_PROGRAM_LONG = 0x12,
    COMMAND_READ_LONG = 0x13,
    COMMAND_READ_SECOND = 0x35,
    COMMAND_READ_FLAG = 0x70,
};

enum status_bit {
    STATUS_BUSY = 0x01,
    STATUS_PROTECT = 0x7C, /* block-protect bits with TB and SEC, as on most parts */
    STATUS_CLEARED =
        0x3C,           /* bits cleared on parts of unknown layout: bit 6 may be something else */
    SECOND_QUAD = 0x02, /* QE bit of the second register: four data lines for reading */
    FLAG_READY = 0x80,  /* ready bit of the flag status register */
};

#define READ_WITHIN 0x10000u /* bytes: every die is a multiple of this */

static void transfer(struct wry_loader *loader, const struct wry_spi_transfer *t)
{
    loader->port->spi(loader->port->context, t);
}

void loader_flash_command(struct wry_loader *loader, uint8_t command)
{
    transfer(loader, &(struct wry_spi_transfer){.out = &command, .out_length = 1});
}

void loader_flash_ask(struct wry_loader *loader, const uint8_t *out, size_t n, uint8_t *in,
                      size_t room)
{
    transfer(loader,
             &(struct wry_spi_transfer){.out = out, .out_length = n, .in = in, .in_length = room});
}

static uint8_t read_register(struct wry_loader *loader, uint8_t command)
{
    uint8_t value = 0;

    loader_flash_ask(loader, &command, 1, &value, 1);
    return value;
}

static uint8_t read_status(struct wry_loader *loader)
{
    return read_register(loader, COMMAND_READ_STATUS);
}

bool loader_flash_busy(struct wry_loader *loader)
{
    if (loader->part.by_flag)
        return (read_register(loader, COMMAND_READ_FLAG) & FLAG_READY) == 0;
    return (read_status(loader) & STATUS_BUSY) != 0;
}

bool loader_flash_is_silent(struct wry_loader *loader)
{
    return read_status(loader) == 0xFF;
}

/* The position and meaning of the bits depends on the part; JEDEC has no standard for it. If the
 * board does not know, protection is found out when an operation has no effect. */
void loader_flash_look_at_protection(struct wry_loader *loader)
{
    uint8_t status = read_status(loader);

    loader->protect = loader->identity.usual_protection ? status & STATUS_PROTECT : 0;
}

uint32_t loader_flash_protected(struct wry_loader *loader, uint32_t offset, uint32_t length)
{
    uint32_t start;

    loader_flash_look_at_protection(loader);
    uint32_t locked = wry_protected_range(loader->protect, loader->capacity, &start);
    if (locked == 0 || offset >= start + locked || offset + length <= start)
        return WRY_LOADER_UNPROTECTED;
    return offset > start ? offset : start;
}

bool loader_flash_refused(struct wry_loader *loader, uint32_t offset)
{
    if (loader->identity.usual_protection)
        return loader_flash_protected(loader, offset, WRY_PAGE_SIZE) != WRY_LOADER_UNPROTECTED;
    return (read_status(loader) & STATUS_CLEARED) != 0;
}

/*
 * On many parts writing one status byte clears the second register, and with it the QE bit, without
 * which the chip cannot start over four data lines. On such parts both registers are written, the
 * second unchanged. A part that does not report this is treated so if its QE bit is set.
 */
static bool writes_both(const struct wry_loader *loader, uint8_t second)
{
    return loader->part.two_bytes ||
           (loader->part.assumed && second != 0xFF && (second & SECOND_QUAD) != 0);
}

bool loader_flash_unprotect(struct wry_loader *loader)
{
    uint8_t status = read_status(loader), second = read_register(loader, COMMAND_READ_SECOND);
    uint8_t bits = loader->identity.usual_protection ? STATUS_PROTECT : STATUS_CLEARED;
    uint8_t out[3] = {COMMAND_WRITE_STATUS, status & (uint8_t)~bits, second};

    if ((status & bits) == 0)
        return false;
    loader_flash_command(loader, COMMAND_WRITE_ENABLE);
    transfer(loader, &(struct wry_spi_transfer){.out = out,
                                                .out_length = writes_both(loader, second) ? 3 : 2});
    return true;
}

/* Stores command and address; returns the length. */
static size_t put_address(const struct wry_loader *loader, uint8_t to[5], uint8_t command,
                          uint32_t offset)
{
    size_t n = 0;

    to[n++] = command;
    if (loader->part.long_address)
        to[n++] = (uint8_t)(offset >> 24);
    to[n++] = (uint8_t)(offset >> 16);
    to[n++] = (uint8_t)(offset >> 8);
    to[n++] = (uint8_t)offset;
    return n;
}

void loader_flash_read(struct wry_loader *loader, uint32_t offset, uint8_t *to, size_t n)
{
    const struct wry_loader_part *part = &loader->part;
    uint8_t head[6] = {0};
    uint8_t command = part->read_command != 0 ? part->read_command
                      : part->own_commands    ? COMMAND_READ_LONG
                                              : COMMAND_READ;

    /* On parts of several dies a read does not continue into the next die. */
    while (n > 0) {
        size_t to_boundary = READ_WITHIN - offset % READ_WITHIN;
        size_t piece = n < to_boundary ? n : to_boundary;
        size_t length = put_address(loader, head, command, offset);
        bool fast = part->read_command != 0;
        transfer(loader, &(struct wry_spi_transfer){.out = head,
                                                    .out_length = length + fast,
                                                    .in = to,
                                                    .in_length = piece,
                                                    .data_lines = part->lines,
                                                    .fast = fast});
        offset += (uint32_t)piece;
        to += piece;
        n -= piece;
    }
}

uint8_t *loader_flash_unit(struct wry_loader *loader, uint32_t length)
{
    struct wry_loader_part *part = &loader->part;

    return length == 0x10000  ? &part->erase_64k
           : length == 0x8000 ? &part->erase_32k
                              : &part->erase_4k;
}

void loader_flash_erase(struct wry_loader *loader, uint32_t offset, uint32_t length)
{
    uint8_t head[5];
    size_t n = put_address(loader, head, *loader_flash_unit(loader, length), offset);

    loader_flash_command(loader, COMMAND_WRITE_ENABLE);
    transfer(loader, &(struct wry_spi_transfer){.out = head, .out_length = n});
}

void loader_flash_program(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    const struct wry_loader_part *part = &loader->part;
    uint8_t head[5];
    bool quad = part->lines == 4 && part->quad_program != 0;
    uint8_t command = quad                 ? part->quad_program
                      : part->own_commands ? COMMAND_PROGRAM_LONG
                                           : COMMAND_PROGRAM;
    size_t n = put_address(loader, head, command, offset);

    loader_flash_command(loader, COMMAND_WRITE_ENABLE);
    transfer(loader, &(struct wry_spi_transfer){.out = head,
                                                .out_length = n,
                                                .out2 = page,
                                                .out2_length = WRY_PAGE_SIZE,
                                                .data_lines = quad ? 4 : 1,
                                                .fast = part->read_command != 0});
}
