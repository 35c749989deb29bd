/*
 * Exclusive locks on open files (flock). A lock ends when the descriptor is closed or the process
 * ends.
 *
 *     switch (file_lock_try(file)) {
 *     case FILE_LOCK_OURS:
 *         ...
 */
#pragma once

enum file_lock {
    FILE_LOCK_OURS,
    FILE_LOCK_HELD,   /* another process has it */
    FILE_LOCK_FAILED, /* errno has the reason; some file systems have no locks */
};

/* Takes the lock without waiting. */
enum file_lock file_lock_try(int file);
