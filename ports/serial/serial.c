/* Serial devices and pseudo-terminals. */
#include "wrytograph-host/serial.h"
#include "base/sized.h"
#include "posix/clock.h"
#include "posix/wiring_lines.h"
#include "serial_access.h"

#include <errno.h>
#include <fcntl.h>
#include <grp.h>
#include <poll.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include "port_lock.h"
#include "posix/tty.h"
#include "usb_place.h"

enum {
    WRITE_MS = 10000, /* ms without a byte accepted, after which the line is dead */
    SLICE_MS = 100,   /* ms between checks whether to stop */
    BITS_PER_BYTE = 10,
    UART_BYTES = 64, /* bytes that an adapter may buffer invisibly */
    STARTING_SPEED = 115200,
};

#define BREAK_TIME 250000 /* us that a break lasts */
#define LINE_TIME 40000   /* us between the two outputs, on adapters that set them one at a time */
#define DRAIN_TIME 500000 /* us beyond the line time, after which the line is dead */
#define DRAIN_STEP 1000

struct wry_serial {
    char *path;
    const struct wry_wiring *wiring;
    struct wry_stop stop;
    int descriptor;
    int lock;
    bool has_lines;
    bool quick, was_quick;   /* whether its driver delivers at once, and did before */
    struct usb_place *place; /* NULL if it is not a USB device */
    struct wry_port port;
};

/* Waits for the descriptor: 1 when it is ready, 0 after the time or when asked to stop, -1 on
 * error. */
static int await(const struct wry_serial *serial, short events, int ms)
{
    struct pollfd event = {.fd = serial->descriptor, .events = events};

    for (int left = ms; left > 0 && !wry_stop_asked(serial->stop); left -= SLICE_MS) {
        int ready = poll(&event, 1, MIN(left, SLICE_MS));
        if (ready > 0 || (ready < 0 && errno != EINTR))
            return ready;
    }
    return 0;
}

static enum wry_status port_write(void *context, const uint8_t *bytes, size_t n)
{
    struct wry_serial *serial = context;

    while (n > 0) {
        ssize_t written = write(serial->descriptor, bytes, n);
        if (written > 0) {
            bytes += written;
            n -= (size_t)written;
        } else if ((written < 0 && errno != EAGAIN && errno != EINTR) ||
                   await(serial, POLLOUT, WRITE_MS) <= 0) {
            return WRY_LINK_LOST;
        }
    }
    return WRY_OK;
}

static enum wry_status port_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct wry_serial *serial = context;
    struct pollfd event = {.fd = serial->descriptor, .events = POLLIN};

    *got = 0;
    int ready = poll(&event, 1, posix_clock_wait(deadline));
    if (ready < 0)
        return errno == EINTR ? WRY_OK : WRY_LINK_LOST;
    if (ready == 0)
        return WRY_OK;
    ssize_t n = read(serial->descriptor, bytes, room);
    /* Ready without input: the device is gone. */
    if (n == 0 || (n < 0 && errno != EAGAIN && errno != EINTR))
        return WRY_LINK_LOST;
    *got = n > 0 ? (size_t)n : 0;
    return WRY_OK;
}

/* Waits until everything written has left the system and the adapter. */
static bool drain(const struct wry_serial *serial)
{
    uint32_t baud = MAX(tty_speed(serial->descriptor), 1);
    uint64_t byte = BITS_PER_BYTE * UINT64_C(1000000) / baud;
    uint32_t unsent = tty_unsent(serial->descriptor);
    uint64_t limit = posix_clock_now(NULL) + (unsent + UART_BYTES) * byte + DRAIN_TIME;

    while (tty_unsent(serial->descriptor) > 0 || tty_is_sending(serial->descriptor)) {
        if (posix_clock_now(NULL) >= limit || wry_stop_asked(serial->stop))
            return false;
        g_usleep(DRAIN_STEP);
    }
    if (unsent > 0)
        g_usleep((gulong)(UART_BYTES * byte));
    return true;
}

static enum wry_status port_set_speed(void *context, uint32_t baud)
{
    struct wry_serial *serial = context;

    if (!drain(serial))
        return WRY_LINK_LOST;
    if (tty_set_speed(serial->descriptor, baud))
        return WRY_OK;
    return errno == 0 || errno == EINVAL ? WRY_UNSUPPORTED : WRY_LINK_LOST;
}

