/* A mark consists of the boot, the PID namespace, the process number and its start time. */
#include "process_mark.h"

#include <glib.h>
#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

static char *read_line(const char *path)
{
    char *text = NULL;

    if (!g_file_get_contents(path, &text, NULL, NULL))
        return g_strdup("");
    return g_strstrip(text);
}

/* The PID namespace: process numbers are only comparable within it. */
static char *world(void)
{
    g_autofree char *boot = read_line("/proc/sys/kernel/random/boot_id");
    char space[PATH_MAX] = "";
    ssize_t n = readlink("/proc/self/ns/pid", space, sizeof space - 1);

    space[n > 0 ? n : 0] = '\0';
    return g_strdup_printf("%s %s", boot, space);
}

/* Start time in ticks since the boot, field 22 of /proc/PID/stat; "" if there is no such
 * process. */
static char *begun(const char *number)
{
    g_autofree char *path = g_strdup_printf("/proc/%s/stat", number);
    g_autofree char *text = read_line(path);
    const char *behind = strrchr(text, ')'); /* a program's name may contain anything */
    g_auto(GStrv) fields = g_strsplit(behind ? behind + 1 : "", " ", -1);

    /* A zombie has ended. */
    bool lives = g_strv_length(fields) > 20 && !strchr("ZX", fields[1][0]);
    return g_strdup(lives ? fields[20] : "");
}

char *process_mark_own(void)
{
    g_autofree char *number = g_strdup_printf("%d", (int)getpid());
    g_autofree char *place = world();
    g_autofree char *time = begun(number);

    return g_strdup_printf("%s %s %s", place, number, time);
}

bool process_mark_is_alive(const char *mark)
{
    g_autofree char *place = world();
    g_auto(GStrv) parts = g_strsplit(mark, " ", -1);
    g_auto(GStrv) own = g_strsplit(place, " ", -1);

    if (g_strv_length(parts) != 4 || parts[3][0] == '\0')
        return true;
    /* A reboot has ended every process; nothing is known of another namespace. */
    if (strcmp(parts[0], own[0]) != 0)
        return false;
    if (strcmp(parts[1], own[1]) != 0)
        return true;
    g_autofree char *time = begun(parts[2]);
    return strcmp(time, parts[3]) == 0;
}

enum {
    COMPUTER_DIGITS = 12, /* hexadecimal digits of the computer's identifier */
    BOOT_DIGITS = 8,      /* hexadecimal digits of the boot identifier */
};

/* "COMPUTER-BOOT-NAMESPACE-", the part before the process's numbers. */
static char *place_in_name(const char *boot, const char *space)
{
    g_autofree char *id = read_line("/etc/machine-id");
    g_autofree char *digest =
        g_compute_checksum_for_string(G_CHECKSUM_SHA256, id[0] ? id : g_get_host_name(), -1);
    const char *digits = strpbrk(space, "0123456789");

    return g_strdup_printf("%.*s-%.*s-%.*s-", COMPUTER_DIGITS, digest, BOOT_DIGITS, boot,
                           digits ? (int)strspn(digits, "0123456789") : 0, digits ? digits : "");
}

char *process_mark_in_name(void)
{
    g_autofree char *mark = process_mark_own();
    g_auto(GStrv) parts = g_strsplit(mark, " ", 4);
    g_autofree char *place = place_in_name(parts[0], parts[1]);

    return g_strdup_printf("%s%s-%s", place, parts[2], parts[3]);
}

bool process_mark_in_name_is_dead(const char *text)
{
    g_autofree char *here = world();
    g_auto(GStrv) own = g_strsplit(here, " ", 2);
    g_autofree char *place = place_in_name(own[0], own[1]);
    unsigned long number = 0;
    unsigned long long time = 0;

    if (strncmp(text, place, COMPUTER_DIGITS + 1) != 0)
        return false;
    /* A reboot has ended every process; nothing is known of another namespace. */
    if (strncmp(text, place, COMPUTER_DIGITS + 1 + BOOT_DIGITS + 1) != 0)
        return true;
    if (strncmp(text, place, strlen(place)) != 0 ||
        sscanf(text + strlen(place), "%lu-%llu", &number, &time) != 2)
        return false;
    g_autofree char *process = g_strdup_printf("%lu", number);
    g_autofree char *began = begun(process);
    return began[0] == '\0' || g_ascii_strtoull(began, NULL, 10) != time;
}
