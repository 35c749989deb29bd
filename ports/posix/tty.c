/* Terminals by Linux's own interface. */
#include "tty.h"

#include <asm/termbits.h>
#include <sys/ioctl.h>

bool tty_make_raw(int descriptor)
{
    struct termios2 settings;

    if (ioctl(descriptor, TCGETS2, &settings) != 0)
        return false;
    settings.c_iflag = 0;
    settings.c_oflag = 0;
    settings.c_lflag = 0;
    settings.c_cflag = CS8 | CREAD | CLOCAL | B115200;
    settings.c_ispeed = settings.c_ospeed = 115200;
    settings.c_cc[VMIN] = 1;
    settings.c_cc[VTIME] = 0;
    return ioctl(descriptor, TCSETS2, &settings) == 0;
}

bool tty_set_speed(int descriptor, uint32_t baud)
{
    struct termios2 settings;

    if (ioctl(descriptor, TCGETS2, &settings) != 0)
        return false;
    settings.c_cflag &= ~(tcflag_t)CBAUD;
    settings.c_cflag |= BOTHER;
    settings.c_ispeed = settings.c_ospeed = baud;
    return ioctl(descriptor, TCSETSW2, &settings) == 0;
}

uint32_t tty_speed(int descriptor)
{
    struct termios2 settings;

    return ioctl(descriptor, TCGETS2, &settings) == 0 ? settings.c_ospeed : 0;
}

bool tty_discard(int descriptor)
{
    return ioctl(descriptor, TCFLSH, TCIFLUSH) == 0;
}
