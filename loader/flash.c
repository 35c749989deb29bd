/*
 * Commands of the SPI NOR flash. Up to 16 MiB three address bytes do; above, the four-byte
 * commands of JESD216 are used, so that no address mode has to be switched and left behind.
 */
#include "inner.h"

enum command {
    COMMAND_WRITE_ENABLE = 0x06,
    COMMAND_READ_STATUS = 0x05,
    COMMAND_READ_ID = 0x9F,
    COMMAND_READ = 0x03,
    COMMAND_PROGRAM = 0x02,
    COMMAND_ERASE_4K = 0x20,
    COMMAND_ERASE_32K = 0x52,
    COMMAND_ERASE_64K = 0xD8,
    COMMAND_READ_LONG = 0x13,
    COMMAND_PROGRAM_LONG = 0x12,
    COMMAND_ERASE_4K_LONG = 0x21,
    COMMAND_ERASE_32K_LONG = 0x5C,
    COMMAND_ERASE_64K_LONG = 0xDC,
};

enum status_bit {
    STATUS_BUSY = 0x01,
    STATUS_PROTECT = 0x7C,
};

#define SHORT_ADDRESS_REACH 0x1000000u /* bytes that three address bytes reach */

static void transfer(struct wry_loader *loader, const struct wry_spi_transfer *t)
{
    loader->port->spi(loader->port->context, t);
}

static uint8_t read_status(struct wry_loader *loader)
{
    uint8_t command = COMMAND_READ_STATUS, status = 0;

    transfer(loader, &(struct wry_spi_transfer){
                         .out = &command, .out_length = 1, .in = &status, .in_length = 1});
    return status;
}

static void identify(struct wry_loader *loader)
{
    uint8_t command = COMMAND_READ_ID;

    transfer(loader, &(struct wry_spi_transfer){.out = &command,
                                                .out_length = 1,
                                                .in = loader->jedec,
                                                .in_length = sizeof loader->jedec});
    uint8_t log2 = loader->jedec[2];
    loader->capacity = log2 >= 16 && log2 < 32 ? UINT32_C(1) << log2 : 0;
    loader->protect = read_status(loader) & STATUS_PROTECT;
}

bool loader_flash_busy(struct wry_loader *loader)
{
    return (read_status(loader) & STATUS_BUSY) != 0;
}

/* A part that is busy does not answer to READ_ID. One that is not there reads as busy for ever. */
void loader_flash_identify(struct wry_loader *loader)
{
    loader->flash_asked_at = loader->port->now(loader->port->context);
    loader->flash_awaited = loader_flash_busy(loader);
    if (!loader->flash_awaited)
        identify(loader);
}

bool loader_flash_await(struct wry_loader *loader)
{
    uint32_t waited = loader->port->now(loader->port->context) - loader->flash_asked_at;

    if (loader->flash_awaited && (!loader_flash_busy(loader) || waited >= WRY_LOADER_FLASH_WAIT)) {
        loader->flash_awaited = false;
        identify(loader);
    }
    return loader->flash_awaited;
}

uint32_t loader_flash_protected(struct wry_loader *loader, uint32_t offset, uint32_t length)
{
    uint32_t start;

    loader->protect = read_status(loader) & STATUS_PROTECT;
    uint32_t locked = wry_protected_range(loader->protect, loader->capacity, &start);
    if (locked == 0 || offset >= start + locked || offset + length <= start)
        return WRY_LOADER_UNPROTECTED;
    return offset > start ? offset : start;
}

/* Command and address; returns the length. */
static size_t put_address(const struct wry_loader *loader, uint8_t to[5], enum command brief,
                          enum command wide, uint32_t offset)
{
    size_t n = 0;

    if (loader->capacity > SHORT_ADDRESS_REACH) {
        to[n++] = (uint8_t)wide;
        to[n++] = (uint8_t)(offset >> 24);
    } else {
        to[n++] = (uint8_t)brief;
    }
    to[n++] = (uint8_t)(offset >> 16);
    to[n++] = (uint8_t)(offset >> 8);
    to[n++] = (uint8_t)offset;
    return n;
}

static void enable_writing(struct wry_loader *loader)
{
    uint8_t command = COMMAND_WRITE_ENABLE;

    transfer(loader, &(struct wry_spi_transfer){.out = &command, .out_length = 1});
}

void loader_flash_read(struct wry_loader *loader, uint32_t offset, uint8_t *to, size_t n)
{
    uint8_t head[5];
    size_t length = put_address(loader, head, COMMAND_READ, COMMAND_READ_LONG, offset);

    transfer(loader, &(struct wry_spi_transfer){
                         .out = head, .out_length = length, .in = to, .in_length = n});
}

void loader_flash_erase(struct wry_loader *loader, uint32_t offset, uint32_t length)
{
    uint8_t head[5];
    size_t n;

    if (length == 0x10000)
        n = put_address(loader, head, COMMAND_ERASE_64K, COMMAND_ERASE_64K_LONG, offset);
    else if (length == 0x8000)
        n = put_address(loader, head, COMMAND_ERASE_32K, COMMAND_ERASE_32K_LONG, offset);
    else
        n = put_address(loader, head, COMMAND_ERASE_4K, COMMAND_ERASE_4K_LONG, offset);
    enable_writing(loader);
    transfer(loader, &(struct wry_spi_transfer){.out = head, .out_length = n});
}

void loader_flash_program(struct wry_loader *loader, uint32_t offset, const uint8_t *page)
{
    uint8_t head[5];
    size_t n = put_address(loader, head, COMMAND_PROGRAM, COMMAND_PROGRAM_LONG, offset);

    enable_writing(loader);
    transfer(loader, &(struct wry_spi_transfer){
                         .out = head, .out_length = n, .out2 = page, .out2_length = WRY_PAGE_SIZE});
}
