/*
 * Preloaded into the command, of which it makes many: WRY_FAULT_LIST names a file with lines
 * "FAULT FOLDER". For each, a process of its own goes into the folder and runs main from there,
 * with what fault_arm takes ("-": nothing) armed, its environment with the folder for each "@" that
 * begins a value, and its output in the files "out" and "err". "status" gets how it ended, "count"
 * the number of calls. What comes before main, and takes longer than many a fault, is done once for
 * all.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <execinfo.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include "fault_calls.h"

enum {
    PATIENCE = 60, /* seconds that no command takes */
};

/* Past the calls that are made to fail. */
static int make(const char *folder, const char *name)
{
    char path[512];

    snprintf(path, sizeof path, "%s/%s", folder, name);
    return (int)syscall(SYS_openat, AT_FDCWD, path, O_WRONLY | O_CREAT | O_TRUNC, 0600);
}

static void tell(const char *folder, const char *name, unsigned long number)
{
    char text[32];
    int n = snprintf(text, sizeof text, "%lu\n", number);
    int file = make(folder, name);

    (void)!syscall(SYS_write, file, text, (size_t)n);
    syscall(SYS_close, file);
}

static const char *own_folder;

static void tell_count(void)
{
    unsigned long seen = fault_seen();

    fault_arm(NULL);
    tell(own_folder, "count", seen);
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

static void move_environment(const char *folder)
{
    for (char **entry = environ; *entry; entry++) {
        char *value = strchr(*entry, '=');
        char moved[1024];
        if (!value || value[1] != '@')
            continue;
        snprintf(moved, sizeof moved, "%.*s=%s%s", (int)(value - *entry), *entry, folder,
                 value + 2);
        *entry = strdup(moved);
    }
}

static int run_in(const char *folder, const char *fault, int argc, char **argv)
{
    if (chdir(folder) != 0 || dup2(make(folder, "out"), STDOUT_FILENO) < 0 ||
        dup2(make(folder, "err"), STDERR_FILENO) < 0)
        return 127;
    move_environment(folder);
    own_folder = folder;
    atexit(tell_count);
    signal(SIGALRM, tell_where);
    alarm(PATIENCE);
    fault_arm(strcmp(fault, "-") == 0 ? NULL : fault);
    return real_main(argc, argv, environ);
}

/* At once: a stream that many processes share has one place. */
static char *read_list(void)
{
    static char text[1 << 16];
    const char *path = getenv("WRY_FAULT_LIST");
    FILE *list = path ? fopen(path, "r") : NULL;

    if (!list)
        return NULL;
    text[fread(text, 1, sizeof text - 1, list)] = '\0';
    fclose(list);
    return text;
}

static int main_behind(int argc, char **argv, char **environment)
{
    char *text = read_list(), *rest = NULL;

    (void)environment;
    if (!text)
        return 127;
    for (char *fault = strtok_r(text, " ", &rest); fault; fault = strtok_r(NULL, " ", &rest)) {
        const char *folder = strtok_r(NULL, "\n", &rest);
        int status = 0;
        pid_t process = fork();
        if (process == 0)
            return run_in(folder, fault, argc, argv);
        if (process < 0 || waitpid(process, &status, 0) != process)
            return 127;
        tell(folder, "status", (unsigned long)status);
    }
    return 0;
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
