/*
 * A simulated adapter: host, adapter, two lines and a board, in virtual time.
 *
 * Fills in a struct wry_port, so a session talks to a simulated board as to a real one. Time moves
 * only inside port calls, and every run with the same seed is the same to the bit.
 *
 *     struct sim_adapter adapter;
 *     sim_adapter_init(&adapter, &board, seed);
 *     sim_adapter_power(&adapter, true);
 *     wry_session_init(&session, &adapter.port, &config);
 */
#ifndef WRY_SIM_ADAPTER_H
#define WRY_SIM_ADAPTER_H

#include "line.h"
#include "sim_board.h"
#include "wrytograph/port.h"

#define SIM_INBOX_ROOM 65536u
#define SIM_INBOX_PACKET 62u /* bytes that the adapter delivers at once */

struct sim_inbox {
    uint8_t queue[SIM_INBOX_ROOM];
    size_t head, fill;      /* all bytes held */
    size_t ready;           /* bytes of these delivered to the host */
    uint64_t waiting_since; /* ns: arrival of the first byte not delivered yet */
    uint64_t latency;       /* ns before an incomplete packet is delivered */
};

struct sim_adapter {
    uint64_t now; /* ns */
    struct sim_board *board;
    struct sim_line to_board, to_host;
    struct sim_inbox inbox;
    uint64_t next_stray; /* ns of the next stray byte; UINT64_MAX = none */
    uint64_t random;
    bool unplugged;   /* the board's fault has unplugged it once */
    uint64_t back_at; /* ns: when it is plugged in again; 0 = it is */
    struct wry_port port;
};

/* board must outlive the adapter; its faults apply to the lines. The latency is 2 ms. */
void sim_adapter_init(struct sim_adapter *adapter, struct sim_board *board, uint64_t seed);

/* Switches the board off, gives it and its wires other faults, and switches it on. Faults that
 * count operations or bytes count from now on. */
void sim_adapter_take_faults(struct sim_adapter *adapter, const struct sim_board_faults *faults);

/* Turns the board on. */
void sim_adapter_power(struct sim_adapter *adapter, bool on);

/* Sets a jumper at the board that holds its boot strap, whatever the control lines do. */
void sim_adapter_hold_strap(struct sim_adapter *adapter, bool held);

/* Sends a break to the board. */
void sim_adapter_break(struct sim_adapter *adapter);

/* For a server in real time: bytes that the line accepts, and bytes that the adapter has
 * delivered. */
size_t sim_adapter_offer(struct sim_adapter *adapter, const uint8_t *bytes, size_t n);
size_t sim_adapter_take(struct sim_adapter *adapter, uint8_t *to, size_t room);

/* Runs until the given time (ns), or until the host has bytes to read. */
void sim_adapter_advance(struct sim_adapter *adapter, uint64_t until, bool stop_for_input);

#endif
