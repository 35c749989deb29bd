/* Pin 10 of the machine's port resets it when it goes low. */
#include "hardware.h"

#define PORT UINT32_C(0x10060000)
#define OUTPUT_ENABLE (PORT + 0x08)
#define OUTPUT_VALUE (PORT + 0x0C)
#define RESET_PIN (UINT32_C(1) << 10)

void reset_machine(void)
{
    *hardware_register(OUTPUT_VALUE) |= RESET_PIN;
    *hardware_register(OUTPUT_ENABLE) |= RESET_PIN;
    *hardware_register(OUTPUT_VALUE) &= ~RESET_PIN;
}
