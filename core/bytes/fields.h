/* Little-endian fields at any alignment, as in all formats of this project. */
#ifndef WRY_BYTES_FIELDS_H
#define WRY_BYTES_FIELDS_H

#include <stdbool.h>
#include <stdint.h>

uint16_t bytes_get16(const uint8_t *from);
uint32_t bytes_get32(const uint8_t *from);
void bytes_put16(uint8_t *to, uint16_t value);
void bytes_put32(uint8_t *to, uint32_t value);

/* True if the n bytes are printable ASCII, up to a NUL if there is one. */
bool bytes_are_text(const uint8_t *bytes, unsigned n);

#endif
