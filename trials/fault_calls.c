/* Calls of the system, which fail when that is asked for. */
#define _GNU_SOURCE
#undef _FILE_OFFSET_BITS /* each name of a call is its own */
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdatomic.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <unistd.h>

#include "fault_calls.h"

enum {
    BOARD_FILES = 1024, /* descriptors that are looked at */
};

enum kind {
    NONE,
    OPEN,
    READ,
    WRITE,
    SYNC,
    RENAME,
    MAP,
    MEMORY,
    ANY, /* of those but memory */
};

static enum kind failing;
static unsigned long failing_at;
static bool all_after, killing;
static atomic_ulong seen;
static atomic_bool armed;
static atomic_bool of_board[BOARD_FILES];

/* What memory is served from while the real functions are looked up. */
static _Alignas(16) char first_memory[1 << 14];
static size_t first_used;

static void *(*real_malloc)(size_t n);
static void *(*real_calloc)(size_t count, size_t n);
static void *(*real_realloc)(void *old, size_t n);

#define REAL(name) ((__typeof__(&name))dlsym(RTLD_NEXT, #name))

/* True when this call is to fail. */
static bool fails(enum kind kind, int error)
{
    if ((kind != failing && (failing != ANY || kind == MEMORY)) || !atomic_load(&armed))
        return false;
    unsigned long n = atomic_fetch_add(&seen, 1) + 1;
    if (n != failing_at && !(all_after && n > failing_at))
        return false;
    if (killing)
        _exit(FAULT_KILLED);
    errno = error;
    return true;
}

static bool is_board_path(const char *path)
{
    static const char *const names[] = {"flash.bin", "board.yaml", "buttons"};
    const char *last = strrchr(path, '/');

    last = last ? last + 1 : path;
    for (size_t i = 0; i < sizeof names / sizeof names[0]; i++) {
        if (strncmp(last, names[i], strlen(names[i])) == 0)
            return true;
    }
    return false;
}

static bool is_board_file(int file)
{
    return file >= 0 && file < BOARD_FILES && atomic_load(&of_board[file]);
}

static int note(int file, const char *path)
{
    if (file >= 0 && file < BOARD_FILES)
        atomic_store(&of_board[file], is_board_path(path));
    return file;
}

#define OPENING(name, given, passed)                                                               \
    int name given                                                                                 \
    {                                                                                              \
        mode_t mode = 0;                                                                           \
        if (flags & (O_CREAT | O_TMPFILE)) {                                                       \
            va_list arguments;                                                                     \
            va_start(arguments, flags);                                                            \
            mode = va_arg(arguments, mode_t);                                                      \
            va_end(arguments);                                                                     \
        }                                                                                          \
        if (!is_board_path(path) && fails(OPEN, flags & O_CREAT ? ENOSPC : EMFILE))                \
            return -1;                                                                             \
        return note(REAL(name) passed, path);                                                      \
    }

OPENING(open, (const char *path, int flags, ...), (path, flags, mode))
OPENING(open64, (const char *path, int flags, ...), (path, flags, mode))
OPENING(openat, (int folder, const char *path, int flags, ...), (folder, path, flags, mode))
OPENING(openat64, (int folder, const char *path, int flags, ...), (folder, path, flags, mode))

#define OPENING_STREAM(name)                                                                       \
    FILE *name(const char *path, const char *how)                                                  \
    {                                                                                              \
        if (!is_board_path(path) && fails(OPEN, EMFILE))                                           \
            return NULL;                                                                           \
        FILE *stream = REAL(name)(path, how);                                                      \
        if (stream)                                                                                \
            note(fileno(stream), path);                                                            \
        return stream;                                                                             \
    }

OPENING_STREAM(fopen)
OPENING_STREAM(fopen64)

#define MOVING(type, name, kind, error, given, passed)                                             \
    type name given                                                                                \
    {                                                                                              \
        if (!is_board_file(file) && fails(kind, error))                                            \
            return (type)-1;                                                                       \
        return REAL(name) passed;                                                                  \
    }

MOVING(ssize_t, read, READ, EIO, (int file, void *to, size_t n), (file, to, n))
MOVING(ssize_t, pread, READ, EIO, (int file, void *to, size_t n, off_t at), (file, to, n, at))
MOVING(ssize_t, pread64, READ, EIO, (int file, void *to, size_t n, off64_t at), (file, to, n, at))
MOVING(ssize_t, write, WRITE, ENOSPC, (int file, const void *from, size_t n), (file, from, n))
MOVING(ssize_t, pwrite, WRITE, ENOSPC, (int file, const void *from, size_t n, off_t at),
       (file, from, n, at))
MOVING(ssize_t, pwrite64, WRITE, ENOSPC, (int file, const void *from, size_t n, off64_t at),
       (file, from, n, at))
