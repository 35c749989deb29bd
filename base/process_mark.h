/*
 * A mark by which a process is known on this computer, also after it has ended.
 *
 *     g_autofree char *mark = process_mark_own();
 *     ... later, in another process ...
 *     if (!process_mark_is_alive(mark))
 *         ...
 */
#ifndef WRY_BASE_PROCESS_MARK_H
#define WRY_BASE_PROCESS_MARK_H

#include <stdbool.h>

/* Free with g_free. */
char *process_mark_own(void);

/* False only when that process has surely ended. */
bool process_mark_is_alive(const char *mark);

/*
 * The same mark with the computer in it, of hexadecimal digits and '-' only, for the names of files
 * in folders that several computers share. Free with g_free.
 */
char *process_mark_in_name(void);

/* For a name's rest that begins with such a mark: true if that process, of this computer, has
 * surely ended. */
bool process_mark_in_name_is_dead(const char *text);

#endif
