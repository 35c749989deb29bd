/* A real serial device or pseudo-terminal. */
#include "wrytograph-host/serial.h"

#include <errno.h>
#include <fcntl.h>
#include <libserialport.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/file_lock.h"
#include "posix/tty.h"
#include "wrytograph-host/clock.h"

#define BREAK_TIME 250000 /* us that a break lasts */

enum {
    WRITE_MS = 10000, /* without a byte taken that mean a dead line */
};

struct wry_serial {
    char *path;
    struct sp_port *device; /* NULL for a pseudo-terminal */
    int descriptor;
    int lock; /* another descriptor of the device, which holds the lock */
    const struct wry_wiring *wiring;
    bool has_lines;
    struct wry_port port;
};

GQuark wry_serial_error_quark(void)
{
    return g_quark_from_static_string("wrytograph-serial");
}

static enum wry_status port_write(void *context, const uint8_t *bytes, size_t n)
{
    struct wry_serial *serial = context;
    struct pollfd event = {.fd = serial->descriptor, .events = POLLOUT};

    while (n > 0) {
        ssize_t written = write(serial->descriptor, bytes, n);
        if (written > 0) {
            bytes += written;
            n -= (size_t)written;
        } else if ((written < 0 && errno != EAGAIN && errno != EINTR) ||
                   poll(&event, 1, WRITE_MS) <= 0) {
            /* A signal ends the wait as well: the user may have asked to stop. */
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
    int ready = poll(&event, 1, wry_clock_wait(deadline));
    if (ready < 0)
        return errno == EINTR ? WRY_OK : WRY_LINK_LOST;
    if (ready == 0)
        return WRY_OK;
    ssize_t n = read(serial->descriptor, bytes, room);
    /* Ready, and yet nothing to read: the device is gone. */
    if (n == 0 || (n < 0 && errno != EAGAIN && errno != EINTR))
        return WRY_LINK_LOST;
    *got = n > 0 ? (size_t)n : 0;
    return WRY_OK;
}

static enum wry_status port_set_speed(void *context, uint32_t baud)
{
    struct wry_serial *serial = context;

    bool set = serial->device ? sp_drain(serial->device) == SP_OK &&
                                    sp_set_baudrate(serial->device, (int)baud) == SP_OK
                              : tty_set_speed(serial->descriptor, baud);

    return set ? WRY_OK : WRY_LINK_LOST;
}

static enum wry_status port_set_lines(void *context, bool reset, bool boot)
{
    struct wry_serial *serial = context;
    bool dtr, rts;

    if (!serial->has_lines || serial->wiring->none)
        return WRY_OK;
    wry_wiring_outputs(serial->wiring, reset, boot, &dtr, &rts);
    if (sp_set_dtr(serial->device, dtr ? SP_DTR_ON : SP_DTR_OFF) != SP_OK ||
        sp_set_rts(serial->device, rts ? SP_RTS_ON : SP_RTS_OFF) != SP_OK)
        return WRY_LINK_LOST;
    return WRY_OK;
}

static enum wry_status port_send_break(void *context)
{
    struct wry_serial *serial = context;

    if (!serial->device)
        return WRY_UNSUPPORTED;
    bool sent = sp_start_break(serial->device) == SP_OK;
    g_usleep(BREAK_TIME);
    return sp_end_break(serial->device) == SP_OK && sent ? WRY_OK : WRY_LINK_LOST;
}

static enum wry_status port_discard(void *context)
{
    struct wry_serial *serial = context;

    bool discarded = serial->device ? sp_flush(serial->device, SP_BUF_INPUT) == SP_OK
                                    : tty_discard(serial->descriptor);

    return discarded ? WRY_OK : WRY_LINK_LOST;
}

/* The other program that has the device open, as "NAME (process N)"; NULL when none can be told. */
static char *find_holder(const char *path)
{
    GDir *processes = g_dir_open("/proc", 0, NULL);
    const char *process;
    char *holder = NULL;

    while (processes && !holder && (process = g_dir_read_name(processes))) {
        g_autofree char *folder = g_build_filename("/proc", process, "fd", NULL);
        GDir *files = g_ascii_isdigit(process[0]) && atoi(process) != (int)getpid()
                          ? g_dir_open(folder, 0, NULL)
                          : NULL;
        const char *file;
        while (files && !holder && (file = g_dir_read_name(files))) {
            g_autofree char *link = g_build_filename(folder, file, NULL);
            g_autofree char *target = g_file_read_link(link, NULL);
            if (g_strcmp0(target, path) != 0)
                continue;
            g_autofree char *comm = g_build_filename("/proc", process, "comm", NULL);
            g_autofree char *name = NULL;
            g_file_get_contents(comm, &name, NULL, NULL);
            holder =
                g_strdup_printf("%s (process %s)", name ? g_strchomp(name) : "a program", process);
        }
        if (files)
            g_dir_close(files);
    }
    if (processes)
        g_dir_close(processes);
    return holder;
}

static bool fail(GError **error, enum wry_serial_error code, const char *path, const char *what)
{
    g_set_error(error, WRY_SERIAL_ERROR, (int)code, "%s: %s", path, what);
    return false;
}

bool wry_serial_check_access(const char *path, GError **error)
{
    if (access(path, F_OK) != 0)
        return fail(error, WRY_SERIAL_ERROR_MISSING, path, "there is no such device");
    if (access(path, R_OK | W_OK) != 0)
        return fail(error, WRY_SERIAL_ERROR_PERMISSION, path, "you may not open it");
    return true;
}

/*
 * The lock is taken before the device is set up: setting a port pulls its outputs, and resets a
 * board that another program is at work on. *lock is -1 where the device cannot be opened: opening
 * it for use reports why.
 */
static enum file_lock claim(const char *device, int *lock)
{
    *lock = open(device, O_RDONLY | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    return *lock >= 0 ? file_lock_try(*lock) : FILE_LOCK_OURS;
}

static bool fail_busy(GError **error, const char *path, const char *holder)
{
    g_autofree char *text = g_strdup_printf("%s holds it", holder ? holder : "another program");

    return fail(error, WRY_SERIAL_ERROR_BUSY, path, text);
}

static bool fail_open(GError **error, const char *path)
{
    return errno == EBUSY ? fail_busy(error, path, NULL)
                          : fail(error, WRY_SERIAL_ERROR_OTHER, path, g_strerror(errno));
}

/* A serial device that the system lists. */
static bool open_device(struct wry_serial *serial, const char *path, GError **error)
{
    enum sp_signal signals;

    if (sp_open(serial->device, SP_MODE_READ_WRITE) != SP_OK)
        return fail_open(error, path);
    if (sp_get_port_handle(serial->device, &serial->descriptor) != SP_OK ||
        sp_set_baudrate(serial->device, 115200) != SP_OK ||
        sp_set_bits(serial->device, 8) != SP_OK ||
        sp_set_parity(serial->device, SP_PARITY_NONE) != SP_OK ||
        sp_set_stopbits(serial->device, 1) != SP_OK ||
        sp_set_flowcontrol(serial->device, SP_FLOWCONTROL_NONE) != SP_OK)
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "it cannot be set to 8N1 at 115200 baud");
    serial->has_lines = sp_get_signals(serial->device, &signals) == SP_OK;
    return true;
}

/* Anything else that is a terminal: a pseudo-terminal. */
static bool open_terminal(struct wry_serial *serial, const char *device, const char *path,
                          GError **error)
{
    serial->descriptor = open(device, O_RDWR | O_NOCTTY | O_NONBLOCK | O_CLOEXEC);
    if (serial->descriptor < 0)
        return fail_open(error, path);
    if (!isatty(serial->descriptor))
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "it is no serial port");
    if (!tty_make_raw(serial->descriptor))
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, "it cannot be set to 8N1 at 115200 baud");
    return true;
}