MOVING(ssize_t, writev, WRITE, ENOSPC, (int file, const struct iovec *parts, int n),
       (file, parts, n))
MOVING(int, ftruncate, WRITE, ENOSPC, (int file, off_t n), (file, n))
MOVING(int, ftruncate64, WRITE, ENOSPC, (int file, off64_t n), (file, n))
MOVING(int, fallocate, WRITE, ENOSPC, (int file, int how, off_t at, off_t n), (file, how, at, n))
MOVING(int, fsync, SYNC, EIO, (int file), (file))
MOVING(int, fdatasync, SYNC, EIO, (int file), (file))

/* A stream remembers that something failed. */
static bool stream_fails(FILE *stream, enum kind kind, int error)
{
    bool failed = !(stream && is_board_file(fileno(stream))) && fails(kind, error);

    if (failed && stream)
        stream->_flags |= 0x20; /* as glibc marks it, for ferror */
    return failed;
}

size_t fwrite(const void *from, size_t size, size_t n, FILE *stream)
{
    return stream_fails(stream, WRITE, ENOSPC) ? 0 : REAL(fwrite)(from, size, n, stream);
}

size_t fread(void *to, size_t size, size_t n, FILE *stream)
{
    return stream_fails(stream, READ, EIO) ? 0 : REAL(fread)(to, size, n, stream);
}

int fflush(FILE *stream)
{
    return stream_fails(stream, WRITE, ENOSPC) ? EOF : REAL(fflush)(stream);
}

int fclose(FILE *stream)
{
    bool failed = stream_fails(stream, WRITE, ENOSPC);
    int code = REAL(fclose)(stream);

    if (failed)
        errno = ENOSPC;
    return failed ? EOF : code;
}

int rename(const char *from, const char *to)
{
    return !is_board_path(to) && fails(RENAME, EIO) ? -1 : REAL(rename)(from, to);
}

int link(const char *from, const char *to)
{
    return fails(RENAME, EIO) ? -1 : REAL(link)(from, to);
}

int unlink(const char *path)
{
    return !is_board_path(path) && fails(RENAME, EIO) ? -1 : REAL(unlink)(path);
}

#define MAPPING(name, offset)                                                                      \
    void *name(void *at, size_t n, int access, int how, int file, offset from)                     \
    {                                                                                              \
        if (!is_board_file(file) && fails(MAP, ENOMEM))                                            \
            return MAP_FAILED;                                                                     \
        return REAL(name)(at, n, access, how, file, from);                                         \
    }

MAPPING(mmap, off_t)
MAPPING(mmap64, off64_t)

static void *take_first(size_t n)
{
    void *memory = first_memory + first_used;

    first_used += (n + 15) & ~(size_t)15;
    return first_used <= sizeof first_memory ? memory : NULL;
}

/* False while it is at work: looking up needs memory itself. */
static bool look_up_memory(void)
{
    static bool looking;

    if (real_realloc || looking)
        return real_realloc != NULL;
    looking = true;
    real_malloc = (void *(*)(size_t))dlsym(RTLD_NEXT, "__libc_malloc");
    real_calloc = (void *(*)(size_t, size_t))dlsym(RTLD_NEXT, "__libc_calloc");
    real_realloc = (void *(*)(void *, size_t))dlsym(RTLD_NEXT, "__libc_realloc");
    return true;
}

/* The command has functions of its own above these. */
void *__libc_malloc(size_t n)
{
    if (!look_up_memory())
        return take_first(n);
    return fails(MEMORY, ENOMEM) ? NULL : real_malloc(n);
}

void *__libc_calloc(size_t count, size_t n)
{
    if (!look_up_memory())
        return take_first(count * n);
    return fails(MEMORY, ENOMEM) ? NULL : real_calloc(count, n);
}

void *__libc_realloc(void *old, size_t n)
{
    look_up_memory();
    return fails(MEMORY, ENOMEM) ? NULL : real_realloc(old, n);
}

void fault_arm(const char *wish)
{
    static const char *const names[] = {"",       "open", "read",   "write", "sync",
                                        "rename", "map",  "memory", "any"};
    const char *colon = wish ? strchr(wish, ':') : NULL;

    atomic_store(&armed, false);
    failing = NONE;
    for (size_t i = 1; colon && i < sizeof names / sizeof names[0]; i++) {
        if (strncmp(wish, names[i], (size_t)(colon - wish)) == 0)
            failing = (enum kind)i;
    }
    failing_at = colon ? strtoul(colon + 1, NULL, 10) : 0;
    all_after = colon && strchr(colon, '+');
    killing = colon && strchr(colon, '!');
    atomic_store(&seen, 0);
    atomic_store(&armed, wish != NULL);
}

unsigned long fault_seen(void)
{
    return atomic_load(&seen);
}
