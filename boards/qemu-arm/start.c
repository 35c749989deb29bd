/* The vector table, and what runs before main. The hardware sets the stack. */
#include "hardware.h"

enum {
    IRQ_UART = 8,
    EXCEPTIONS = 16, /* of the processor, before those of the machine */
    EXCEPTION_TIMER = 15,
};

extern uint8_t bss_start[], bss_end[], stack_top[];

void start(void);
void stop(void);

void start(void)
{
    for (uint8_t *byte = bss_start; byte < bss_end; byte++)
        *byte = 0;
    main();
}

/* A fault: there is nothing that this program could do. */
void stop(void)
{
    for (;;)
        __asm__ volatile("wfi");
}

struct vectors {
    void *stack;
    void (*handlers[EXCEPTIONS + IRQ_UART])(void);
};

__attribute__((section(".vectors"), used)) static const struct vectors vectors = {
    .stack = stack_top,
    .handlers = {[0] = start,
                 [1] = stop,
                 [2] = stop,
                 [3] = stop,
                 [4] = stop,
                 [5] = stop,
                 [EXCEPTION_TIMER - 1] = on_timer,
                 [EXCEPTIONS + IRQ_UART - 1] = on_uart},
};
