/*
 * The loader on QEMU's ast1030-evb machine, whose processor, UART and flash were made by others.
 *
 * There is no boot strap and no firmware: asked to start one, the machine resets and is in loading
 * mode again.
 */
#include "../echo.h"
#include "hardware.h"

#define RESET_CONTROL UINT32_C(0xE000ED0C)
#define RESET_NOW UINT32_C(0x05FA0004)

enum {
    CHIP_CODE = 0x0041, /* of the range for trials: boards/README.md */
    MEMORY = 192 * 1024,
};

static struct wry_loader loader;
static uint8_t memory[MEMORY];

static size_t receive(void *context, uint8_t *to, size_t room)
{
    (void)context;
    return uart_receive(to, room);
}

static size_t transmit(void *context, const uint8_t *from, size_t n)
{
    (void)context;
    return uart_transmit(from, n);
}

static bool transmitted(void *context)
{
    (void)context;
    return uart_transmitted();
}

static void set_speed(void *context, uint32_t baud)
{
    (void)context;
    uart_set_speed(baud);
}

static void spi(void *context, const struct wry_spi_transfer *transfer)
{
    (void)context;
    flash_transfer(transfer);
}

static uint32_t now(void *context)
{
    (void)context;
    return clock_now();
}

static void restart(void *context)
{
    (void)context;
    *hardware_register(RESET_CONTROL) = RESET_NOW;
}

/* This program does not use the watchdog. */
static void worked(void *context, enum wry_work work, uint32_t bytes)
{
    (void)context, (void)work, (void)bytes;
}

int main(void)
{
    static const struct wry_board_port port = {.receive = receive,
                                               .transmit = transmit,
                                               .transmitted = transmitted,
                                               .set_speed = set_speed,
                                               .spi = spi,
                                               .now = now,
                                               .restart = restart,
                                               .worked = worked};
    static const struct wry_board_identity identity = {
        .chip_code = CHIP_CODE, .eui48 = {0x02, 0x57, 0x41, 0x52, 0x4D, 1}, .top_speed = 2000000};

    clock_start();
    uart_start();
    flash_start();
#ifdef ECHO
    board_echo(&port);
#endif
    wry_loader_init(&loader, &port, &identity, memory, sizeof memory);
    for (;;) {
        uint32_t rest = wry_loader_poll(&loader);
        /* An interrupt between the check and the sleep ends the sleep at once: while interrupts are
         * disabled, wfi ends on a pending one. */
        interrupts_off();
        if (rest > 0 && !uart_has_received())
            clock_sleep(rest);
        interrupts_on();
    }
}
