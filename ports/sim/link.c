/* A simulated link in virtual time. */
#include "link.h"

#include <string.h>

#include "random.h"

#define NS_PER_US UINT64_C(1000)
#define NS_PER_MS UINT64_C(1000000)
#define HOST_BUFFER 4096u /* bytes that the host's system takes before a write waits */
#define UART_BUFFER 256u
#define REACTION (50 * NS_PER_US) /* until a sleeping board notices the line */

static void to_board(void *receiver, uint8_t byte, uint64_t at)
{
    (void)at;
    sim_board_receive(receiver, byte);
}

static void to_adapter(void *receiver, uint8_t byte, uint64_t at)
{
    struct sim_adapter *adapter = receiver;

    if (adapter->fill == SIM_ADAPTER_ROOM)
        return;
    if (adapter->fill == adapter->ready)
        adapter->waiting_since = at;
    adapter->queue[(adapter->head + adapter->fill) % SIM_ADAPTER_ROOM] = byte;
    adapter->fill++;
    if (adapter->fill - adapter->ready >= SIM_ADAPTER_PACKET)
        adapter->ready = adapter->fill;
}

/* The adapter's own bytes come straight back. */
static void to_itself(void *receiver, uint8_t byte, uint64_t at)
{
    to_adapter(receiver, byte, at);
}

static bool adapter_waits(const struct sim_adapter *adapter)
{
    return adapter->fill > adapter->ready;
}

static void hand_over(struct sim_adapter *adapter, uint64_t now)
{
    if (adapter_waits(adapter) && now >= adapter->waiting_since + adapter->latency)
        adapter->ready = adapter->fill;
}

static uint64_t next_event(const struct sim_link *link, uint64_t until)
{
    const struct sim_adapter *adapter = &link->adapter;
    uint64_t next = until;

    if (link->board->next_poll < next)
        next = link->board->next_poll;
    if (adapter_waits(adapter) && adapter->waiting_since + adapter->latency < next)
        next = adapter->waiting_since + adapter->latency;
    if (link->next_stray < next)
        next = link->next_stray;
    return next > link->now ? next : link->now;
}

/* A line held low reads as zeros; one without ground as anything. */
static void stray_byte(struct sim_link *link)
{
    const struct sim_board_faults *faults = &link->board->faults;

    if (link->now < link->next_stray)
        return;
    uint8_t byte = faults->no_ground ? (uint8_t)(sim_random(&link->random) | 0x80) : 0;
    to_adapter(&link->adapter, byte, link->now);
    link->next_stray =
        link->now + (faults->no_ground ? 1 + sim_random(&link->random) % 8 : 50) * NS_PER_MS;
}

static void pull_cable(struct sim_link *link)
{
    uint64_t at = link->board->faults.cable_cut;

    if (at > 0 && link->to_board.sent >= at)
        link->to_board.cut = link->to_host.cut = true;
}

void sim_link_advance(struct sim_link *link, uint64_t until, bool stop_for_input)
{
    for (;;) {
        if (stop_for_input && link->adapter.ready > 0)
            return;
        link->now = next_event(link, until);
        sim_line_advance(&link->to_board, link->now);
        sim_line_advance(&link->to_host, link->now);
        pull_cable(link);
        stray_byte(link);
        hand_over(&link->adapter, link->now);
        if (link->board->next_poll <= link->now)
            sim_board_poll(link->board, link->now);
        else if (link->now >= until)
            return;
    }
}

static void wake_board(struct sim_link *link)
{
    struct sim_board *board = link->board;

    if (board->next_poll != UINT64_MAX && board->state != SIM_BOARD_BOOTING &&
        board->next_poll > link->now + REACTION)
        board->next_poll = link->now + REACTION;
}

size_t sim_link_offer(struct sim_link *link, const uint8_t *bytes, size_t n)
{
    size_t taken = sim_line_put(&link->to_board, bytes, n, link->now);

    if (taken > 0)
        wake_board(link);
    return taken;
}

