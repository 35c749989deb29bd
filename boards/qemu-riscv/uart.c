/* The UART: what arrives is taken by an interrupt, for its own memory holds eight bytes. */
#include "hardware.h"

#define UART UINT32_C(0x10010000)
#define UART_TRANSMIT (UART + 0x00)
#define UART_RECEIVE (UART + 0x04)
#define UART_TRANSMIT_CONTROL (UART + 0x08)
#define UART_RECEIVE_CONTROL (UART + 0x0C)
#define UART_INTERRUPTS (UART + 0x10)
#define UART_PENDING (UART + 0x14)
#define UART_DIVIDER (UART + 0x18)

/* The interrupt controller, as far as this program uses it: one source, to processor 0. */
#define CONTROLLER UINT32_C(0x0C000000)
#define SOURCE_UART 4
#define PRIORITY (CONTROLLER + 4 * SOURCE_UART)
#define ENABLED (CONTROLLER + 0x2000)
#define THRESHOLD (CONTROLLER + 0x200000)
#define CLAIM (CONTROLLER + 0x200004)

#define FULL_OR_EMPTY UINT32_C(0x80000000)
#define BUS_CLOCK UINT32_C(500000000)

enum {
    ENABLE = 1,
    ONE_WAITS = 1 << 16, /* transmit: pending while fewer than one byte waits */
    WANT_RECEIVED = 2,   /* interrupt */
    NOTHING_WAITS = 1,   /* pending: the transmitter has taken the last byte */
    ROOM = 1024,         /* a power of two */
};

static uint8_t ring[ROOM];
static volatile uint32_t put, taken;

void uart_start(void)
{
    *hardware_register(UART_TRANSMIT_CONTROL) = ENABLE | ONE_WAITS;
    *hardware_register(UART_RECEIVE_CONTROL) = ENABLE;
    *hardware_register(UART_INTERRUPTS) = WANT_RECEIVED;
    *hardware_register(PRIORITY) = 1;
    *hardware_register(ENABLED) = UINT32_C(1) << SOURCE_UART;
    *hardware_register(THRESHOLD) = 0;
}

/* Without room for more, the bytes stay in the FIFO, and the sender waits: a UART whose other
 * end cannot be held up has to have the room that the guide says. */
static void want_received(void)
{
    *hardware_register(UART_INTERRUPTS) = put - taken < ROOM ? WANT_RECEIVED : 0;
}

void uart_arrived(void)
{
    uint32_t source = *hardware_register(CLAIM), got;

    while (put - taken < ROOM && !((got = *hardware_register(UART_RECEIVE)) & FULL_OR_EMPTY))
        ring[put++ % ROOM] = (uint8_t)got;
    want_received();
    *hardware_register(CLAIM) = source;
}

bool uart_has_received(void)
{
    return taken != put;
}

size_t uart_receive(uint8_t *to, size_t room)
{
    size_t n = 0;

    while (n < room && taken != put)
        to[n++] = ring[taken++ % ROOM];
    if (n > 0)
        want_received();
    return n;
}

size_t uart_transmit(const uint8_t *from, size_t n)
{
    size_t sent = 0;

    while (sent < n && !(*hardware_register(UART_TRANSMIT) & FULL_OR_EMPTY))
        *hardware_register(UART_TRANSMIT) = from[sent++];
    return sent;
}

/* The machine says when the last byte was taken for sending, and not when it has left: see the
 * guide on what a real board does then. */
bool uart_transmitted(void)
{
    return (*hardware_register(UART_PENDING) & NOTHING_WAITS) != 0;
}

void uart_set_speed(uint32_t baud)
{
    *hardware_register(UART_DIVIDER) = BUS_CLOCK / baud - 1;
}
