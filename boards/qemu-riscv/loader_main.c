/*
 * The loader on QEMU's sifive_u machine, whose processor, UART and flash were made by others.
 *
 * There is no boot strap and no firmware: asked to start one, the machine resets and is in loading
 * mode again.
 */
#include "../echo.h"
#include "hardware.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/chip.h"

#define ENABLE_ALL UINT32_C(0x8)        /* mstatus.MIE */
#define ENABLE_EXTERNAL UINT32_C(0x800) /* mie.MEIE */

enum {
    CAUSE_TIMER = 7,
    CAUSE_EXTERNAL = 11,
    MEMORY = 192 * 1024, /* that the loader is given */
};

static struct wry_loader loader;
static uint8_t memory[MEMORY];

void on_interrupt(uintptr_t cause);
int main(void);

void on_interrupt(uintptr_t cause)
{
    if ((cause & 0xFF) == CAUSE_EXTERNAL)
        uart_arrived();
    else if ((cause & 0xFF) == CAUSE_TIMER)
        clock_woke();
}

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
    return (uint32_t)clock_now();
}

static void restart(void *context)
{
    (void)context;
    reset_machine();
}

/* This machine has no watchdog to be fed. */
static void worked(void *context, enum wry_work work, uint32_t bytes)
{
    (void)context, (void)work, (void)bytes;
}

/* Interrupts stay disabled from the check of the ring to the sleep, so that none falls in between.
 * wfi ends on a pending interrupt even while they are disabled. */
static void sleep_unless_something_arrived(uint32_t us)
{
    __asm__ volatile("csrc mstatus, %0" : : "r"(ENABLE_ALL) : "memory");
    if (!uart_has_received())
        clock_sleep(us);
    __asm__ volatile("csrs mstatus, %0" : : "r"(ENABLE_ALL) : "memory");
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
    static const struct wry_board_identity identity = {.chip_code = WRY_CHIP_DUNLIN_D3,
                                                       .eui48 = {0x02, 0x57, 0x51, 0x45, 0x4D, 1},
                                                       .top_speed = 2000000};

    uart_start();
    flash_start();
    __asm__ volatile("csrs mie, %0\n csrs mstatus, %1" : : "r"(ENABLE_EXTERNAL), "r"(ENABLE_ALL));
#ifdef ECHO
    board_echo(&port);
#endif
    wry_loader_init(&loader, &port, &identity, memory, sizeof memory);
    for (;;) {
        uint32_t rest = wry_loader_poll(&loader);
        if (rest > 0)
            sleep_unless_something_arrived(rest);
    }
}
