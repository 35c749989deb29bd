/* Terminals, through the interface of Linux (termios2). */
#include "tty.h"

#include <asm/termbits.h>
#include <errno.h>
#include <linux/serial.h>
#include <linux/tty_flags.h>
#include <sys/ioctl.h>

#include "speed.h"

/* A driver that does not support a speed may keep another one without an error. */
static bool set_and_check(int descriptor, struct termios2 *settings, uint32_t baud)
{
    settings->c_cflag &= ~(tcflag_t)CBAUD;
    settings->c_cflag |= BOTHER;
    settings->c_ispeed = settings->c_ospeed = baud;
    if (ioctl(descriptor, TCSETS2, settings) != 0)
        return false;
    errno = 0;
    return speed_is_near(tty_speed(descriptor), baud);
}

bool tty_make_raw(int descriptor)
{
    struct termios2 settings;

    if (ioctl(descriptor, TCGETS2, &settings) != 0)
        return false;
    settings.c_iflag = 0;
    settings.c_oflag = 0;
    settings.c_lflag = 0;
    settings.c_cflag = CS8 | CREAD | CLOCAL;
    settings.c_cc[VMIN] = 1;
    settings.c_cc[VTIME] = 0;
    return set_and_check(descriptor, &settings, 115200);
}

bool tty_set_speed(int descriptor, uint32_t baud)
{
    struct termios2 settings, before;

    if (ioctl(descriptor, TCGETS2, &settings) != 0)
        return false;
    before = settings;
    if (set_and_check(descriptor, &settings, baud))
        return true;
    int problem = errno;
    ioctl(descriptor, TCSETS2, &before);
    errno = problem;
    return false;
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

uint32_t tty_unsent(int descriptor)
{
    int bytes = 0;

    return ioctl(descriptor, TIOCOUTQ, &bytes) == 0 && bytes > 0 ? (uint32_t)bytes : 0;
}

bool tty_is_sending(int descriptor)
{
    unsigned status = 0;

    return ioctl(descriptor, TIOCSERGETLSR, &status) == 0 && (status & TIOCSER_TEMT) == 0;
}

bool tty_has_lines(int descriptor)
{
    int lines;

    return ioctl(descriptor, TIOCMGET, &lines) == 0;
}

bool tty_set_lines(int descriptor, bool dtr, bool rts)
{
    int lines;

    if (ioctl(descriptor, TIOCMGET, &lines) != 0)
        return false;
    lines &= ~(TIOCM_DTR | TIOCM_RTS);
    lines |= (dtr ? TIOCM_DTR : 0) | (rts ? TIOCM_RTS : 0);
    return ioctl(descriptor, TIOCMSET, &lines) == 0;
}

bool tty_set_break(int descriptor, bool on)
{
    return ioctl(descriptor, on ? TIOCSBRK : TIOCCBRK) == 0;
}

bool tty_set_exclusive(int descriptor, bool on)
{
    return ioctl(descriptor, on ? TIOCEXCL : TIOCNXCL) == 0;
}

bool tty_set_quick(int descriptor, bool on, bool *was)
{
    struct serial_struct settings;

    if (ioctl(descriptor, TIOCGSERIAL, &settings) != 0)
        return false;
    *was = ((unsigned)settings.flags & ASYNC_LOW_LATENCY) != 0;
    if (on)
        settings.flags = (int)((unsigned)settings.flags | ASYNC_LOW_LATENCY);
    else
        settings.flags = (int)((unsigned)settings.flags & ~ASYNC_LOW_LATENCY);
    return *was == on || ioctl(descriptor, TIOCSSERIAL, &settings) == 0;
}
