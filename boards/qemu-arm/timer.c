/* One timer of the machine counts microseconds; the processor's own timer wakes it. */
#include "hardware.h"

#define TIMER UINT32_C(0x7E782000)
#define TIMER_COUNT (TIMER + 0x00)
#define TIMER_RELOAD (TIMER + 0x04)
#define TIMER_CONTROL (TIMER + 0x30)

#define WAKE_CONTROL UINT32_C(0xE000E010)
#define WAKE_RELOAD UINT32_C(0xE000E014)
#define WAKE_COUNT UINT32_C(0xE000E018)

enum {
    ENABLE = 1 << 0,
    ONE_MHZ = 1 << 1,
    WAKE_ENABLE = 1 << 0,
    WAKE_INTERRUPT = 1 << 1,
    WAKE_PROCESSOR_CLOCK = 1 << 2,
    CYCLES = 200,         /* a microsecond */
    WAKE_MOST = 0xFFFFFF, /* cycles that it can count */
};

void clock_start(void)
{
    *hardware_register(TIMER_RELOAD) = UINT32_MAX;
    *hardware_register(TIMER_COUNT) = UINT32_MAX;
    *hardware_register(TIMER_CONTROL) = ENABLE | ONE_MHZ;
}

uint32_t clock_now(void)
{
    return UINT32_MAX - *hardware_register(TIMER_COUNT);
}

void on_timer(void)
{
    *hardware_register(WAKE_CONTROL) = 0;
}

void clock_sleep(uint32_t us)
{
    uint32_t cycles = us < WAKE_MOST / CYCLES ? us * CYCLES : WAKE_MOST;

    *hardware_register(WAKE_CONTROL) = 0;
    *hardware_register(WAKE_RELOAD) = cycles;
    *hardware_register(WAKE_COUNT) = 0;
    *hardware_register(WAKE_CONTROL) = WAKE_ENABLE | WAKE_INTERRUPT | WAKE_PROCESSOR_CLOCK;
    __asm__ volatile("dsb\n wfi" : : : "memory");
}