/* path may be a link, as in /dev/serial/by-id: the system lists what it leads to. */
static bool set_up(struct wry_serial *serial, const char *path, GError **error)
{
    g_autofree char *device = g_canonicalize_filename(path, NULL);
    char *real = realpath(path, NULL);

    if (real) {
        g_free(device);
        device = g_strdup(real);
        free(real);
    }
    bool listed = sp_get_port_by_name(device, &serial->device) == SP_OK;
    g_autofree char *holder = listed ? find_holder(device) : NULL;
    if (holder)
        return fail_busy(error, path, holder);
    enum file_lock lock = claim(device, &serial->lock);
    if (lock == FILE_LOCK_FAILED) {
        g_autofree char *text = g_strdup_printf("it cannot be locked: %s", g_strerror(errno));
        return fail(error, WRY_SERIAL_ERROR_OTHER, path, text);
    }
    if (lock == FILE_LOCK_HELD) {
        g_autofree char *other = find_holder(device);
        return fail_busy(error, path, other);
    }
    return listed ? open_device(serial, path, error) : open_terminal(serial, device, path, error);
}

static void shut(struct wry_serial *serial)
{
    if (serial->device) {
        sp_close(serial->device);
        sp_free_port(serial->device);
    } else if (serial->descriptor >= 0) {
        close(serial->descriptor);
    }
    if (serial->lock >= 0)
        close(serial->lock);
    serial->device = NULL;
    serial->descriptor = serial->lock = -1;
}

static enum wry_status port_reopen(void *context)
{
    struct wry_serial *serial = context;

    shut(serial);
    return wry_serial_check_access(serial->path, NULL) && set_up(serial, serial->path, NULL)
               ? WRY_OK
               : WRY_LINK_LOST;
}

struct wry_serial *wry_serial_open(const char *path, const struct wry_wiring *wiring,
                                   GError **error)
{
    struct wry_serial *serial = g_new0(struct wry_serial, 1);

    serial->path = g_strdup(path);
    serial->descriptor = serial->lock = -1;
    serial->wiring = wiring;
    serial->port = (struct wry_port){.context = serial,
                                     .write = port_write,
                                     .read = port_read,
                                     .set_speed = port_set_speed,
                                     .set_lines = port_set_lines,
                                     .send_break = port_send_break,
                                     .discard = port_discard,
                                     .reopen = port_reopen,
                                     .now = wry_clock_now,
                                     .sleep = wry_clock_sleep,
                                     .top_speed = 3000000};
    if (wry_serial_check_access(path, error) && set_up(serial, path, error))
        return serial;
    wry_serial_close(serial);
    return NULL;
}

const struct wry_port *wry_serial_port(const struct wry_serial *serial)
{
    return &serial->port;
}

void wry_serial_close(struct wry_serial *serial)
{
    if (!serial)
        return;
    shut(serial);
    g_free(serial->path);
    g_free(serial);
}
