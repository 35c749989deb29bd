/*
 * Calls of the system that fail when that is asked for; a program that is linked with this has them
 * in place of the C library's. What a simulated board does with its own files is no call of the
 * host's, and passes.
 *
 *     fault_arm("write:7+");
 */
#ifndef WRY_TRIALS_FAULT_CALLS_H
#define WRY_TRIALS_FAULT_CALLS_H

enum {
    FAULT_KILLED = 77, /* exit code of a process that was killed at a call */
};

/*
 * KIND:N, the N-th from now on fails; with "+" all after it, too; with "!" the process ends there,
 * as if it were killed. Kinds: open, read, write, sync, rename (also link and unlink), map, memory;
 * any: each of these but memory.
 * NULL: nothing fails from now on.
 */
void fault_arm(const char *wish);

/* Calls of that kind since. */
unsigned long fault_seen(void);

#endif
