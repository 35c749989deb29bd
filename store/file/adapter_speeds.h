/*
 * The speed that an adapter was found to carry, where faster ones had been given up: what takes
 * seconds to find out again at each command is remembered for half a day. A cable may be another
 * one tomorrow.
 *
 *     uint32_t baud = adapter_speeds_find("0403:6001/HW0001/00");
 */
#ifndef WRY_STORE_ADAPTER_SPEEDS_H
#define WRY_STORE_ADAPTER_SPEEDS_H

#include <stdint.h>

/* baud; 0 when nothing is remembered, or what is cannot be read: then speeds are tried again. */
uint32_t adapter_speeds_find(const char *adapter);

/* Remembers it from now on. What cannot be kept is found out again. */
void adapter_speeds_keep(const char *adapter, uint32_t baud);

#endif
