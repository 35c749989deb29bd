/* A NOR flash die at the level of SPI commands. */
#include "nor_die.h"

#include <string.h>

#include "random.h"
#include "wrytograph/bytes.h"

enum {
    SECTOR = 0x1000,
    STATUS_BUSY = 0x01,
    STATUS_WRITE_ENABLED = 0x02,
    STATUS_PROTECT = 0x7C,
};

/* Typical times of NOR flash in ns; maxima in data sheets are several times as long. */
#define TIME_STATUS UINT64_C(5000000)
#define TIME_PROGRAM UINT64_C(400000)
#define TIME_ERASE_4K UINT64_C(45000000)
#define TIME_ERASE_32K UINT64_C(120000000)
#define TIME_ERASE_64K UINT64_C(150000000)
#define SLOWEST UINT64_C(14)

void sim_nor_die_init(struct sim_nor_die *die, uint8_t *cells, uint32_t size, uint64_t seed)
{
    uint8_t log2 = 0;

    memset(die, 0, sizeof *die);
    while (UINT32_C(1) << log2 < size)
        log2++;
    die->cells = cells;
    die->size = size;
    die->jedec[0] = 0x7F;
    die->jedec[1] = 0x51;
    die->jedec[2] = die->told = log2;
    die->spi_hz = 40000000;
    die->random = seed;
    die->part.sfdp = true;
    die->part.lines = die->part.wired = 4;
}

static bool is_busy(const struct sim_nor_die *die)
{
    return die->pending_length > 0 || die->pending_status || die->kept_busy > 0;
}

void sim_nor_die_keep_busy(struct sim_nor_die *die, uint64_t until)
{
    die->kept_busy = until;
}

/* Marks the range of the current erase. */
static void mark_weak(struct sim_nor_die *die, bool weak)
{
    for (uint32_t i = 0; i < die->pending_length; i += SECTOR) {
        uint32_t n = (die->pending_offset + i) / SECTOR;
        uint8_t bit = (uint8_t)(1u << n % 8);
        die->weak[n / 8] = (uint8_t)(weak ? die->weak[n / 8] | bit : die->weak[n / 8] & ~bit);
    }
}

bool sim_nor_die_age(struct sim_nor_die *die)
{
    bool aged = false;

    for (uint32_t at = 0; at < die->size; at += SECTOR) {
        if (!(die->weak[at / SECTOR / 8] >> at / SECTOR % 8 & 1))
            continue;
        die->cells[at + sim_random(&die->random) % SECTOR] ^= 0x10;
        aged = true;
    }
    return aged;
}

static void take_effect(struct sim_nor_die *die)
{
    uint8_t *cells = die->cells + die->pending_offset;

    if (die->pending_program) {
        for (uint32_t i = 0; i < die->pending_length; i++) {
            if (die->stuck_at == 0 || die->pending_offset + i != die->stuck_at)
                cells[i] &= die->pending_page[i];
        }
    } else {
        mark_weak(die, false);
        uint32_t stuck = die->stuck_at - die->pending_offset;
        bool holds_stuck = die->stuck_at > 0 && stuck < die->pending_length;
        uint8_t kept = holds_stuck ? cells[stuck] : 0xFF;
        memset(cells, 0xFF, die->pending_length);
        if (holds_stuck)
            cells[stuck] = kept;
    }
    die->pending_length = 0;
}

void sim_nor_die_settle(struct sim_nor_die *die, uint64_t now)
{
    if (die->pending_length > 0 && now >= die->busy_until)
        take_effect(die);
    if (die->kept_busy > 0 && now >= die->kept_busy)
        die->kept_busy = 0;
    if (die->pending_status && now >= die->busy_until) {
        die->status = die->status_next;
        die->second = die->part.two_registers ? die->second_next : 0;
        die->pending_status = false;
    }
}

void sim_nor_die_cut(struct sim_nor_die *die, uint64_t now)
{
    sim_nor_die_settle(die, now);
    uint8_t *cells = die->cells + die->pending_offset;
    bool weak = die->weak_cuts && die->pending_length >= SECTOR && !die->pending_program &&
                sim_random(&die->random) % 2 == 0;
    if (weak) {
        memset(cells, 0xFF, die->pending_length);
        mark_weak(die, true);
    }
    for (uint32_t i = 0; i < die->pending_length && !weak; i++) {
        uint8_t chance = (uint8_t)sim_random(&die->random);
        if (die->pending_program)
            cells[i] &= die->pending_page[i] | chance;
        else
            cells[i] |= chance;
    }
    die->pending_length = 0;
    die->status &= STATUS_PROTECT;
    die->pending_status = die->asleep = die->long_mode = false;
    die->left = SIM_NOR_PLAIN;
}

static bool is_protected(const struct sim_nor_die *die, uint32_t offset, uint32_t length)
{
    uint32_t start;

    if (die->part.other_protection) {
        uint32_t level = die->status >> 2 & 15, blocks = level > 0 ? UINT32_C(1) << (level - 1) : 0;
        start = blocks < die->size / 0x10000 ? die->size - blocks * 0x10000 : 0;
        return level > 0 && offset + length > start;
    }
    uint32_t locked = wry_protected_range(die->status & STATUS_PROTECT, die->size, &start);

    return locked > 0 && offset < start + locked && offset + length > start;
}

