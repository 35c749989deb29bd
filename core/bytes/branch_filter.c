/*
 * Branch filters. What is not an instruction is filtered as if it were one. The same instructions
 * are found in both directions, because the bits by which they are found never change.
 */
#include "wrytograph/branch_filter.h"

#include "bytes/fields.h"

/* RISC-V (unprivileged specification, chapter 34, "RV32/64G Instruction Set Listings"). */
#define RISCV_JAL 0x6Fu /* with the register x0 or x1 */
#define RISCV_AUIPC 0x17u
#define RISCV_LOAD 0x03u
#define RISCV_ADDI 0x13u
#define RISCV_JALR 0x67u

static uint32_t moved(const struct wry_branch_filter *filter, uint32_t value, uint32_t by)
{
    return filter->restores ? value - by : value + by;
}

/* Bits 20, 10 to 1, 11 and 19 to 12 of the distance are bits 31 to 12 of the instruction. */
static uint32_t jal_distance(uint32_t word)
{
    return (word >> 31) << 19 | (word >> 12 & 0xFF) << 11 | (word >> 20 & 1) << 10 |
           (word >> 21 & 0x3FF);
}

static uint32_t jal_bits(uint32_t distance)
{
    return (distance >> 19 & 1) << 31 | (distance >> 11 & 0xFF) << 12 | (distance >> 10 & 1) << 20 |
           (distance & 0x3FF) << 21;
}

/* A target has its high bits first, so that nearby targets begin with the same bytes. */
static uint32_t target_bits(uint32_t target)
{
    return (target >> 16 & 0xF) << 12 | (target >> 8 & 0xFF) << 16 | (target & 0xFF) << 24;
}

static uint32_t bits_target(uint32_t word)
{
    return (word >> 12 & 0xF) << 16 | (word >> 16 & 0xFF) << 8 | word >> 24;
}

static size_t jal(const struct wry_branch_filter *filter, uint8_t *at, uint32_t word)
{
    uint32_t half = filter->at / 2, rest = word & 0xFFF;

    bytes_put32(at, rest | (filter->restores ? jal_bits(bits_target(word) - half)
                                             : target_bits(jal_distance(word) + half)));
    return 4;
}

/* The second instruction adds its 12 bits, which have a sign, to the 20 of the first. */
static size_t auipc(const struct wry_branch_filter *filter, uint8_t *at, uint32_t word)
{
    uint32_t next = bytes_get32(at + 4), opcode = next & 0x7F;
    uint32_t high = word & 0xFFFFF000, low = next >> 20;
    bool is_pair = (next >> 15 & 31) == (word >> 7 & 31) &&
                   (opcode == RISCV_LOAD || opcode == RISCV_ADDI || opcode == RISCV_JALR);

    if (!is_pair)
        return 4;
    if (filter->restores) {
        uint32_t distance = (high | low) - filter->at;
        low = distance & 0xFFF;
        high = (distance + 0x800) & 0xFFFFF000;
    } else {
        uint32_t target = high + (low ^ 0x800) - 0x800 + filter->at;
        low = target & 0xFFF;
        high = target & 0xFFFFF000;
    }
    bytes_put32(at, (word & 0xFFF) | high);
    bytes_put32(at + 4, (next & 0xFFFFF) | low << 20);
    return 8;
}

static size_t riscv(const struct wry_branch_filter *filter, uint8_t *at)
{
    uint32_t word = bytes_get32(at);

    if ((word & 0xF7F) == RISCV_JAL)
        return jal(filter, at, word);
    if ((word & 0x7F) == RISCV_AUIPC)
        return auipc(filter, at, word);
    return (word & 3) == 3 ? 4 : 2;
}

/* BL (ARMv7-M architecture reference manual, A7.7.18, encoding T1): bits 23 and 22 are stored as
 * their difference from the sign. */
static size_t thumb(const struct wry_branch_filter *filter, uint8_t *at)
{
    uint32_t word = bytes_get32(at);

    if ((word & 0xD000F800) != 0xD000F000)
        return 2;
    uint32_t sign = word >> 10 & 1, high = (word >> 29 & 1) ^ sign ^ 1,
             low = (word >> 27 & 1) ^ sign ^ 1;
    uint32_t value =
        sign << 23 | high << 22 | low << 21 | (word & 0x3FF) << 11 | (word >> 16 & 0x7FF);
    value = moved(filter, value, filter->at / 2);
    sign = value >> 23 & 1;
    high = (value >> 22 & 1) ^ sign ^ 1;
    low = (value >> 21 & 1) ^ sign ^ 1;
    bytes_put32(at, 0xD000F000 | high << 29 | low << 27 | (value & 0x7FF) << 16 | sign << 10 |
                        (value >> 11 & 0x3FF));
    return 4;
}

/* BL, always (ARMv7-A/R architecture reference manual, A8.8.25, encoding A1). */
static size_t arm(const struct wry_branch_filter *filter, uint8_t *at)
{
    uint32_t word = bytes_get32(at);

    if (word >> 24 == 0xEB)
        bytes_put32(at, 0xEB000000 | (moved(filter, word, filter->at / 4) & 0xFFFFFF));
    return 4;
}

/* BL and ADRP (Arm architecture reference manual for A-profile, C6.2.34 and C6.2.13). */
static size_t arm64(const struct wry_branch_filter *filter, uint8_t *at)
{
    uint32_t word = bytes_get32(at);

    if (word >> 26 == 0x25) {
        bytes_put32(at, 0x94000000 | (moved(filter, word, filter->at / 4) & 0x3FFFFFF));
    } else if ((word & 0x9F000000) == 0x90000000) {
        uint32_t page = (word >> 29 & 3) | (word >> 5 & 0x7FFFF) << 2;
        page = moved(filter, page, filter->at >> 12);
        bytes_put32(at, (word & 0x9F00001F) | (page & 3) << 29 | (page >> 2 & 0x7FFFF) << 5);
    }
    return 4;
}

bool wry_branch_filter_exists(uint8_t kind)
{
    return kind <= WRY_FILTER_ARM64;
}

size_t wry_branch_filter_run(struct wry_branch_filter *filter, uint8_t *bytes, size_t n)
{
    size_t done = 0, taken = 4;

    while (n - done >= WRY_FILTER_AHEAD) {
        switch (filter->kind) {
        case WRY_FILTER_RISCV:
            taken = riscv(filter, bytes + done);
            break;
        case WRY_FILTER_THUMB:
            taken = thumb(filter, bytes + done);
            break;
        case WRY_FILTER_ARM:
            taken = arm(filter, bytes + done);
            break;
        case WRY_FILTER_ARM64:
            taken = arm64(filter, bytes + done);
            break;
        default:
            break;
        }
        done += taken;
        filter->at += (uint32_t)taken;
    }
    return done;
}
