/*
 * Options of callers that were compiled with headers of another version: their struct may end
 * earlier, or later. What they lack is 0, which is each member's default; what this version does
 * not know is not looked at.
 *
 *     const struct wry_erase_options *options = SIZED(struct wry_erase_options, given, size);
 */
#pragma once

#include <glib.h>
#include <string.h>

/* Valid until the end of the block. given must not be NULL. */
#define SIZED(type, given, size)                                                                   \
    ((const type *)sized_copy(&(type){0}, sizeof(type), (given), (size)))

static inline const void *sized_copy(void *to, size_t room, const void *given, size_t size)
{
    return memcpy(to, given, MIN(size, room));
}
