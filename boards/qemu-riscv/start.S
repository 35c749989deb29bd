/* The first instructions: one processor goes on, with a stack and with cleared memory. */
#if __riscv_xlen == 64
#define STORE sd
#define LOAD ld
#define WORD 8
#else
#define STORE sw
#define LOAD lw
#define WORD 4
#endif

    .section .text.start, "ax"
    .globl start
start:
    csrw mie, zero
    csrr t0, mhartid
    bnez t0, park
    .option push
    .option norelax
    la gp, __global_pointer$
    .option pop
    la sp, stack_top
    la t0, trap
    csrw mtvec, t0
    la t0, bss_start
    la t1, bss_end
clear:
    bgeu t0, t1, go
    STORE zero, (t0)
    addi t0, t0, WORD
    j clear
go:
    call main
    /* The other processors of this machine have nothing to do. */
park:
    wfi
    j park

    /* An interrupt: what a C function may change is put aside. */
    .align 2
trap:
    addi sp, sp, -16 * WORD
    STORE ra, 0 * WORD(sp)
    STORE t0, 1 * WORD(sp)
    STORE t1, 2 * WORD(sp)
    STORE t2, 3 * WORD(sp)
    STORE t3, 4 * WORD(sp)
    STORE t4, 5 * WORD(sp)
    STORE t5, 6 * WORD(sp)
    STORE t6, 7 * WORD(sp)
    STORE a0, 8 * WORD(sp)
    STORE a1, 9 * WORD(sp)
    STORE a2, 10 * WORD(sp)
    STORE a3, 11 * WORD(sp)
    STORE a4, 12 * WORD(sp)
    STORE a5, 13 * WORD(sp)
    STORE a6, 14 * WORD(sp)
    STORE a7, 15 * WORD(sp)
    csrr a0, mcause
    call on_interrupt
    LOAD ra, 0 * WORD(sp)
    LOAD t0, 1 * WORD(sp)
    LOAD t1, 2 * WORD(sp)
    LOAD t2, 3 * WORD(sp)
    LOAD t3, 4 * WORD(sp)
    LOAD t4, 5 * WORD(sp)
    LOAD t5, 6 * WORD(sp)
    LOAD t6, 7 * WORD(sp)
    LOAD a0, 8 * WORD(sp)
    LOAD a1, 9 * WORD(sp)
    LOAD a2, 10 * WORD(sp)
    LOAD a3, 11 * WORD(sp)
    LOAD a4, 12 * WORD(sp)
    LOAD a5, 13 * WORD(sp)
    LOAD a6, 14 * WORD(sp)
    LOAD a7, 15 * WORD(sp)
    addi sp, sp, 16 * WORD
    mret
