/*
 * The highest speed that worked with an adapter. Finding it again would take seconds at each
 * command, so it is remembered for half a day; the cable may be another one tomorrow.
 *
 *     uint32_t baud = adapter_speeds_find("0403:6001/HW0001/00");
 */
#pragma once

#include <stdint.h>

/* The remembered speed in baud; 0 if there is none or it cannot be read. */
uint32_t adapter_speeds_find(const char *adapter);

/* Remembers a speed. If it cannot be stored, it is found again the next time. */
void adapter_speeds_keep(const char *adapter, uint32_t baud);