static bool port_can_speed(void *context, uint32_t baud)
{
    struct wry_serial *serial = context;
    uint32_t before = tty_speed(serial->descriptor);

    return drain(serial) && tty_set_speed(serial->descriptor, baud) &&
           tty_set_speed(serial->descriptor, before);
}

static enum wry_status port_set_lines(void *context, bool reset, bool boot)
{
    struct wry_serial *serial = context;
    bool dtr, rts;

    if (!serial->has_lines)
        return WRY_OK;
    wiring_outputs(serial->wiring, reset, boot, &dtr, &rts);
    return tty_set_lines(serial->descriptor, dtr, rts) ? WRY_OK : WRY_LINK_LOST;
}

static enum wry_status port_send_break(void *context)
{
    struct wry_serial *serial = context;

    if (!serial->has_lines)
        return WRY_UNSUPPORTED;
    bool sent = tty_set_break(serial->descriptor, true);
    g_usleep(BREAK_TIME);
    return tty_set_break(serial->descriptor, false) && sent ? WRY_OK : WRY_LINK_LOST;
}

static enum wry_status port_discard(void *context)
{
    struct wry_serial *serial = context;

    return tty_discard(serial->descriptor) ? WRY_OK : WRY_LINK_LOST;
}

static bool fail(GError **error, enum wry_serial_error code, const char *path, const char *what)
{
    g_set_error(error, WRY_SERIAL_ERROR, (int)code, "%s: %s", path, what);
    return false;
}

/* The group that may open it and that this process does not belong to; NULL if there is none. */
static char *group_that_lacks(const char *path)
{
    enum { GROUPS_MOST = 256 };
    struct stat about;
    gid_t groups[GROUPS_MOST];
    const gid_t both = S_IRGRP | S_IWGRP;

    if (stat(path, &about) != 0 || (about.st_mode & both) != both || about.st_gid == getegid())
        return NULL;
    int n = getgroups(GROUPS_MOST, groups);
    for (int i = 0; i < n; i++) {
        if (groups[i] == about.st_gid)
            return NULL;
    }
    const struct group *entry = getgrgid(about.st_gid);
    return entry ? g_strdup(entry->gr_name) : g_strdup_printf("%u", (unsigned)about.st_gid);
}

bool serial_check_access(const char *path, GError **error)
{
    if (access(path, F_OK) != 0)
        return fail(error, WRY_SERIAL_ERROR_MISSING, path, "there is no such device");
    if (access(path, R_OK | W_OK) == 0)
        return true;
    g_autofree char *group = group_that_lacks(path);
    g_autofree char *text =
        group ? g_strdup_printf("no permission: it belongs to the group %s, and you are not in it",
                                group)
              : g_strdup("no permission");
    return fail(error, WRY_SERIAL_ERROR_PERMISSION, path, text);
}

static bool fail_open(GError **error, const char *path, const char *device)
{
    if (errno != EBUSY)
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, g_strerror(errno));
    g_autofree char *holder = port_lock_holder(device);
    g_autofree char *text = g_strdup_printf("%s holds it", holder ? holder : "another program");
    return fail(error, WRY_SERIAL_ERROR_BUSY, path, text);
}

static bool fail_speed(GError **error, const struct wry_serial *serial, const char *path)
{
    uint32_t baud = errno == 0 ? tty_speed(serial->descriptor) : 0;

    if (baud == 0)
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "it cannot be set to 8N1 at 115200 baud");
    g_autofree char *text =
        g_strdup_printf("it cannot be set to 115200 baud: it stays at %u", (unsigned)baud);
    return fail(error, WRY_SERIAL_ERROR_OTHER, path, text);
}

/*
 * Opening a device asserts both outputs, whatever they are wired to. Releases them at once. If that
 * has begun a reset, the strap goes first, or the board would enter loading mode.
 */
static bool release_lines(struct wry_serial *serial)
{
    bool reset, boot;

    wiring_meaning(serial->wiring, true, true, &reset, &boot);
    if (reset && port_set_lines(serial, true, false) != WRY_OK)
        return false;
    if (reset)
        g_usleep(LINE_TIME);
    return port_set_lines(serial, false, false) == WRY_OK;
}

