/*
 * How a caller ends long work early: a function that is asked repeatedly while the work runs or
 * waits.
 *
 *     struct wry_stop stop = {.context = &button, .asked = is_pressed};
 */
#ifndef WRYTOGRAPH_HOST_STOP_H
#define WRYTOGRAPH_HOST_STOP_H

#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_stop {
    void *context;                /* argument of asked */
    bool (*asked)(void *context); /* true: end now. NULL: never */
};

static inline bool wry_stop_asked(struct wry_stop stop)
{
    return stop.asked != NULL && stop.asked(stop.context);
}

#ifdef __cplusplus
}
#endif

#endif
