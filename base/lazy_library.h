/*
 * A shared library that is loaded when it is first needed. Some need dozens of others, whose
 * symbols would make up three quarters of the start of every command.
 *
 *     #define FISH_CALLS(CALL) CALL(fish_new) CALL(fish_free)
 *     FISH_CALLS(LAZY_DECLARE)     after the library's header
 *     #ifndef LAZY_LINKED          a program that is linked with it (cmake/lazy.cmake)
 *     #define fish_new lazy_fish_new
 *     #endif
 *
 *     FISH_CALLS(LAZY_DEFINE)      in one file
 *     static const struct lazy_call calls[] = {FISH_CALLS(LAZY_ENTRY)};
 */
#pragma once

#include <glib.h>

#define LAZY_DECLARE(name) extern __typeof__(name) *lazy_##name;
#define LAZY_DEFINE(name) __typeof__(lazy_##name) lazy_##name;
#define LAZY_ENTRY(name) {#name, &lazy_##name},

struct lazy_call {
    const char *name;
    void *to; /* address of the pointer to the function */
};

struct lazy_library {
    const char *file; /* as the system's loader looks it up */
    const struct lazy_call *calls;
    gsize count;
    GMutex lock;
    gboolean loaded;
};

/* Loads it, if it is not yet. FALSE with error, which names the file. From any thread. */
gboolean lazy_library_load(struct lazy_library *library, GError **error);
