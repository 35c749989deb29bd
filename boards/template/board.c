/*
 * The loader on a board of yours. Copy this folder, and fill in each gap: it does not compile until
 * all are. boards/README.md says in which order to try them, and boards/qemu-riscv and
 * boards/qemu-arm are the same filled in.
 */
#include "../echo.h"
#include "wrytograph/loader.h"

#define GAP(what) _Static_assert(0, "to be filled in: " what)

enum {
    MEMORY = 48 * 1024, /* for the loader: see the guide on what more of it gives */
};

static struct wry_loader loader;
static uint8_t memory[MEMORY];

/* Filled by an interrupt or DMA; at least WRY_LOADER_RECEIVE_ROOM, a power of two. */
static uint8_t ring[512];
static volatile uint32_t put, taken;

void on_byte(uint8_t byte);
int main(void);

/* Called by the UART's interrupt for each byte. What finds no room is lost, and sent again. */
void on_byte(uint8_t byte)
{
    if (put - taken < sizeof ring)
        ring[put++ % sizeof ring] = byte;
}

static size_t receive(void *context, uint8_t *to, size_t room)
{
    size_t n = 0;

    (void)context;
    while (n < room && taken != put)
        to[n++] = ring[taken++ % sizeof ring];
    return n;
}

static size_t transmit(void *context, const uint8_t *from, size_t n)
{
    (void)context, (void)from, (void)n;
    GAP("put bytes into the UART while it has room, without waiting; return how many");
}

static bool transmitted(void *context)
{
    (void)context;
    GAP("true when the last stop bit has left; see the guide for a UART that does not say");
}

static void set_speed(void *context, uint32_t baud)
{
    (void)context, (void)baud;
    GAP("set the UART's divider, rounded to the nearest: 2 % off is too much");
}

static void spi(void *context, const struct wry_spi_transfer *transfer)
{
    (void)context, (void)transfer;
    GAP("chip select low; out, out2, in; chip select high; mode 0, one data line or more");
}

static uint32_t now(void *context)
{
    (void)context;
    GAP("microseconds from any start; may wrap at 2^32 and nowhere else");
}

static void restart(void *context)
{
    (void)context;
    GAP("reset the chip into its firmware");
}

static void worked(void *context, enum wry_work work, uint32_t bytes)
{
    (void)context, (void)work, (void)bytes;
    GAP("feed the watchdog, if there is one; else leave this empty");
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
    struct wry_board_identity identity = {0};

    GAP("identity: chip code, revision, EUI-48, top speed, protection, lines of the flash");
    GAP("clocks, pins, UART with its receive interrupt, SPI; the flash not mapped as memory");
#ifdef ECHO
    board_echo(&port);
#endif
    wry_loader_init(&loader, &port, &identity, memory, sizeof memory);
    for (;;) {
        uint32_t rest = wry_loader_poll(&loader);
        (void)rest;
        GAP("sleep for rest us or until a byte arrives (the guide: without a race), or nothing");
    }
}
