/*
 * Preloaded into the command: WRY_FAULT is what fault_arm takes, from main on. WRY_FAULT_COUNT=FILE
 * gets the number of calls at the end.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <execinfo.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <sys/syscall.h>
#include <unistd.h>

#include "fault_calls.h"

enum {
    PATIENCE = 60, /* seconds that no command takes */
};

static void tell_count(void)
{
    const char *path = getenv("WRY_FAULT_COUNT");
    char text[32];

    int n = snprintf(text, sizeof text, "%lu\n", fault_seen());
    fault_arm(NULL);
    int file =
        path ? (int)syscall(SYS_openat, AT_FDCWD, path, O_WRONLY | O_CREAT | O_TRUNC, 0600) : -1;
    if (file >= 0) {
        (void)!syscall(SYS_write, file, text, (size_t)n);
        syscall(SYS_close, file);
    }
}

/* It hangs: where? */
static void tell_where(int number)
{
    void *calls[64];

    backtrace_symbols_fd(calls, backtrace(calls, 64), STDERR_FILENO);
    signal(number, SIG_DFL);
    raise(number);
}

static int (*real_main)(int argc, char **argv, char **environment);

/* What the loader of programs does before main is not the command's. */
static int main_behind(int argc, char **argv, char **environment)
{
    atexit(tell_count);
    signal(SIGALRM, tell_where);
    alarm(PATIENCE);
    fault_arm(getenv("WRY_FAULT"));
    return real_main(argc, argv, environment);
}

int __libc_start_main(int (*program)(int, char **, char **), int argc, char **argv,
                      void (*init)(void), void (*fini)(void), void (*loader_fini)(void),
                      void *stack)
{
    __typeof__(&__libc_start_main) real =
        (__typeof__(&__libc_start_main))dlsym(RTLD_NEXT, "__libc_start_main");

    real_main = program;
    return real(main_behind, argc, argv, init, fini, loader_fini, stack);
}
