/* A simulated adapter with its board, in virtual time. */
#include "adapter.h"

#include <string.h>

#include "random.h"

#define NS_PER_US UINT64_C(1000)
#define NS_PER_MS UINT64_C(1000000)
#define HOST_BUFFER 4096u /* bytes that the host's system buffers before a write waits */
#define UART_BUFFER 256u
#define AWAY_TIME (3000 * NS_PER_MS)
#define REACTION (50 * NS_PER_US) /* ns until a sleeping board reacts to the line */

static void to_board(void *receiver, uint8_t byte, uint64_t at)
{
    struct sim_board *board = receiver;

    sim_board_receive(board, byte);
    /* While awake it reacts when its work is done. */
    uint64_t awake = board->clock > at ? board->clock : at;
    if (board->sleeps && board->state == SIM_BOARD_LOADING && board->next_poll > awake)
        board->next_poll = awake;
}

static void to_inbox(void *receiver, uint8_t byte, uint64_t at)
{
    struct sim_inbox *inbox = receiver;

    if (inbox->fill == SIM_INBOX_ROOM)
        return;
    if (inbox->fill == inbox->ready)
        inbox->waiting_since = at;
    inbox->queue[(inbox->head + inbox->fill) % SIM_INBOX_ROOM] = byte;
    inbox->fill++;
    if (inbox->fill - inbox->ready >= SIM_INBOX_PACKET)
        inbox->ready = inbox->fill;
}

/* Echo: the adapter's own bytes come back. */
static void to_itself(void *receiver, uint8_t byte, uint64_t at)
{
    to_inbox(receiver, byte, at);
}

static bool inbox_waits(const struct sim_inbox *inbox)
{
    return inbox->fill > inbox->ready;
}

static void hand_over(struct sim_inbox *inbox, uint64_t now)
{
    if (inbox_waits(inbox) && now >= inbox->waiting_since + inbox->latency)
        inbox->ready = inbox->fill;
}

static uint64_t next_event(const struct sim_adapter *adapter, uint64_t until)
{
    const struct sim_inbox *inbox = &adapter->inbox;
    uint64_t next = until;

    /* Boards that do not sleep are polled often enough. */
    if (adapter->board->sleeps && adapter->to_board.fill > 0 && adapter->to_board.head_due < next)
        next = adapter->to_board.head_due;
    if (adapter->board->sleeps && adapter->to_host.fill > 0 && adapter->to_host.head_due < next)
        next = adapter->to_host.head_due;
    if (adapter->board->next_poll < next)
        next = adapter->board->next_poll;
    if (inbox_waits(inbox) && inbox->waiting_since + inbox->latency < next)
        next = inbox->waiting_since + inbox->latency;
    if (adapter->next_stray < next)
        next = adapter->next_stray;
    return next > adapter->now ? next : adapter->now;
}

/* A line held low reads as zeros; without ground it reads as anything. */
static void stray_byte(struct sim_adapter *adapter)
{
    const struct sim_board_faults *faults = &adapter->board->faults;

    if (adapter->now < adapter->next_stray)
        return;
    uint8_t byte = faults->no_ground ? (uint8_t)(sim_random(&adapter->random) | 0x80) : 0;
    to_inbox(&adapter->inbox, byte, adapter->now);
    adapter->next_stray =
        adapter->now + (faults->no_ground ? 1 + sim_random(&adapter->random) % 8 : 50) * NS_PER_MS;
}

static void pull_cable(struct sim_adapter *adapter)
{
    uint64_t at = adapter->board->faults.cable_cut;

    if (at > 0 && adapter->to_board.sent >= at)
        adapter->to_board.cut = adapter->to_host.cut = true;
}

void sim_adapter_advance(struct sim_adapter *adapter, uint64_t until, bool stop_for_input)
{
    for (;;) {
        if (stop_for_input && adapter->inbox.ready > 0)
            return;
        adapter->now = next_event(adapter, until);
        sim_line_advance(&adapter->to_board, adapter->now);
        sim_line_advance(&adapter->to_host, adapter->now);
        pull_cable(adapter);
        stray_byte(adapter);
        hand_over(&adapter->inbox, adapter->now);
        if (adapter->board->next_poll <= adapter->now)
            sim_board_poll(adapter->board, adapter->now);
        else if (adapter->now >= until)
            return;
    }
}

