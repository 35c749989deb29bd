/* The checks of XMODEM's blocks. */
#include "xmodem.h"

uint16_t wry_xmodem_crc(uint16_t crc, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        crc = (uint16_t)(crc ^ bytes[i] << 8);
        for (unsigned bit = 0; bit < 8; bit++)
            crc = (uint16_t)(crc << 1 ^ (crc & 0x8000 ? 0x1021 : 0));
    }
    return crc;
}

uint64_t xmodem_line_time(uint32_t speed, size_t bytes)
{
    return (uint64_t)bytes * (10000000u / (speed > 0 ? speed : 1));
}

size_t xmodem_check(uint8_t *to, const uint8_t *content, size_t n, bool crc)
{
    if (crc) {
        uint16_t value = wry_xmodem_crc(0, content, n);
        to[0] = (uint8_t)(value >> 8);
        to[1] = (uint8_t)value;
        return 2;
    }
    to[0] = 0;
    for (size_t i = 0; i < n; i++)
        to[0] = (uint8_t)(to[0] + content[i]);
    return 1;
}
