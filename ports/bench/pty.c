/* Pseudo-terminals. */
#include "pty.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <sys/inotify.h>
#include <unistd.h>

#include "posix/tty.h"

static bool set_up(struct pty *pty)
{
    if (grantpt(pty->descriptor) != 0 || unlockpt(pty->descriptor) != 0 ||
        ptsname_r(pty->descriptor, pty->path, sizeof pty->path) != 0 ||
        !tty_make_raw(pty->descriptor))
        return false;
    pty->watch = inotify_init1(IN_NONBLOCK | IN_CLOEXEC);
    return pty->watch >= 0 && inotify_add_watch(pty->watch, pty->path,
                                                IN_OPEN | IN_CLOSE_WRITE | IN_CLOSE_NOWRITE) >= 0;
}

bool pty_open(struct pty *pty)
{
    pty->watch = -1;
    pty->open = 0;
    pty->descriptor = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (pty->descriptor < 0)
        return false;
    if (set_up(pty))
        return true;
    int problem = errno;
    pty_close(pty);
    errno = problem;
    return false;
}

void pty_close(struct pty *pty)
{
    if (pty->descriptor >= 0)
        close(pty->descriptor);
    if (pty->watch >= 0)
        close(pty->watch);
    pty->descriptor = pty->watch = -1;
}

bool pty_changed(struct pty *pty, bool *open)
{
    struct inotify_event event;

    /* One event per read: a file is watched, so events have no names. */
    while (pty->watch >= 0 && read(pty->watch, &event, sizeof event) == (ssize_t)sizeof event) {
        bool was_open = pty->open > 0;
        if (event.mask & IN_OPEN)
            pty->open++;
        else if ((event.mask & (IN_CLOSE_WRITE | IN_CLOSE_NOWRITE)) && pty->open > 0)
            pty->open--;
        *open = pty->open > 0;
        if (*open != was_open)
            return true;
    }
    return false;
}
