/* A simulated board. */
#include "sim_board.h"

#include <stdio.h>
#include <string.h>

#include "firmware.h"

#define NS_PER_US UINT64_C(1000)
#define NS_PER_MS UINT64_C(1000000)

#define BOOT_TIME (20 * NS_PER_MS)  /* ns from the release of reset to the first output */
#define STRAP_TIME (1 * NS_PER_MS)  /* and to the sampling of the strap */
#define IDLE_STEP (100 * NS_PER_US) /* ns between polls while the line is in use */
#define SLEEP_STEP (1 * NS_PER_MS)  /* and otherwise */
#define POLL_COST (2 * NS_PER_US)   /* cost of a poll with little to do */
#define CPU_HZ UINT64_C(160000000)
#define AIDED_CYCLES 4 /* per byte of an accelerator for SHA-256: 256 for a block */

#define CONSOLE_TIME (60 * NS_PER_MS) /* ns until a firmware switches to its own speed */
#define BROWN_OUT_AFTER 16384u        /* bytes hashed before the supply gives way */

/*
 * Processor cycles per byte for each kind of work, on a 32-bit core without special instructions:
 * instructions counted on RISC-V, compiled for size (boards/qemu-riscv/count.c), at one per cycle.
 */
uint64_t sim_board_cycles(enum wry_work work)
{
    switch (work) {
    case WRY_WORK_FRAME_IN:
        return 45;
    case WRY_WORK_FRAME_OUT:
        return 35;
    case WRY_WORK_DIGEST:
        return 80;
    case WRY_WORK_SCAN:
        return 3;
    case WRY_WORK_COMPARE:
        return 5;
    case WRY_WORK_UNPACK:
        return 130;
    case WRY_WORK_COPY:
        return 14;
    case WRY_WORK_LZMA:
        return 360;
    case WRY_WORK_FILTER:
        return 20;
    case WRY_WORK_ADD:
        return 12;
    case WRY_WORK_PACK:
        return 315;
    case WRY_WORK_PACK_QUICK:
        return 225;
    case WRY_WORK_PACK_RUN:
        return 76;
    case WRY_WORK_TURN:
        return 0;
    }
    return 0;
}

static size_t port_receive(void *context, uint8_t *to, size_t room)
{
    struct sim_board *board = context;
    size_t n = 0;

    while (n < room && board->received_fill > 0) {
        to[n++] = board->received[board->received_head];
        board->received_head = (board->received_head + 1) % SIM_UART_ROOM;
        board->received_fill--;
    }
    return n;
}

static size_t port_transmit(void *context, const uint8_t *from, size_t n)
{
    struct sim_board *board = context;

    return sim_line_put(board->output, from, n, board->clock);
}

static bool port_transmitted(void *context)
{
    struct sim_board *board = context;

    return board->output->fill == 0;
}

static void set_uart(struct sim_board *board, uint32_t baud)
{
    uint32_t real = baud + (uint32_t)((uint64_t)baud * board->faults.off_permille / 1000);

    board->output->sender_baud = real;
    board->input->receiver_baud = real;
}

static void port_set_speed(void *context, uint32_t baud)
{
    struct sim_board *board = context;
    bool other = baud == WRY_STARTING_SPEED && board->faults.loader_baud > 0;

    set_uart(board, other ? board->faults.loader_baud : baud);
}

static void port_spi(void *context, const struct wry_spi_transfer *transfer)
{
    struct sim_board *board = context;

    board->clock += sim_nor_die_transfer(&board->die, transfer, board->clock);
}

static uint32_t port_now(void *context)
{
    struct sim_board *board = context;

    return (uint32_t)(board->clock / NS_PER_US);
}

/* The accelerator: what it computes is the same. */
static void port_sha256(void *context, uint32_t state[8], const uint8_t *blocks, size_t count)
{
    struct wry_sha256 sha = {.length = 0};

    (void)context;
    memcpy(sha.state, state, sizeof sha.state);
    wry_sha256_add(&sha, blocks, count * 64);
    memcpy(state, sha.state, sizeof sha.state);
}

static void begin_boot(struct sim_board *board, uint64_t now);

/* Feeds the watchdog if it has not bitten by now. */
static void feed(struct sim_board *board)
{
    if (board->watchdog > 0 && board->clock > board->fed + board->watchdog &&
        board->state == SIM_BOARD_LOADING) {
        board->bitten++;
        begin_boot(board, board->clock);
    }
    board->fed = board->clock;
}

static void port_worked(void *context, enum wry_work work, uint32_t bytes)
{
    struct sim_board *board = context;

    feed(board);
    if (work == WRY_WORK_DIGEST)
        board->hashed += bytes;
    if (board->faults.brown_out && board->hashed > BROWN_OUT_AFTER &&
        board->state == SIM_BOARD_LOADING) {
        begin_boot(board, board->clock);
        board->browned_out = true;
    }
    bool aided = work == WRY_WORK_DIGEST && board->port.sha256;
    uint64_t cycles = aided ? AIDED_CYCLES : sim_board_cycles(work);
    board->clock += bytes * cycles * UINT64_C(1000000000) / CPU_HZ;
}

