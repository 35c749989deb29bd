/* What sender and receiver of XMODEM share. */
#pragma once

#include "wrytograph/xmodem.h"

enum {
    XMODEM_SOH = 0x01, /* a block of 128 bytes */
    XMODEM_STX = 0x02, /* a block of 1024 bytes */
    XMODEM_EOT = 0x04,
    XMODEM_ACK = 0x06,
    XMODEM_NAK = 0x15,
    XMODEM_CAN = 0x18,
    XMODEM_CRC = 'C', /* asks for CRCs */
    XMODEM_CANS = 3,  /* sent to cancel; two are enough */
};

/* us. A receiver asks again first: if both repeated at once, two answers would come to one block.
 */
#define XMODEM_BLOCK_TIME 10000000u  /* to wait for a block */
#define XMODEM_ANSWER_TIME 12000000u /* to wait for the answer to it */

/* us that bytes take on the line, to the us for each. Small processors divide 32 bits at most. */
uint64_t xmodem_line_time(uint32_t speed, size_t bytes);

/* Writes the check of a block behind it; returns its length. */
size_t xmodem_check(uint8_t *to, const uint8_t *content, size_t n, bool crc);
