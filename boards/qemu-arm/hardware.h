/*
 * What the machine has: a UART that interrupts, a counter of microseconds, a timer that wakes the
 * processor, and a flash behind an SPI controller.
 */
#ifndef WRY_BOARD_HARDWARE_H
#define WRY_BOARD_HARDWARE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/loader.h"

/* timer.c */
void clock_start(void);
/* Microseconds, which wrap at 2^32. */
uint32_t clock_now(void);
/* Sleeps until an interrupt is pending, at most for so long. Interrupts are disabled. */
void clock_sleep(uint32_t us);

/* uart.c */
void uart_start(void);
bool uart_has_received(void);
size_t uart_receive(uint8_t *to, size_t room);
size_t uart_transmit(const uint8_t *from, size_t n);
bool uart_transmitted(void);
void uart_set_speed(uint32_t baud);

/* spi_flash.c */
void flash_start(void);
void flash_transfer(const struct wry_spi_transfer *transfer);

/* Interrupts, named in start.c's table. */
void on_uart(void);
void on_timer(void);

/* loader_main.c, or another program. */
int main(void);

static inline volatile uint32_t *hardware_register(uintptr_t address)
{
    return (volatile uint32_t *)address;
}

static inline void interrupts_off(void)
{
    __asm__ volatile("cpsid i" : : : "memory");
}

static inline void interrupts_on(void)
{
    __asm__ volatile("cpsie i" : : : "memory");
}

#endif
