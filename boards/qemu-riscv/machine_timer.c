/* The machine's clock: 1 MHz, and a compare register that interrupts. */
#include "hardware.h"

#define CLOCK UINT32_C(0x02000000)
#define COMPARE (CLOCK + 0x4000) /* of processor 0 */
#define TIME (CLOCK + 0xBFF8)

#define ENABLE_TIMER 0x80 /* mie.MTIE */

/* In halves, as a 32-bit processor has to: until the upper one stays. */
uint64_t clock_now(void)
{
    uint32_t high, low;

    do {
        high = *hardware_register(TIME + 4);
        low = *hardware_register(TIME);
    } while (high != *hardware_register(TIME + 4));
    return (uint64_t)high << 32 | low;
}

static void set_compare(uint64_t time)
{
    *hardware_register(COMPARE + 4) = UINT32_MAX; /* never in between */
    *hardware_register(COMPARE) = (uint32_t)time;
    *hardware_register(COMPARE + 4) = (uint32_t)(time >> 32);
}

void clock_woke(void)
{
    set_compare(UINT64_MAX);
}

void clock_sleep(uint32_t us)
{
    set_compare(clock_now() + us);
    __asm__ volatile("csrs mie, %0\n wfi" : : "r"(ENABLE_TIMER) : "memory");
}