static void begin_boot(struct sim_board *board, uint64_t now)
{
    board->state = SIM_BOARD_BOOTING;
    board->strap_ignored = false;
    board->received_fill = 0;
    board->hashed = 0;
    board->browned_out = false;
    board->sounder.state = SIM_SOUNDER_APART;
    board->bridged = false;
    board->script_length = board->script_sent = 0;
    sim_line_clear(board->output);
    board->boot_due = now + BOOT_TIME;
    board->strap_held = false;
    board->next_poll = now + STRAP_TIME;
}

static void port_restart(void *context)
{
    struct sim_board *board = context;

    board->boot_line = false;
    begin_boot(board, board->clock);
    /* A restart into the firmware ignores the strap. */
    board->strap_ignored = true;
}

/* Free RAM of a chip in loading mode, in bytes. */
static uint32_t memory_of(uint16_t chip_code)
{
    switch (chip_code) {
    case WRY_CHIP_SANDERLING_S1:
        return 48 * 1024;
    case WRY_CHIP_DUNLIN_D3:
        return 256 * 1024;
    default:
        return 192 * 1024;
    }
}

void sim_board_init(struct sim_board *board, const struct wry_chip *chip,
                    const struct wry_board_identity *identity, uint8_t *cells, uint32_t size,
                    uint64_t seed)
{
    memset(board, 0, sizeof *board);
    board->chip = chip;
    board->memory_size = memory_of(identity->chip_code);
    board->identity = *identity;
    board->identity.usual_protection = true;
    board->identity.flash_lines = chip->read_lines_most;
    board->identity.flash_mhz = chip->read_clock_most;
    board->identity.quad_program = 0x32;
    sim_nor_die_init(&board->die, cells, size, seed);
    board->die.fast_hz = chip->read_clock_most * UINT32_C(1000000);
    board->port = (struct wry_board_port){
        .context = board,
        .receive = port_receive,
        .transmit = port_transmit,
        .transmitted = port_transmitted,
        .set_speed = port_set_speed,
        .spi = port_spi,
        .now = port_now,
        .restart = port_restart,
        .worked = port_worked,
        .sha256 = identity->chip_code == WRY_CHIP_DUNLIN_D3 ? port_sha256 : NULL,
    };
    board->state = SIM_BOARD_OFF;
    board->next_poll = UINT64_MAX;
}

/* Sets up a flash with large erase units only. */
static void set_erase_least(struct sim_nor_part *part, uint32_t bytes)
{
    part->lacks_4k = part->lacks_32k = bytes > 0x1000;
    part->large_log2 = 0;
    while (part->lacks_4k && UINT32_C(1) << part->large_log2 < bytes)
        part->large_log2++;
}

void sim_board_set_faults(struct sim_board *board, const struct sim_board_faults *faults)
{
    uint32_t claims = faults->claims > 0 ? faults->claims : board->die.size;

    board->faults = *faults;
    board->sounder.faults = faults->sounder;
    board->die.status = faults->protect;
    board->die.cut_at_operation = faults->power_cut;
    set_erase_least(&board->die.part, faults->erase_least);
    board->die.jedec[2] = 0;
    while (UINT32_C(1) << board->die.jedec[2] < claims)
        board->die.jedec[2]++;
    board->die.told = board->die.jedec[2];
}

void sim_board_power(struct sim_board *board, bool on, uint64_t now)
{
    board->clock = now;
    if (!on) {
        sim_nor_die_cut(&board->die, now);
        sim_line_clear(board->output);
        board->state = SIM_BOARD_OFF;
        board->next_poll = UINT64_MAX;
    } else if (board->state == SIM_BOARD_OFF && !board->faults.unpowered) {
        sim_nor_die_keep_busy(&board->die, now + board->faults.busy_ms * NS_PER_MS);
        begin_boot(board, now);
    }
}

void sim_board_lines(struct sim_board *board, bool reset, bool boot, uint64_t now)
{
    board->boot_line = boot;
    if (board->state == SIM_BOARD_OFF)
        return;
    if (reset) {
        sim_line_clear(board->output);
        board->state = SIM_BOARD_HELD;
        board->release_due = 0;
        board->next_poll = UINT64_MAX;
    } else if (board->state == SIM_BOARD_HELD && board->reset_rise > 0) {
        if (board->release_due == 0)
            board->release_due = board->next_poll = now + board->reset_rise;
    } else if (board->state == SIM_BOARD_HELD) {
        begin_boot(board, now);
    }
}

