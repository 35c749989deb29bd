/* Exclusive locks on open files. */
#include "file_lock.h"

#include <errno.h>
#include <sys/file.h>

enum file_lock file_lock_try(int file)
{
    int code;

    do
        code = flock(file, LOCK_EX | LOCK_NB);
    while (code != 0 && errno == EINTR);
    if (code == 0)
        return FILE_LOCK_OURS;
    return errno == EWOULDBLOCK ? FILE_LOCK_HELD : FILE_LOCK_FAILED;
}
