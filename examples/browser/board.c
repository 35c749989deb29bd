/*
 * The library behind a web page: one session, on a serial port of the page's or on a simulated
 * board. Functions that the page calls are exported, functions of the page are imported; those that
 * wait (asyncify in build) let the page go on meanwhile.
 */
#include <string.h>

#include "sim/adapter.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/layout.h"
#include "wrytograph/region_table.h"
#include "wrytograph/session.h"
#include "wrytograph/version.h"

#define EXPORT(name) __attribute__((export_name(#name)))
#define IMPORT(name) __attribute__((import_module("page"), import_name(#name)))

enum {
    PLACES_MOST = 32,
    SIMULATED_FLASH = 0x400000,
    STACK_KEPT = 0x10000, /* bytes of the stack of calls that wait */
};

/* The page. Times in us. */
IMPORT(write) int page_write(const uint8_t *bytes, uint32_t n);
IMPORT(read) int page_read(uint8_t *bytes, uint32_t room, double time);
IMPORT(set_speed) int page_set_speed(uint32_t baud);
IMPORT(set_lines) int page_set_lines(int reset, int boot);
IMPORT(send_break) int page_send_break(void);
IMPORT(sleep) int page_sleep(double time);
IMPORT(now) double page_now(void);
IMPORT(progress)
int page_progress(uint32_t step, double done, double total, double expected, uint32_t speed,
                  int lost);

static struct wry_session session;
static struct wry_port serial;
static const struct wry_port *port;
static uint8_t read_memory[WRY_SESSION_READ_MEMORY] __attribute__((aligned(16)));
static struct {
    uint32_t begin, end;
    uint8_t bytes[STACK_KEPT];
} kept_stack;

static struct sim_adapter adapter;
static struct sim_board board;
static uint8_t cells[SIMULATED_FLASH];

static struct wry_region_table layout;
static struct wry_boot_header header;
static struct wry_placement placements[PLACES_MOST];
static size_t placement_count;
static struct wry_plan plan;
static struct wry_fault plan_fault;

EXPORT(kept_stack) void *export_kept_stack(void)
{
    kept_stack.begin = (uint32_t)(uintptr_t)kept_stack.bytes;
    kept_stack.end = kept_stack.begin + STACK_KEPT;
    return &kept_stack;
}

EXPORT(version) const char *export_version(void)
{
    return wry_version();
}

/* The page's port. A negative answer: the device is gone. */

static enum wry_status status_of(int answer)
{
    return answer < 0 ? WRY_LINK_LOST : answer == 0 ? WRY_OK : WRY_UNSUPPORTED;
}

static enum wry_status serial_write(void *context, const uint8_t *bytes, size_t n)
{
    (void)context;
    return status_of(page_write(bytes, (uint32_t)n));
}

static enum wry_status serial_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                   size_t *got)
{
    double now = page_now(), time = (double)deadline - now;
    int n = page_read(bytes, (uint32_t)room, time > 0 ? time : 0);

    (void)context;
    *got = n > 0 ? (size_t)n : 0;
    return n < 0 ? WRY_LINK_LOST : WRY_OK;
}

static enum wry_status serial_set_speed(void *context, uint32_t baud)
{
    (void)context;
    return status_of(page_set_speed(baud));
}

static enum wry_status serial_set_lines(void *context, bool reset, bool boot)
{
    (void)context;
    return status_of(page_set_lines(reset, boot));
}

static enum wry_status serial_send_break(void *context)
{
    (void)context;
    return status_of(page_send_break());
}

static enum wry_status serial_discard(void *context)
{
    uint8_t bytes[256];
    size_t got = 1;
    enum wry_status status = WRY_OK;

    while (status == WRY_OK && got > 0)
        status = serial_read(context, bytes, sizeof bytes, 0, &got);
    return status;
}

static uint64_t serial_now(void *context)
{
    (void)context;
    return (uint64_t)page_now();
}

static void serial_sleep(void *context, uint64_t until)
{
    double time = (double)until - page_now();

    (void)context;
    if (time > 0)
        page_sleep(time);
}

EXPORT(use_serial) void export_use_serial(uint32_t top_speed)
{
    serial = (struct wry_port){.write = serial_write,
                               .read = serial_read,
                               .set_speed = serial_set_speed,
                               .set_lines = serial_set_lines,
                               .send_break = serial_send_break,
                               .discard = serial_discard,
                               .now = serial_now,
                               .sleep = serial_sleep,
                               .top_speed = top_speed};
    port = &serial;
}

/* The simulated board: 4 MiB of flash at cells, which the page fills before it is switched on. */

EXPORT(cells) uint8_t *export_cells(void)
{
    return cells;
}