/* Ignored without write enable or in a protected range. */
static void begin(struct sim_nor_die *die, uint64_t now, uint64_t time, uint32_t offset,
                  uint32_t length)
{
    bool enabled = (die->status & STATUS_WRITE_ENABLED) != 0;

    die->status &= (uint8_t)~STATUS_WRITE_ENABLED;
    if (!enabled || is_protected(die, offset, length))
        return;
    if (die->slowest)
        time *= SLOWEST;
    die->operations++;
    die->busy_until = now + time;
    die->pending_offset = offset;
    die->pending_length = length;
    if (die->operations == die->cut_at_operation)
        die->cut_due = now + time * (sim_random(&die->random) % 100) / 100 + 1;
}

static void begin_erase(struct sim_nor_die *die, uint64_t now, uint32_t address, uint32_t unit)
{
    uint64_t time = unit == 0x1000   ? TIME_ERASE_4K
                    : unit == 0x8000 ? TIME_ERASE_32K
                                     : TIME_ERASE_64K * (unit / 0x10000);

    die->pending_program = false;
    begin(die, now, time, address & ~(unit - 1), unit);
    die->erased_bytes += unit;
}

/* Bytes beyond the end of the page wrap to its start, as on real parts. */
static void begin_program(struct sim_nor_die *die, uint64_t now, uint32_t address,
                          const uint8_t *bytes, size_t n)
{
    uint32_t size = die->part.page > 0 ? die->part.page : sizeof die->pending_page;
    uint32_t start = address & ~(size - 1);

    if (die->part.once && !wry_bytes_blank(die->cells + start, size))
        return;
    memset(die->pending_page, 0xFF, sizeof die->pending_page);
    for (size_t i = 0; i < n; i++)
        die->pending_page[(address + i) % size] = bytes[i];
    die->pending_program = true;
    begin(die, now, TIME_PROGRAM, start, size);
    die->programmed_pages++;
}

static void read_cells(const struct sim_nor_die *die, uint32_t address, uint8_t *to, size_t n)
{
    uint32_t wrap = die->part.die_size > 0 ? die->part.die_size : die->size;
    uint32_t base = address & (die->size - 1) & ~(wrap - 1);

    while (n > 0) {
        uint32_t at = address & (wrap - 1);
        size_t piece = wrap - at < n ? wrap - at : n;
        memcpy(to, die->cells + base + at, piece);
        to += piece;
        address += (uint32_t)piece;
        n -= piece;
    }
}

static uint32_t address_of(const struct sim_nor_die *die, const uint8_t *out, size_t bytes)
{
    uint32_t address = 0;

    for (size_t i = 1; i <= bytes; i++)
        address = address << 8 | out[i];
    return address & (die->size - 1);
}

/* A read over several lines, after the clocks of one byte. */
static void read_fast(struct sim_nor_die *die, const struct wry_spi_transfer *t, uint32_t address,
                      size_t width, uint8_t lines)
{
    uint8_t missing = die->part.wired >= lines ? 0
                      : die->part.wired == 2   ? 0xCC
                      : lines == 4             ? 0xEE
                                               : 0xAA;

    if (t->out_length != width + 2 || die->part.lines < lines)
        return;
    read_cells(die, address, t->in, t->in_length);
    bool shifted = lines != (t->data_lines > 1 ? t->data_lines : 1) ||
                   (die->part.most_hz > 0 && t->fast && die->fast_hz > die->part.most_hz) ||
                   (die->part.slow_from > 0 && address >= die->part.slow_from);
    for (size_t i = 0; i < t->in_length; i++)
        t->in[i] = shifted ? (uint8_t)(t->in[i] << 1 | i % 2) : t->in[i] | missing;
}

/* Executes commands with an address of this width; false for others. */
static bool addressed(struct sim_nor_die *die, const struct wry_spi_transfer *t, uint8_t command,
                      size_t width, uint64_t now)
{
    if (t->out_length < 1 + width)
        return false;
    uint32_t address = address_of(die, t->out, width);
    switch (command) {
    case 0x03:
        read_cells(die, address, t->in, t->in_length);
        return true;
    case 0x0B:
        read_fast(die, t, address, width, 1);
        return true;
    case 0x3B:
        read_fast(die, t, address, width, 2);
        return true;
    case 0x6B:
        read_fast(die, t, address, width, 4);
        return true;
    case 0x32:
        if (die->part.wired == 4 && !die->part.single_program && t->data_lines == 4)
            begin_program(die, now, address, t->out2, t->out2_length);
        return true;
    case 0x02:
        begin_program(die, now, address, t->out2, t->out2_length);
        return true;
    case 0x20:
        if (!die->part.lacks_4k && (die->part.fine_end == 0 || address < die->part.fine_end))
            begin_erase(die, now, address, 0x1000);
        return true;
    case 0x52:
        if (!die->part.lacks_32k)
            begin_erase(die, now, address, 0x8000);
        return true;
    case 0xD8:
        if (!die->part.lacks_64k)
            begin_erase(die, now, address,
                        UINT32_C(1) << (die->part.large_log2 > 0 ? die->part.large_log2 : 16));
        return true;
    default:
        return false;
    }
}

