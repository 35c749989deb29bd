/*
 * Exclusive locks on open files (flock): they end with the descriptor, and with the process.
 *
 *     switch (file_lock_try(file)) {
 *     case FILE_LOCK_OURS: ...
 */
#ifndef WRY_BASE_FILE_LOCK_H
#define WRY_BASE_FILE_LOCK_H

enum file_lock {
    FILE_LOCK_OURS,
    FILE_LOCK_HELD,   /* by another process */
    FILE_LOCK_FAILED, /* errno says why; some file systems have no locks */
};

/* Does not wait. */
enum file_lock file_lock_try(int file);

#endif