static void wake_board(struct sim_adapter *adapter)
{
    struct sim_board *board = adapter->board;

    if (board->next_poll != UINT64_MAX && board->state != SIM_BOARD_BOOTING &&
        board->next_poll > adapter->now + REACTION)
        board->next_poll = adapter->now + REACTION;
}

size_t sim_adapter_offer(struct sim_adapter *adapter, const uint8_t *bytes, size_t n)
{
    size_t taken = sim_line_put(&adapter->to_board, bytes, n, adapter->now);

    if (taken > 0)
        wake_board(adapter);
    return taken;
}

size_t sim_adapter_take(struct sim_adapter *adapter, uint8_t *to, size_t room)
{
    struct sim_inbox *inbox = &adapter->inbox;
    size_t n = 0;

    for (; n < room && inbox->ready > 0; n++) {
        to[n] = inbox->queue[inbox->head];
        inbox->head = (inbox->head + 1) % SIM_INBOX_ROOM;
        inbox->fill--;
        inbox->ready--;
    }
    return n;
}

/* While it is unplugged, calls fail and nothing drives the lines. */
static bool is_away(struct sim_adapter *adapter)
{
    uint64_t at = adapter->board->faults.unplugged;

    if (at > 0 && !adapter->unplugged && adapter->to_board.sent >= at) {
        adapter->unplugged = true;
        adapter->back_at = adapter->now + AWAY_TIME;
        sim_line_clear(&adapter->to_board);
        adapter->inbox.head = adapter->inbox.fill = adapter->inbox.ready = 0;
    }
    return adapter->back_at > 0;
}

static enum wry_status port_reopen(void *context)
{
    struct sim_adapter *adapter = context;

    if (adapter->now < adapter->back_at)
        return WRY_LINK_LOST;
    adapter->back_at = 0;
    return WRY_OK;
}

static enum wry_status port_write(void *context, const uint8_t *bytes, size_t n)
{
    struct sim_adapter *adapter = context;

    for (;;) {
        if (is_away(adapter))
            return WRY_LINK_LOST;
        size_t taken = sim_adapter_offer(adapter, bytes, n);
        bytes += taken;
        n -= taken;
        if (n == 0)
            return WRY_OK;
        sim_adapter_advance(adapter, adapter->to_board.head_due, false);
    }
}

static enum wry_status port_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct sim_adapter *adapter = context;
    uint64_t until = deadline * NS_PER_US;

    *got = 0;
    if (is_away(adapter))
        return WRY_LINK_LOST;
    sim_adapter_advance(adapter, until > adapter->now ? until : adapter->now, true);
    *got = sim_adapter_take(adapter, bytes, room);
    return WRY_OK;
}

static enum wry_status port_set_speed(void *context, uint32_t baud)
{
    struct sim_adapter *adapter = context;

    while (adapter->to_board.fill > 0)
        sim_adapter_advance(adapter, adapter->to_board.head_due, false);
    if (is_away(adapter))
        return WRY_LINK_LOST;
    adapter->to_board.sender_baud = baud;
    adapter->to_host.receiver_baud = baud;
    return WRY_OK;
}

static enum wry_status port_set_lines(void *context, bool reset, bool boot)
{
    struct sim_adapter *adapter = context;

    if (is_away(adapter))
        return WRY_LINK_LOST;
    sim_board_lines(adapter->board, reset, boot, adapter->now);
    return WRY_OK;
}

static enum wry_status port_send_break(void *context)
{
    struct sim_adapter *adapter = context;

    while (adapter->to_board.fill > 0)
        sim_adapter_advance(adapter, adapter->to_board.head_due, false);
    sim_adapter_break(adapter);
    return WRY_OK;
}

static enum wry_status port_discard(void *context)
{
    struct sim_adapter *adapter = context;