static void say(struct sim_board *board, const char *text)
{
    board->script_length = (size_t)snprintf(board->script, sizeof board->script, "%s", text);
    board->script_sent = 0;
}

void sim_board_break(struct sim_board *board, uint64_t now)
{
    board->clock = now;
    if (board->state == SIM_BOARD_RUNNING && !board->greets &&
        board->script_sent == board->script_length)
        say(board, board->sounder.state == SIM_SOUNDER_APART ? "break: console is free\r\n"
                                                             : "bridge closed\r\n");
    board->sounder.state = SIM_SOUNDER_APART;
    board->bridged = false;
    board->line_length = 0;
    if (board->next_poll > now)
        board->next_poll = now;
}

void sim_board_receive(struct sim_board *board, uint8_t byte)
{
    if (board->state != SIM_BOARD_LOADING && board->state != SIM_BOARD_RUNNING)
        return;
    if (board->received_fill == SIM_UART_ROOM) {
        board->overruns++;
        return;
    }
    board->received[(board->received_head + board->received_fill) % SIM_UART_ROOM] = byte;
    board->received_fill++;
    if (board->received_fill > board->received_most)
        board->received_most = board->received_fill;
}

static struct sim_firmware firmware_of(struct sim_board *board)
{
    return (struct sim_firmware){.chip = board->chip,
                                 .identity = &board->identity,
                                 .die = &board->die,
                                 .browned_out = board->browned_out,
                                 .sounder = &board->sounder};
}

static void sample_strap(struct sim_board *board)
{
    board->strap_held = board->faults.strap_stuck || ((board->boot_line || board->strap_jumper) &&
                                                      !board->faults.strap_released);
    board->next_poll = board->boot_due;
    board->boot_due = 0;
}

/* The ROM has sampled the strap: enters loading mode, or runs what is in flash. */
static void leave_rom(struct sim_board *board)
{
    bool held = board->strap_held;
    const char *says = board->chip->says_loading;
    struct sim_firmware firmware = firmware_of(board);

    sim_nor_die_settle(&board->die, board->clock);
    if (held && (!board->strap_ignored || board->faults.strap_stuck)) {
        set_uart(board, board->chip->boot_speed);
        board->script_length =
            (size_t)snprintf(board->script, sizeof board->script,
                             "%s revision %u, boot ROM 1\r\n%s%s", board->chip->title,
                             board->identity.chip_revision, says ? says : "", says ? "\r\n" : "");
        board->state = SIM_BOARD_LOADING;
        return;
    }
    set_uart(board, board->chip->boot_speed);
    bool runs = sim_firmware_boot(&firmware, board->script, sizeof board->script);
    board->script_length = strlen(board->script);
    board->state = runs ? SIM_BOARD_RUNNING : SIM_BOARD_STUCK;
    board->greets = runs;
    board->greeting_due = 0;
    board->line_length = 0;
    board->reports = 0;
    board->next_report = board->clock + 1000 * NS_PER_MS;
}

/* Prints pending text; true while there is more. */
static bool print_script(struct sim_board *board)
{
    const uint8_t *text = (const uint8_t *)board->script;

    if (board->script_sent < board->script_length) {
        board->script_sent += sim_line_put(board->output, text + board->script_sent,
                                           board->script_length - board->script_sent, board->clock);
        return true;
    }
    return board->script_length > 0 && board->output->fill > 0;
}

static uint32_t console_speed(const struct sim_board *board)
{
    return board->faults.console_baud > 0 ? board->faults.console_baud : board->chip->run_speed;
}

/* The ROM has finished: a firmware with its own speed takes a while to start. */
static void greet(struct sim_board *board)
{
    struct sim_firmware firmware = firmware_of(board);
    bool same_speed = console_speed(board) == board->chip->boot_speed;

    if (board->greeting_due == 0)
        board->greeting_due = board->clock + (same_speed ? 0 : CONSOLE_TIME);
    if (board->clock < board->greeting_due)
        return;
    set_uart(board, console_speed(board));
    sim_firmware_greet(&firmware, board->script, sizeof board->script);
    board->script_length = strlen(board->script);
    board->script_sent = 0;
    board->greets = false;
    board->received_fill = 0;
}

/* True if the byte completes a line; its line end is removed. */
static bool ends_line(struct sim_board *board, uint8_t byte)
{
    bool after_cr = board->line_length > 0 && board->line[board->line_length - 1] == '\r';

    switch (board->faults.line_end) {
    case SIM_LINE_END_LF:
        return byte == '\n';
    case SIM_LINE_END_CR:
        return byte == '\r';
    default:
        if (byte != '\n' || !after_cr)
            return false;
        board->line_length--;
        return true;
    }
}

/* Lines with control characters are not commands and get no answer. */
static bool is_plain(const char *line)
{
    while (*line >= 0x20)
        line++;
    return *line == '\0';
}

