/*
 * Memory that is not there ends the command with a sentence. Without this it is ended all the same:
 * GLib traps, or calls itself until the stack is gone when no memory comes back. Whatever was under
 * way is as after a kill, which loses nothing.
 *
 * These stand in for the C library's own functions, in this program alone. Large pieces are refused
 * as ever: who asks for them by a number out of a file can do without.
 */
#include "app.h"

#include <stddef.h>
#include <stdlib.h>
#include <unistd.h>

#if defined(__GLIBC__) && !defined(__SANITIZE_ADDRESS__)

#define LARGE ((size_t)16 << 20) /* bytes */

/* glibc's own functions, by the names that it keeps for them. */
extern void *own_malloc(size_t n) __asm__("__libc_malloc");
extern void *own_calloc(size_t count, size_t n) __asm__("__libc_calloc");
extern void *own_realloc(void *old, size_t n) __asm__("__libc_realloc");

static void *had(void *memory, size_t n)
{
    static const char text[] = "wrytograph: there is no memory left. End other programs, then run "
                               "the same command again: it goes on where this one was cut.\n";

    if (memory || n == 0 || n > LARGE)
        return memory;
    (void)!write(STDERR_FILENO, text, sizeof text - 1);
    _exit(EXIT_INTERNAL);
}

void *malloc(size_t n)
{
    return had(own_malloc(n), n);
}

void *calloc(size_t count, size_t n)
{
    size_t all = 0;

    return __builtin_mul_overflow(count, n, &all) ? own_calloc(count, n)
                                                  : had(own_calloc(count, n), all);
}

void *realloc(void *old, size_t n)
{
    return had(own_realloc(old, n), n);
}

#endif
