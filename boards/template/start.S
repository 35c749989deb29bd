/* The first instructions. To be filled in for the processor; boards/qemu-riscv/start.S is an example. */
    .section .text.start, "ax"
    .globl start
start:
    .error "to be filled in: stop other processors and the watchdog, set the stack to stack_top"
    .error "to be filled in: clear memory from bss_start to bss_end, set the interrupt vector, call main"
