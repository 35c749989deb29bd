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

#endif
