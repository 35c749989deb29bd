/* Pseudo-terminals. */
#include "pty.h"

#include <fcntl.h>
#include <poll.h>
#include <stdlib.h>
#include <unistd.h>

#include "serial/tty.h"

int pty_open(char *path, unsigned room)
{
    int descriptor = posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);

    if (descriptor < 0)
        return -1;
    if (grantpt(descriptor) != 0 || unlockpt(descriptor) != 0 ||
        ptsname_r(descriptor, path, room) != 0 || !tty_make_raw(descriptor)) {
        close(descriptor);
        return -1;
    }
    /* Until the other side was opened once, it does not count as closed. */
    int other = open(path, O_RDWR | O_NOCTTY | O_CLOEXEC);
    if (other >= 0)
        close(other);
    return descriptor;
}

bool pty_is_open(int descriptor)
{
    struct pollfd event = {.fd = descriptor};

    return poll(&event, 1, 0) >= 0 && (event.revents & POLLHUP) == 0;
}