/* noise: bit errors per 10^9 bits; cut: the cable is pulled after so many bytes, 0 = never. */
EXPORT(use_simulated)
void export_use_simulated(uint16_t chip_code, uint32_t noise, uint32_t cut, bool strap_released)
{
    const struct wry_chip *chip = wry_chip_by_code(chip_code);
    struct wry_board_identity identity = {.chip_code = chip_code,
                                          .chip_revision = 1,
                                          .eui48 = {0x02, 0x57, 0x50, 0x41, 0x47, 0x45},
                                          .top_speed = chip->top_speed};
    struct sim_board_faults faults = {
        .noise_ppb = noise, .cable_cut = cut, .strap_released = strap_released};

    sim_board_init(&board, chip, &identity, cells, SIMULATED_FLASH, 1);
    sim_board_set_faults(&board, &faults);
    sim_adapter_init(&adapter, &board, 1);
    sim_adapter_power(&adapter, true);
    port = &adapter.port;
}

/* The session. */

static bool on_progress(void *context, const struct wry_session_progress *progress)
{
    (void)context;
    return page_progress(progress->step, (double)progress->done, (double)progress->total,
                         (double)progress->expected, progress->speed, progress->lost) != 0;
}

EXPORT(connect) int export_connect(uint32_t token, bool by_hand)
{
    struct wry_session_config config = {
        .token = token, .by_hand = by_hand, .read_memory = read_memory, .progress = on_progress};

    wry_session_init(&session, port, &config);
    return wry_session_connect(&session);
}

EXPORT(status_text) const char *export_status_text(int status)
{
    return wry_status_text((enum wry_status)status);
}

/* Facts that the board reported, as numbers. */
EXPORT(board_fact) uint32_t export_board_fact(uint32_t which)
{
    const struct wry_hello_reply *reply = wry_session_board(&session);
    const uint8_t *eui = reply->eui48, *jedec = reply->jedec;

    switch (which) {
    case 0:
        return reply->chip_code;
    case 1:
        return reply->chip_revision;
    case 2:
        return reply->capacity;
    case 3:
        return session.speed;
    case 4:
        return (uint32_t)(eui[0] << 16 | eui[1] << 8 | eui[2]);
    case 5:
        return (uint32_t)(eui[3] << 16 | eui[4] << 8 | eui[5]);
    case 6:
        return (uint32_t)(jedec[0] << 16 | jedec[1] << 8 | jedec[2]);
    default:
        return 0;
    }
}

EXPORT(chip_title) const char *export_chip_title(uint16_t code)
{
    const struct wry_chip *chip = wry_chip_by_code(code);

    return chip ? chip->title : "unknown chip";
}

/* Traffic outside the protocol, for a board that does not answer: bytes, printable, zeros, own
 * frames that came back. */
EXPORT(heard_count) uint32_t export_heard_count(uint32_t which)
{
    const struct wry_session_stats *stats = wry_session_stats(&session);

    return which == 0   ? stats->bytes_outside
           : which == 1 ? stats->bytes_printable
           : which == 2 ? stats->bytes_zero
                        : stats->own_frames;
}

EXPORT(fault_fact) uint32_t export_fault_fact(uint32_t which, bool of_plan)
{
    const struct wry_fault *fault = of_plan ? &plan_fault : wry_session_fault(&session);

    return which == 0   ? fault->offset
           : which == 1 ? fault->length
           : which == 2 ? (uint32_t)fault->expected
                        : (uint32_t)fault->found;
}

/* Content. */

struct room {
    uint8_t *to;
    uint32_t start, length;
};

static bool write_room(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    const struct room *room = context;

    if (offset < room->start || offset - room->start + n > room->length)
        return false;
    memcpy(room->to + (offset - room->start), bytes, n);
    return true;
}

/* Reads a range, and compares the board's SHA-256 with that of what arrived: WRY_DIFFERS. */
EXPORT(back_up)
int export_back_up(uint32_t offset, uint32_t length, uint8_t *to, uint8_t *digest)
{
    struct room room = {to, offset, length};
    struct wry_writer writer = {&room, write_room};
    uint8_t ours[WRY_SHA256_SIZE];
    struct wry_sha256 sha;
    enum wry_status status = wry_session_back_up(&session, offset, length, &writer, digest);

    if (status != WRY_OK)
        return status;
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, to, length);
    wry_sha256_end(&sha, ours);
    return memcmp(ours, digest, sizeof ours) == 0 ? WRY_OK : WRY_DIFFERS;
}

/* The regions: 0 = not known, 1 = by the board's own table, 2 = the chip's usual ones. */
EXPORT(find_layout) int export_find_layout(void)
{
    const struct wry_hello_reply *reply = wry_session_board(&session);
    const struct wry_chip *chip = wry_chip_by_code(reply->chip_code);
    static uint8_t table[WRY_REGION_TABLE_SIZE_MAX];

    if (!chip)
        return 0;
    if (chip->table_offset != WRY_NO_OFFSET) {
        struct room room = {table, chip->table_offset, sizeof table};
        struct wry_writer writer = {&room, write_room};
        if (wry_session_read(&session, chip->table_offset, sizeof table, &writer) == WRY_OK &&
            wry_region_table_get(&layout, table, sizeof table))
            return 1;
    }
    return wry_layout_built_in(&layout, chip, reply->capacity) ? 2 : 0;
}

