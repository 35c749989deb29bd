/* Locks of serial devices. */
#include "port_lock.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <unistd.h>

#include "base/file_lock.h"
#include "base/folder_names.h"
#include "wrytograph-host/serial.h"

enum {
    LOCK_MODE = 0666, /* other users lock the same devices */
    TEXT_MOST = 128,
};

/* Folders for files of all users; the first that exists is used. */
static const char *const folders[] = {"/run/lock", "/tmp"};

static const char *lock_folder(void)
{
    for (size_t i = 0; i + 1 < G_N_ELEMENTS(folders); i++) {
        if (access(folders[i], W_OK | X_OK) == 0)
            return folders[i];
    }
    return folders[G_N_ELEMENTS(folders) - 1];
}

static char *lock_path(const char *device)
{
    struct stat about;

    if (stat(device, &about) != 0)
        return NULL;
    return g_strdup_printf("%s/wrytograph-%u-%u", lock_folder(), major(about.st_rdev),
                           minor(about.st_rdev));
}

/* In a world-writable folder the system does not let users create files over those of others. */
static int open_lock(const char *path)
{
    const int flags = O_RDWR | O_CLOEXEC | O_NOFOLLOW;
    int lock = open(path, flags);

    if (lock >= 0 || errno != ENOENT)
        return lock;
    lock = open(path, flags | O_CREAT | O_EXCL, LOCK_MODE);
    if (lock >= 0)
        fchmod(lock, LOCK_MODE);
    return lock < 0 && errno == EEXIST ? open(path, flags) : lock;
}

static char *name_of(const char *process)
{
    g_autofree char *path = g_build_filename("/proc", process, "comm", NULL);
    char *name = NULL;

    g_file_get_contents(path, &name, NULL, NULL);
    if (!name)
        return g_strdup_printf("a program (process %s)", process);
    g_autofree char *stripped = g_strchomp(name);
    return g_strdup_printf("%s (process %s)", stripped, process);
}

static bool has_open(const char *process, const char *device)
{
    g_autofree char *folder = g_build_filename("/proc", process, "fd", NULL);
    g_auto(GStrv) files = folder_names(folder, NULL);
    bool found = false;

    for (char **file = files; file && *file && !found; file++) {
        g_autofree char *link = g_build_filename(folder, *file, NULL);
        g_autofree char *target = g_file_read_link(link, NULL);
        found = g_strcmp0(target, device) == 0;
    }
    return found;
}

/* Searches the open files of the processes that may be inspected: one's own, or all for a
 * superuser. */
static char *find_by_files(const char *device)
{
    g_auto(GStrv) processes = folder_names("/proc", NULL);
    char *holder = NULL;

    for (char **process = processes; process && *process && !holder; process++) {
        if (g_ascii_isdigit(*process[0]) && atoi(*process) != (int)getpid() &&
            has_open(*process, device))
            holder = name_of(*process);
    }
    return holder;
}

/* Reads the usual lock file of terminal programs, with the process number in digits (Filesystem
 * Hierarchy Standard, section 5.9). */
static char *find_by_lock_file(const char *device)
{
    g_autofree char *name = g_path_get_basename(device);
    g_autofree char *path = g_strdup_printf("/run/lock/LCK..%s", name);
    g_autofree char *text = NULL;
    int process;

    if (!g_file_get_contents(path, &text, NULL, NULL))
        return NULL;
    process = atoi(text);
    if (process <= 0 || process == (int)getpid() || (kill(process, 0) != 0 && errno == ESRCH))
        return NULL;
    g_autofree char *number = g_strdup_printf("%d", process);
    return name_of(number);
}

/* The holder of our lock writes its name into it. */
static char *read_lock(int lock)
{
    char text[TEXT_MOST] = "";
    ssize_t n = pread(lock, text, sizeof text - 1, 0);

    return n > 0 ? g_strdup(g_strchomp(text)) : NULL;
}

/* Asks the system (proc(5), locks): trying the lock would hold it for a moment. */
static bool is_locked(const char *path)
{
    struct stat about;
    g_autofree char *locks = NULL;

    if (stat(path, &about) != 0 || !g_file_get_contents("/proc/locks", &locks, NULL, NULL))
        return false;
    g_autofree char *file = g_strdup_printf(" %02x:%02x:%lu ", major(about.st_dev),
                                            minor(about.st_dev), (unsigned long)about.st_ino);
    g_auto(GStrv) lines = g_strsplit(locks, "\n", -1);
    for (char **line = lines; *line; line++) {
        if (strstr(*line, "FLOCK") && strstr(*line, file))
            return true;
    }
    return false;
}

char *port_lock_holder(const char *device)
{
    g_autofree char *path = lock_path(device);
    char *holder = find_by_files(device);
    int lock = holder || !path || !is_locked(path) ? -1 : open(path, O_RDONLY | O_CLOEXEC);

    if (lock >= 0) {
        holder = read_lock(lock);
        close(lock);
        if (!holder)
            holder = g_strdup("another program");
    }
    return holder ? holder : find_by_lock_file(device);
}

static void sign(int lock)
{
    g_autofree char *number = g_strdup_printf("%d", (int)getpid());
    g_autofree char *text = name_of(number);

    /* The text is only informative: the lock works without it. */
    if (ftruncate(lock, 0) == 0 && pwrite(lock, text, strlen(text), 0) < 0)
        return;
}

static int fail_busy(GError **error, const char *path, const char *holder)
{
    g_set_error(error, WRY_SERIAL_ERROR, WRY_SERIAL_ERROR_BUSY, "%s: %s holds it", path,
                holder ? holder : "another program");
    return -1;
}

static int fail_lock(GError **error, const char *path, const char *lock)
{
    g_set_error(error, WRY_SERIAL_ERROR, WRY_SERIAL_ERROR_OTHER, "%s: it cannot be locked: %s: %s",
                path, lock, g_strerror(errno));
    return -1;
}

int port_lock_take(const char *path, const char *device, GError **error)
{
    g_autofree char *file = lock_path(device);
    int lock = file ? open_lock(file) : -1;

    if (lock < 0)
        return fail_lock(error, path, file ? file : device);
    enum file_lock taken = file_lock_try(lock);
    int problem = errno;
    g_autofree char *holder = taken == FILE_LOCK_OURS   ? find_by_files(device)
                              : taken == FILE_LOCK_HELD ? read_lock(lock)
                                                        : NULL;
    if (taken == FILE_LOCK_OURS && !holder)
        holder = find_by_lock_file(device);
    if (taken == FILE_LOCK_OURS && !holder) {
        sign(lock);
        return lock;
    }
    close(lock);
    errno = problem;
    return taken == FILE_LOCK_FAILED ? fail_lock(error, path, file)
                                     : fail_busy(error, path, holder);
}