static bool open_terminal(struct wry_serial *serial, const char *device, const char *path,
                          GError **error)
{
    serial->descriptor = open(device, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (serial->descriptor < 0)
        return fail_open(error, path, device);
    if (!isatty(serial->descriptor))
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "it is not a serial port");
    serial->has_lines = tty_has_lines(serial->descriptor);
    /* The setting of a pseudo-terminal would outlast this process. */
    if (serial->has_lines)
        tty_set_exclusive(serial->descriptor, true);
    if (serial->has_lines && !release_lines(serial))
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "its outputs cannot be set");
    if (!tty_make_raw(serial->descriptor))
        return fail_speed(error, serial, path);
    serial->quick = tty_set_quick(serial->descriptor, true, &serial->was_quick);
    return true;
}

/* Judges without opening it; pseudo-terminals are not in the system's list of devices. */
static bool may_be_terminal(const char *device)
{
    struct stat about;

    if (stat(device, &about) != 0 || !S_ISCHR(about.st_mode))
        return false;
    g_autofree char *link = g_strdup_printf("/sys/dev/char/%u:%u/subsystem", major(about.st_rdev),
                                            minor(about.st_rdev));
    g_autofree char *class = g_file_read_link(link, NULL);
    return !class || g_str_has_suffix(class, "/tty");
}

/* path may be a link, as in /dev/serial/by-id. */
static bool set_up(struct wry_serial *serial, const char *path, GError **error)
{
    char *real = realpath(path, NULL);
    g_autofree char *device = real ? g_strdup(real) : g_canonicalize_filename(path, NULL);

    free(real);
    if (!may_be_terminal(device))
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "it is not a serial port");
    serial->lock = port_lock_take(path, device, error);
    if (serial->lock < 0 || !open_terminal(serial, device, path, error))
        return false;
    /* If the system does not know it yet, keep the previous place. */
    struct usb_place *place = usb_place_of(device);
    if (place) {
        usb_place_free(serial->place);
        serial->place = place;
    }
    return true;
}

static void shut(struct wry_serial *serial)
{
    bool was;

    if (serial->descriptor >= 0) {
        if (serial->has_lines)
            port_set_lines(serial, false, false);
        if (serial->quick && !serial->was_quick)
            tty_set_quick(serial->descriptor, false, &was);
        if (serial->has_lines)
            tty_set_exclusive(serial->descriptor, false);
        close(serial->descriptor);
    }
    if (serial->lock >= 0)
        close(serial->lock);
    serial->descriptor = serial->lock = -1;
    serial->has_lines = serial->quick = false;
}

/* The adapter may come back under another name. */
static enum wry_status port_reopen(void *context)
{
    struct wry_serial *serial = context;

    shut(serial);
    g_autofree char *found = serial->place ? usb_place_find(serial->place) : NULL;
    const char *path = serial->place ? found : serial->path;
    if (path && serial_check_access(path, NULL) && set_up(serial, path, NULL))
        return WRY_OK;
    shut(serial);
    return WRY_LINK_LOST;
}

struct wry_serial *wry_serial_open_of(const struct wry_serial_settings *given, size_t size,
                                      GError **error)
{
    const struct wry_serial_settings *settings = SIZED(struct wry_serial_settings, given, size);
    struct wry_serial *serial = g_new0(struct wry_serial, 1);

    serial->path = g_strdup(settings->path);
    serial->descriptor = serial->lock = -1;
    serial->wiring = settings->wiring;
    serial->stop = settings->stop;
    serial->port = (struct wry_port){.context = serial,
                                     .write = port_write,
                                     .read = port_read,
                                     .set_speed = port_set_speed,
                                     .can_speed = port_can_speed,
                                     .set_lines = port_set_lines,
                                     .send_break = port_send_break,
                                     .discard = port_discard,
                                     .reopen = port_reopen,
                                     .now = posix_clock_now,
                                     .sleep = posix_clock_sleep,
                                     .top_speed = 3000000};
    if (serial_check_access(serial->path, error) && set_up(serial, serial->path, error))
        return serial;
    wry_serial_close(serial);
    return NULL;
}

const struct wry_port *wry_serial_port(const struct wry_serial *serial)
{
    return &serial->port;
}

char *wry_serial_adapter(const struct wry_serial *serial)
{
    return serial->place ? usb_place_name(serial->place) : g_strdup(serial->path);
}

void wry_serial_take_wiring(struct wry_serial *serial, const struct wry_wiring *wiring)
{
    serial->wiring = wiring;
}

void wry_serial_close(struct wry_serial *serial)
{
    if (!serial)
        return;
    shut(serial);
    usb_place_free(serial->place);
    g_free(serial->path);
    g_free(serial);
}
