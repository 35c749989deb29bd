/*
 * Running out of memory ends the command with a sentence. Otherwise it would end without one: GLib
 * traps, or recurses until the stack is used up. The state is as after a kill, which loses nothing.
 *
 * These functions replace those of the C library in this program only. Large requests still fail
 * normally: code that allocates by a number from a file can handle that.
 */
#include "app.h"

#include <stddef.h>
#include <stdlib.h>
#include <unistd.h>

#if defined(__GLIBC__) && !defined(__SANITIZE_ADDRESS__)

#define LARGE ((size_t)16 << 20) /* bytes */

/* glibc's functions, by their internal names. */
extern void *own_malloc(size_t n) __asm__("__libc_malloc");
extern void *own_calloc(size_t count, size_t n) __asm__("__libc_calloc");
extern void *own_realloc(void *old, size_t n) __asm__("__libc_realloc");

static void *had(void *memory, size_t n)
{
    static const char text[] = "wrytograph: there is no memory left. End other programs, then run "
                               "the same command again: it resumes where this one stopped.\n";

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