    adapter->inbox.head = adapter->inbox.fill = adapter->inbox.ready = 0;
    return WRY_OK;
}

static uint64_t port_now(void *context)
{
    struct sim_adapter *adapter = context;

    return adapter->now / NS_PER_US;
}

static void port_sleep(void *context, uint64_t until)
{
    struct sim_adapter *adapter = context;

    if (until * NS_PER_US > adapter->now)
        sim_adapter_advance(adapter, until * NS_PER_US, false);
}

static void apply_faults(struct sim_line *line, const struct sim_board_faults *faults)
{
    line->noise_ppb = faults->noise_ppb;
    line->noise_above = faults->noise_above;
    line->lost_ppb = faults->lost_ppb;
    line->clean_baud = faults->no_ground ? 1 : faults->clean_baud;
    line->cut = faults->swapped || faults->unpowered;
}

static void narrow(struct sim_line *line, uint32_t clean_baud)
{
    if (clean_baud > 0 && (line->clean_baud == 0 || clean_baud < line->clean_baud))
        line->clean_baud = clean_baud;
}

/* The board's faults that are faults of its wires and of the adapter. */
static void wire(struct sim_adapter *adapter)
{
    const struct sim_board *board = adapter->board;

    apply_faults(&adapter->to_board, &board->faults);
    apply_faults(&adapter->to_host, &board->faults);
    narrow(&adapter->to_board, board->faults.clean_in);
    narrow(&adapter->to_host, board->faults.clean_out);
    adapter->to_board.cut = adapter->to_board.cut || board->faults.tx_open;
    adapter->to_host.cut = adapter->to_host.cut || board->faults.rx_open;
    adapter->to_host.cut = adapter->to_host.cut || board->faults.echo;
    adapter->to_board.looped = board->faults.echo;
    adapter->to_board.deliver = board->faults.echo ? to_itself : to_board;
    adapter->to_board.receiver = board->faults.echo ? (void *)&adapter->inbox : adapter->board;
    adapter->next_stray = board->faults.no_ground || board->faults.unpowered
                              ? adapter->now + 10 * NS_PER_MS
                              : UINT64_MAX;
    adapter->inbox.latency =
        (board->faults.latency_ms > 0 ? board->faults.latency_ms : 2) * NS_PER_MS;
}

void sim_adapter_take_faults(struct sim_adapter *adapter, const struct sim_board_faults *faults)
{
    sim_adapter_power(adapter, false);
    sim_board_set_faults(adapter->board, faults);
    adapter->board->die.operations = 0;
    adapter->to_board.sent = 0;
    adapter->unplugged = false;
    wire(adapter);
    sim_adapter_power(adapter, true);
}

void sim_adapter_init(struct sim_adapter *adapter, struct sim_board *board, uint64_t seed)
{
    memset(adapter, 0, sizeof *adapter);
    adapter->board = board;
    sim_line_init(&adapter->to_board, HOST_BUFFER, seed, to_board, board);
    sim_line_init(&adapter->to_host, UART_BUFFER, ~seed, to_inbox, &adapter->inbox);
    wire(adapter);
    adapter->random = seed;
    board->input = &adapter->to_board;
    board->output = &adapter->to_host;
    adapter->port = (struct wry_port){
        .context = adapter,
        .write = port_write,
        .read = port_read,
        .set_speed = port_set_speed,
        .set_lines = port_set_lines,
        .discard = port_discard,
        .send_break = port_send_break,
        .reopen = port_reopen,
        .now = port_now,
        .sleep = port_sleep,
        .top_speed = 3000000,
    };
}

void sim_adapter_power(struct sim_adapter *adapter, bool on)
{
    sim_board_power(adapter->board, on, adapter->now);
}

void sim_adapter_break(struct sim_adapter *adapter)
{
    if (!adapter->to_board.cut)
        sim_board_break(adapter->board, adapter->now);
}

void sim_adapter_hold_strap(struct sim_adapter *adapter, bool held)
{
    adapter->board->strap_jumper = held;
}
