/*
 * The first program to try on a new board: it sends back what arrives, at 115200 baud, through the
 * functions that the loader will use. 'make ECHO=1' builds it in place of the loader.
 */
#ifndef WRY_BOARD_ECHO_H
#define WRY_BOARD_ECHO_H

#include "wrytograph/loader.h"
#include "wrytograph/message.h"

/* Does not return. Receiver, transmitter and receive interrupt are set up. */
void board_echo(const struct wry_board_port *port);

#endif
