/* The flash, behind an SPI controller in the mode in which the program gives the commands: what is
 * written to the flash's window goes out, what is read from it comes in. */
#include "hardware.h"

#define SPI UINT32_C(0x7E620000)
#define SPI_CONFIGURATION (SPI + 0x00)
#define SPI_SELECT (SPI + 0x10)
#define WINDOW UINT32_C(0x80000000)

#define ALLOW_WRITING (UINT32_C(1) << 16)

enum {
    KIND_SPI = 2,
    BY_PROGRAM = 3,
    RELEASED = 1 << 2, /* chip select is high */
};

static volatile uint8_t *const window = (volatile uint8_t *)WINDOW;

void flash_start(void)
{
    *hardware_register(SPI_CONFIGURATION) = ALLOW_WRITING | KIND_SPI;
    *hardware_register(SPI_SELECT) = BY_PROGRAM | RELEASED;
}

static void send(const uint8_t *from, size_t n)
{
    for (size_t i = 0; i < n; i++)
        *window = from[i];
}

void flash_transfer(const struct wry_spi_transfer *transfer)
{
    *hardware_register(SPI_SELECT) = BY_PROGRAM;
    send(transfer->out, transfer->out_length);
    send(transfer->out2, transfer->out2_length);
    for (size_t i = 0; i < transfer->in_length; i++)
        transfer->in[i] = *window;
    *hardware_register(SPI_SELECT) = BY_PROGRAM | RELEASED;
}
