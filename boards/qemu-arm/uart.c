/* A UART of the 16550 kind: what arrives is taken by an interrupt, for its FIFO holds 16 bytes. */
#include "hardware.h"

#define UART UINT32_C(0x7E784000)
#define UART_DATA (UART + 0x00)       /* with the latch open: the divider's low byte */
#define UART_INTERRUPTS (UART + 0x04) /* with the latch open: its high byte */
#define UART_FIFO (UART + 0x08)
#define UART_LINE (UART + 0x0C)
#define UART_STATUS (UART + 0x14)

#define CONTROLLER_ENABLE UINT32_C(0xE000E100)
#define IRQ_UART 8

enum {
    CLOCK = 24000000 / 13, /* 16 times the highest speed */
    WANT_RECEIVED = 1,
    FIFO_ON = 1,
    LINE_8_BITS = 3,
    LINE_LATCH = 0x80,
    STATUS_RECEIVED = 0x01,
    STATUS_ROOM = 0x20, /* the transmit FIFO is empty */
    STATUS_LEFT = 0x40, /* and so is the transmitter */
    FIFO_ROOM = 16,
    ROOM = 1024, /* a power of two */
};

static uint8_t ring[ROOM];
static volatile uint32_t put, taken;

void uart_set_speed(uint32_t baud)
{
    uint32_t divider = (CLOCK + baud * 8) / (baud * 16);

    divider = divider > 0 ? divider : 1;
    *hardware_register(UART_LINE) = LINE_8_BITS | LINE_LATCH;
    *hardware_register(UART_DATA) = divider & 0xFF;
    *hardware_register(UART_INTERRUPTS) = divider >> 8;
    *hardware_register(UART_LINE) = LINE_8_BITS;
    *hardware_register(UART_INTERRUPTS) = WANT_RECEIVED;
}

void uart_start(void)
{
    *hardware_register(UART_FIFO) = FIFO_ON;
    uart_set_speed(WRY_STARTING_SPEED);
    *hardware_register(CONTROLLER_ENABLE) = UINT32_C(1) << IRQ_UART;
}

/* Without room for more, the bytes stay in the FIFO, and the sender waits: a UART whose other end
 * cannot be held up has to have the room that the guide says. */
void on_uart(void)
{
    while (put - taken < ROOM && (*hardware_register(UART_STATUS) & STATUS_RECEIVED))
        ring[put++ % ROOM] = (uint8_t)*hardware_register(UART_DATA);
    if (put - taken == ROOM)
        *hardware_register(UART_INTERRUPTS) = 0;
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
        *hardware_register(UART_INTERRUPTS) = WANT_RECEIVED;
    return n;
}

size_t uart_transmit(const uint8_t *from, size_t n)
{
    size_t sent = 0;

    if (!(*hardware_register(UART_STATUS) & STATUS_ROOM))
        return 0;
    while (sent < n && sent < FIFO_ROOM)
        *hardware_register(UART_DATA) = from[sent++];
    return sent;
}

bool uart_transmitted(void)
{
    return (*hardware_register(UART_STATUS) & STATUS_LEFT) != 0;
}
