/* The flash, behind an SPI controller that holds eight bytes at once. */
#include "hardware.h"

#define SPI UINT32_C(0x10040000)
#define SPI_DIVIDER (SPI + 0x00)
#define SPI_CHIP_SELECT (SPI + 0x10)
#define SPI_SELECT_IDLE (SPI + 0x14)
#define SPI_SELECT_MODE (SPI + 0x18)
#define SPI_FORMAT (SPI + 0x40)
#define SPI_TRANSMIT (SPI + 0x48)
#define SPI_RECEIVE (SPI + 0x4C)
#define SPI_MAPPED (SPI + 0x60)

#define EMPTY UINT32_C(0x80000000)

enum {
    SELECT_AUTO = 0,
    SELECT_HOLD = 2,
    DEPTH = 8,
    DIVIDER = 3,             /* of the bus clock */
    FORMAT_8_BITS = 8 << 16, /* one data line, most significant bit first, mode 0 */
};

void flash_start(void)
{
    *hardware_register(SPI_MAPPED) = 0; /* the program gives the commands, not the bus */
    *hardware_register(SPI_DIVIDER) = DIVIDER;
    *hardware_register(SPI_CHIP_SELECT) = 0;
    *hardware_register(SPI_SELECT_IDLE) = 1;
    *hardware_register(SPI_SELECT_MODE) = SELECT_AUTO;
    *hardware_register(SPI_FORMAT) = FORMAT_8_BITS;
}

/* As many bytes as the controller holds at once: what goes out comes back as many. out or in may be
 * NULL. */
static void exchange(const uint8_t *out, uint8_t *in, size_t n)
{
    while (n > 0) {
        size_t piece = n < DEPTH ? n : DEPTH;
        for (size_t i = 0; i < piece; i++)
            *hardware_register(SPI_TRANSMIT) = out ? out[i] : 0;
        for (size_t i = 0; i < piece; i++) {
            uint32_t got;
            do
                got = *hardware_register(SPI_RECEIVE);
            while (got & EMPTY);
            if (in)
                in[i] = (uint8_t)got;
        }
        out = out ? out + piece : NULL;
        in = in ? in + piece : NULL;
        n -= piece;
    }
}

void flash_transfer(const struct wry_spi_transfer *transfer)
{
    *hardware_register(SPI_SELECT_MODE) = SELECT_HOLD;
    exchange(transfer->out, NULL, transfer->out_length);
    exchange(transfer->out2, NULL, transfer->out2_length);
    exchange(NULL, transfer->in, transfer->in_length);
    *hardware_register(SPI_SELECT_MODE) = SELECT_AUTO;
}