/* The four-byte commands of JESD216 and the three-byte commands they stand for. */
static uint8_t brief_command(uint8_t command)
{
    static const uint8_t pairs[][2] = {{0x13, 0x03}, {0x12, 0x02}, {0x21, 0x20},
                                       {0x5C, 0x52}, {0xDC, 0xD8}, {0x0C, 0x0B},
                                       {0x3C, 0x3B}, {0x6C, 0x6B}, {0x34, 0x32}};

    for (size_t i = 0; i < sizeof pairs / sizeof pairs[0]; i++) {
        if (pairs[i][0] == command)
            return pairs[i][1];
    }
    return 0;
}

static void begin_status(struct sim_nor_die *die, uint64_t now, uint8_t value, uint8_t second)
{
    bool enabled = (die->status & STATUS_WRITE_ENABLED) != 0;

    die->status &= (uint8_t)~STATUS_WRITE_ENABLED;
    if (!enabled || die->part.pin_held)
        return;
    die->pending_status = true;
    die->status_next = value & STATUS_PROTECT;
    die->second_next = second;
    die->busy_until = now + TIME_STATUS;
}

/* Executes commands without an address; false for others. */
static bool plain(struct sim_nor_die *die, const struct wry_spi_transfer *t, uint64_t now)
{
    bool reset = t->out[0] == 0x99 && die->reset_enabled;

    die->reset_enabled = t->out[0] == 0x66;
    switch (t->out[0]) {
    case 0x01:
        if (t->out_length == 2)
            begin_status(die, now, t->out[1], 0);
        else if (t->out_length == 3 && die->part.two_registers)
            begin_status(die, now, t->out[1], t->out[2]);
        return true;
    case 0x35:
        if (die->part.two_registers)
            memset(t->in, die->second, t->in_length);
        return true;
    case 0x06:
        die->status |= STATUS_WRITE_ENABLED;
        return true;
    case 0x66:
        return true;
    case 0x99:
        if (reset) {
            die->status &= STATUS_PROTECT;
            die->long_mode = false;
        }
        return true;
    case 0x9F:
        memcpy(t->in, die->jedec, t->in_length < 3 ? t->in_length : 3);
        return true;
    case 0xB7:
    case 0xE9:
        if (die->part.by_mode)
            die->long_mode = t->out[0] == 0xB7;
        return true;
    case 0xB9:
        die->asleep = true;
        return true;
    case 0x5A:
        if (die->part.sfdp && t->out_length == 5)
            sim_nor_die_describe(die,
                                 (uint32_t)t->out[1] << 16 | (uint32_t)t->out[2] << 8 | t->out[3],
                                 t->in, t->in_length);
        return true;
    default:
        return false;
    }
}

/* Ones leave special modes: eight clocks on four lines, up to twenty after a continuous read. */
static void hear_ones(struct sim_nor_die *die, const struct wry_spi_transfer *t)
{
    size_t needed = die->left == SIM_NOR_CONTINUOUS ? 3 : 1;

    if (t->out2_length == 0 && t->out_length >= needed && wry_bytes_blank(t->out, t->out_length))
        die->left = SIM_NOR_PLAIN;
}

static void execute(struct sim_nor_die *die, const struct wry_spi_transfer *t, uint64_t now)
{
    uint8_t command = t->out[0];

    if (die->dead)
        return;
    if (die->left != SIM_NOR_PLAIN) {
        hear_ones(die, t);
        return;
    }
    if (die->asleep) {
        die->asleep = command != 0xAB;
        return;
    }
    if (command == 0x05) {
        bool tells = is_busy(die) && !die->part.by_flag;
        memset(t->in, die->status | (tells ? STATUS_BUSY : 0), t->in_length);
        return;
    }
    if (command == 0x70 && die->part.by_flag) {
        memset(t->in, is_busy(die) ? 0 : 0x80, t->in_length);
        return;
    }
    if (is_busy(die) || plain(die, t, now))
        return;
    if (brief_command(command) == 0)
        addressed(die, t, command, die->long_mode ? 4 : 3, now);
    else if (!die->part.by_mode)
        addressed(die, t, brief_command(command), 4, now);
}

uint64_t sim_nor_die_transfer(struct sim_nor_die *die, const struct wry_spi_transfer *t,
                              uint64_t now)
{
    uint64_t hz = t->fast && die->fast_hz > 0 ? die->fast_hz : die->spi_hz;
    uint64_t lines = t->data_lines > 1 ? t->data_lines : 1;
    uint64_t clocks = t->out_length * 8 + (t->out2_length + t->in_length) * 8 / lines;
    uint64_t time = clocks * UINT64_C(1000000000) / hz;

    sim_nor_die_settle(die, now);
    if (t->in_length > 0)
        memset(t->in, 0xFF, t->in_length);
    execute(die, t, now + time);
    return time;
}
