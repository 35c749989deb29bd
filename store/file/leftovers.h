/*
 * Temporary files and folders that a killed process leaves behind.
 *
 * The name of each says on which computer, since which boot and by which process it was created, so
 * that any later run can see that it is no longer in use.
 *
 *     leftovers_remove(folder);
 *     g_autofree char *path = leftovers_path(folder, "part");
 */
#pragma once

#include <stdbool.h>

/* A hidden path in folder that no other call returns; nothing is created. purpose: letters. Free
 * with g_free. */
char *leftovers_path(const char *folder, const char *purpose);

/* Creates a folder for temporary content, mode 0700, in the system's folder of temporary files, and
 * removes what killed processes left there. NULL with errno; free with g_free. */
char *leftovers_new_folder(const char *purpose);

/* True for a name that leftovers_path gave (or one that begins with it) to a process of this
 * computer that has surely ended. */
bool leftovers_is_one(const char *name);

/* Removes such files and folders, if they belong to this user. A folder that cannot be read is
 * passed over: whatever needs it reports that. */
void leftovers_remove(const char *folder);
