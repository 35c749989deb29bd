/*
 * Marks that identify a process of this computer, even after it has ended.
 *
 *     g_autofree char *mark = process_mark_own();
 *     ... later, in another process ...
 *     if (!process_mark_is_alive(mark))
 *         ...
 */
#pragma once

#include <stdbool.h>

/* The mark of this process; free with g_free. */
char *process_mark_own(void);

/* False only if that process has certainly ended. */
bool process_mark_is_alive(const char *mark);

/*
 * A mark that also identifies the computer, of hexadecimal digits and '-', for file names in
 * folders shared by several computers. Free with g_free.
 */
char *process_mark_in_name(void);

/* For a file name's tail that begins with such a mark: true if the process belonged to this
 * computer and has certainly ended. */
bool process_mark_in_name_is_dead(const char *text);