EXPORT(region_count) uint32_t export_region_count(void)
{
    return layout.count;
}

EXPORT(region_fact) uint32_t export_region_fact(uint32_t i, uint32_t which)
{
    const struct wry_region *region = &layout.regions[i];

    return which == 0 ? region->offset : which == 1 ? region->length : region->kind;
}

EXPORT(region_name) const char *export_region_name(uint32_t i)
{
    return layout.regions[i].name;
}

EXPORT(region_kind_name) const char *export_region_kind_name(uint32_t i)
{
    return wry_region_kind_name(layout.regions[i].kind);
}

/* Looks at a program: 0 = it has no header, 1 = its header is damaged, 2 = its digest differs, 3 =
 * whole. */
EXPORT(look_at) int export_look_at(const uint8_t *bytes, uint32_t n)
{
    uint8_t digest[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    memset(&header, 0, sizeof header);
    if (n < WRY_BOOT_HEADER_SIZE || !wry_boot_header_present(bytes))
        return 0;
    if (!wry_boot_header_get(&header, bytes))
        return 1;
    if (n - WRY_BOOT_HEADER_SIZE < WRY_SHA256_SIZE ||
        header.body_length > n - WRY_BOOT_HEADER_SIZE - WRY_SHA256_SIZE)
        return 2;
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, bytes + WRY_BOOT_HEADER_SIZE, header.body_length);
    wry_sha256_end(&sha, digest);
    return memcmp(digest, bytes + WRY_BOOT_HEADER_SIZE + header.body_length, sizeof digest) == 0
               ? 3
               : 2;
}

/* Of the program that was looked at last. */
EXPORT(header_version) const char *export_header_version(void)
{
    return header.version;
}

EXPORT(header_fact) uint32_t export_header_fact(uint32_t which)
{
    return which == 0   ? header.chip_code
           : which == 1 ? header.kind
           : which == 2 ? header.flash_size_log2
                        : header.body_length;
}

EXPORT(is_region_table) bool export_is_region_table(const uint8_t *bytes, uint32_t n)
{
    static struct wry_region_table table;

    return wry_region_table_get(&table, bytes, n);
}

/* The plan. Content stays where the page has put it. */

static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    memcpy(to, (const uint8_t *)context + offset, n);
    return true;
}

EXPORT(plan_begin) void export_plan_begin(void)
{
    placement_count = 0;
}

EXPORT(plan_add) bool export_plan_add(uint32_t offset, uint32_t length, uint8_t *bytes)
{
    if (placement_count == PLACES_MOST)
        return false;
    placements[placement_count++] = (struct wry_placement){
        .offset = offset, .length = length, .reader = {.context = bytes, .read = read_content}};
    return true;
}

EXPORT(plan_check) int export_plan_check(void)
{
    return wry_plan_init(&plan, placements, placement_count, wry_session_board(&session)->capacity,
                         &plan_fault);
}

static bool take_part(void *context, const struct wry_cost_part *part, const struct wry_cost *cost)
{
    (void)part;
    *(double *)context += (double)cost->total;
    return true;
}

/* us; negative: the status that ended it. */
EXPORT(plan_time) double export_plan_time(void)
{
    double time = 0;
    struct wry_estimate_sink sink = {.context = &time, .part = take_part};
    enum wry_status status = wry_session_estimate(&session, &plan, &sink);

    return status == WRY_OK ? time : -(double)status;
}

EXPORT(plan_write) int export_plan_write(void)
{
    return wry_session_write(&session, &plan);
}

EXPORT(plan_verify) int export_plan_verify(void)
{
    enum wry_status status = WRY_OK;

    for (size_t i = 0; status == WRY_OK && i < plan.count; i++)
        status = wry_session_verify(&session, &plan.placements[i], WRY_VERIFY_DIGEST, NULL);
    return status;
}

EXPORT(sectors_written) uint32_t export_sectors_written(void)
{
    return wry_session_stats(&session)->sectors_written;
}

/* The firmware. */

EXPORT(start) int export_start(void)
{
    return wry_session_start(&session);
}

/* Up to room bytes of its output within the time; -1: the port is gone. */
EXPORT(console_read) int export_console_read(uint8_t *to, uint32_t room, double time)
{
    size_t got = wry_session_take_rest(&session, to, room);

    if (got == 0 && port->read(port->context, to, room, port->now(port->context) + (uint64_t)time,
                               &got) != WRY_OK)
        return -1;
    return (int)got;
}

EXPORT(console_write) int export_console_write(const uint8_t *bytes, uint32_t n)
{
    return port->write(port->context, bytes, n);
}

EXPORT(console_speed) int export_console_speed(uint32_t baud)
{
    return port->set_speed(port->context, baud);
}

EXPORT(reset) int export_reset(void)
{
    enum wry_status status = port->set_lines(port->context, true, false);

    port->sleep(port->context, port->now(port->context) + 50000);
    return status == WRY_OK ? port->set_lines(port->context, false, false) : status;
}