/* The firmware accepts only lines with its own line end. */
static void hear_line(struct sim_board *board)
{
    struct sim_firmware firmware = firmware_of(board);
    char answer[SIM_SCRIPT_ROOM];

    while (board->received_fill > 0 && board->script_sent == board->script_length) {
        uint8_t byte = 0;
        port_receive(board, &byte, 1);
        if (board->faults.console_echo)
            port_transmit(board, &byte, 1);
        if (ends_line(board, byte)) {
            board->line[board->line_length] = '\0';
            board->line_length = 0;
            if (!is_plain(board->line))
                continue;
            sim_firmware_answer(&firmware, board->line, answer, sizeof answer);
            say(board, answer);
        } else if (byte == '\n' && board->line_length == 0) {
            continue; /* the rest of a line end that was complete before */
        } else if (board->line_length < sizeof board->line - 1) {
            board->line[board->line_length++] = (char)byte;
        } else {
            board->line_length = 0;
        }
    }
}

/* Passes bytes between the console and the echo sounder, until that runs its program. */
static void poll_bridge(struct sim_board *board)
{
    uint64_t now = board->clock / NS_PER_US;
    uint8_t byte = 0;

    while (board->received_fill > 0) {
        port_receive(board, &byte, 1);
        sim_sounder_input(&board->sounder, byte, now);
    }
    board->script_length =
        sim_sounder_output(&board->sounder, (uint8_t *)board->script, sizeof board->script, now);
    board->script_sent = 0;
    board->bridged = board->script_length > 0 || board->sounder.state != SIM_SOUNDER_APART;
    if (!board->bridged)
        say(board, "bridge closed\r\n");
    board->next_poll = board->clock + IDLE_STEP;
}

static void poll_running(struct sim_board *board)
{
    char report[64];

    if (print_script(board))
        return;
    if (board->greets) {
        greet(board);
        return;
    }
    if (board->bridged || board->sounder.state != SIM_SOUNDER_APART) {
        poll_bridge(board);
        return;
    }
    hear_line(board);
    /* Reports wait while a line is being typed. */
    if (board->clock >= board->next_report && board->line_length == 0 &&
        board->script_sent == board->script_length) {
        sim_firmware_report(board->reports++, report, sizeof report);
        say(board, report);
        board->next_report = board->clock + 1000 * NS_PER_MS;
    }
}

/* The ROM's text is sent first; then the loader listens. */
static void poll_loading(struct sim_board *board)
{
    if (board->script_length > 0) {
        if (print_script(board))
            return;
        board->script_length = board->script_sent = 0;
        board->received_fill = 0;
        wry_loader_init(&board->loader, &board->port, &board->identity, board->memory,
                        board->memory_size);
        board->fed = board->clock;
    }
    uint64_t before = board->clock;
    uint32_t rest = wry_loader_poll(&board->loader);
    bool idle = rest > 0;
    if (board->state != SIM_BOARD_LOADING)
        return;
    if (board->sleeps) {
        board->next_poll = board->clock + (idle ? rest * NS_PER_US : POLL_COST);
        return;
    }
    bool line_in_use = board->output->fill > 0 || board->input->fill > 0;
    uint64_t step = !idle ? POLL_COST : line_in_use ? IDLE_STEP : SLEEP_STEP;
    board->next_poll = board->clock + step;
    bool flash_busy = board->die.pending_length > 0 && board->die.busy_until > before;
    if (idle && flash_busy && board->die.busy_until < board->next_poll)
        board->next_poll = board->die.busy_until;
}

void sim_board_poll(struct sim_board *board, uint64_t now)
{
    if (board->die.cut_due > 0 && now >= board->die.cut_due) {
        sim_board_power(board, false, board->die.cut_due);
        board->die.cut_due = 0;
        return;
    }
    board->clock = now;
    board->next_poll = now + SLEEP_STEP;
    switch (board->state) {
    case SIM_BOARD_BOOTING:
        if (board->boot_due > 0)
            sample_strap(board);
        else
            leave_rom(board);
        break;
    case SIM_BOARD_LOADING:
        poll_loading(board);
        break;
    case SIM_BOARD_RUNNING:
        poll_running(board);
        break;
    case SIM_BOARD_STUCK:
        board->received_fill = 0;
        print_script(board);
        break;
    case SIM_BOARD_HELD:
        if (board->release_due > 0 && now >= board->release_due) {
            board->release_due = 0;
            begin_boot(board, now);
            break;
        }
        board->next_poll = board->release_due > 0 ? board->release_due : UINT64_MAX;
        break;
    case SIM_BOARD_OFF:
        board->next_poll = UINT64_MAX;
        break;
    }
    if (board->die.cut_due > 0 && board->die.cut_due < board->next_poll)
        board->next_poll = board->die.cut_due;
}
