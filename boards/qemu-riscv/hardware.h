/*
 * What the machine has: a UART that interrupts, a clock that can wake, a flash behind an SPI
 * controller, and a line that resets it all.
 */
#ifndef WRY_BOARD_HARDWARE_H
#define WRY_BOARD_HARDWARE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/loader.h"

/* clock.c */
/* Microseconds since the machine began. */
uint64_t clock_now(void);
/* Sleeps until an interrupt, at most for so long. */
void clock_sleep(uint32_t us);
/* Its interrupt. */
void clock_woke(void);

/* uart.c */
void uart_start(void);
bool uart_has_received(void);
size_t uart_receive(uint8_t *to, size_t room);
size_t uart_transmit(const uint8_t *from, size_t n);
bool uart_transmitted(void);
void uart_set_speed(uint32_t baud);
/* Its interrupt: bytes are taken into memory before the next ones push them out. */
void uart_arrived(void);

/* flash.c */
void flash_start(void);
void flash_transfer(const struct wry_spi_transfer *transfer);

/* reset.c */
/* Resets the machine; returns until that happens. */
void reset_machine(void);

static inline volatile uint32_t *hardware_register(uintptr_t address)
{
    return (volatile uint32_t *)address;
}

#endif