size_t sim_link_take(struct sim_link *link, uint8_t *to, size_t room)
{
    struct sim_adapter *adapter = &link->adapter;
    size_t n = 0;

    for (; n < room && adapter->ready > 0; n++) {
        to[n] = adapter->queue[adapter->head];
        adapter->head = (adapter->head + 1) % SIM_ADAPTER_ROOM;
        adapter->fill--;
        adapter->ready--;
    }
    return n;
}

static enum wry_status port_write(void *context, const uint8_t *bytes, size_t n)
{
    struct sim_link *link = context;

    for (;;) {
        size_t taken = sim_link_offer(link, bytes, n);
        bytes += taken;
        n -= taken;
        if (n == 0)
            return WRY_OK;
        sim_link_advance(link, link->to_board.head_due, false);
    }
}

static enum wry_status port_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct sim_link *link = context;
    uint64_t until = deadline * NS_PER_US;

    sim_link_advance(link, until > link->now ? until : link->now, true);
    *got = sim_link_take(link, bytes, room);
    return WRY_OK;
}

static enum wry_status port_set_speed(void *context, uint32_t baud)
{
    struct sim_link *link = context;

    while (link->to_board.fill > 0)
        sim_link_advance(link, link->to_board.head_due, false);
    link->to_board.sender_baud = baud;
    link->to_host.receiver_baud = baud;
    return WRY_OK;
}

static enum wry_status port_set_lines(void *context, bool reset, bool boot)
{
    struct sim_link *link = context;

    sim_board_lines(link->board, reset, boot, link->now);
    return WRY_OK;
}

static enum wry_status port_discard(void *context)
{
    struct sim_link *link = context;

    link->adapter.head = link->adapter.fill = link->adapter.ready = 0;
    return WRY_OK;
}

static uint64_t port_now(void *context)
{
    struct sim_link *link = context;

    return link->now / NS_PER_US;
}

static void port_sleep(void *context, uint64_t until)
{
    struct sim_link *link = context;

    if (until * NS_PER_US > link->now)
        sim_link_advance(link, until * NS_PER_US, false);
}

static void apply_faults(struct sim_line *line, const struct sim_board_faults *faults)
{
    line->noise_ppb = faults->noise_ppb;
    line->noise_above = faults->noise_above;
    line->lost_ppb = faults->lost_ppb;
    line->clean_baud = faults->no_ground ? 1 : faults->clean_baud;
    line->cut = faults->swapped || faults->unpowered;
}

void sim_link_init(struct sim_link *link, struct sim_board *board, uint64_t seed)
{
    memset(link, 0, sizeof *link);
    link->board = board;
    sim_line_init(&link->to_board, HOST_BUFFER, seed, to_board, board);
    sim_line_init(&link->to_host, UART_BUFFER, ~seed, to_adapter, &link->adapter);
    apply_faults(&link->to_board, &board->faults);
    apply_faults(&link->to_host, &board->faults);
    if (board->faults.echo) {
        link->to_board.deliver = to_itself;
        link->to_board.receiver = &link->adapter;
        link->to_board.looped = true;
        link->to_host.cut = true;
    }
    link->random = seed;
    link->next_stray =
        board->faults.no_ground || board->faults.unpowered ? 10 * NS_PER_MS : UINT64_MAX;
    board->input = &link->to_board;
    board->output = &link->to_host;
    link->adapter.latency =
        (board->faults.latency_ms > 0 ? board->faults.latency_ms : 2) * NS_PER_MS;
    link->port = (struct wry_port){
        .context = link,
        .write = port_write,
        .read = port_read,
        .set_speed = port_set_speed,
        .set_lines = port_set_lines,
        .discard = port_discard,
        .now = port_now,
        .sleep = port_sleep,
        .top_speed = 3000000,
    };
}

void sim_link_power(struct sim_link *link, bool on)
{
    sim_board_power(link->board, on, link->now);
}

void sim_link_hold_strap(struct sim_link *link, bool held)
{
    link->board->strap_jumper = held;
}
