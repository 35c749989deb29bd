/* What all fuzz targets share. */
#define _GNU_SOURCE
#include "door.h"

#include <glib.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

static char folder[64];

_Noreturn void door_broken(const char *file, int line, const char *claim)
{
    fprintf(stderr, "%s:%d: does not hold: %s\n", file, line, claim);
    abort();
}

static void remove_folder(void)
{
    char command[sizeof folder + 16];

    snprintf(command, sizeof command, "rm -rf '%s'", folder);
    if (system(command) != 0)
        fprintf(stderr, "%s stays\n", folder);
}

/* What GLib only complains of is a finding, too. */
static void complain(const char *domain, GLogLevelFlags level, const char *text, void *context)
{
    (void)context;
    fprintf(stderr, "%s: %s\n", domain ? domain : "", text);
    if (level & (G_LOG_LEVEL_CRITICAL | G_LOG_LEVEL_ERROR))
        abort();
}

const char *door_folder(void)
{
    if (folder[0] != '\0')
        return folder;
    snprintf(folder, sizeof folder, "%s/wry-fuzz-XXXXXX",
             access("/dev/shm", W_OK) == 0 ? "/dev/shm" : "/tmp");
    MUST(mkdtemp(folder) != NULL);
    /* Programs that the target calls put what they make into it, too. */
    setenv("TMPDIR", folder, 1);
    atexit(remove_folder);
    g_log_set_default_handler(complain, NULL);
    return folder;
}

const char *door_file(const char *name, const uint8_t *bytes, size_t n)
{
    static char path[160];

    snprintf(path, sizeof path, "%s/%s", door_folder(), name);
    FILE *file = fopen(path, "wb");
    MUST(file != NULL);
    MUST(fwrite(bytes, 1, n, file) == n);
    MUST(fclose(file) == 0);
    return path;
}

uint8_t door_byte(struct door_input *input)
{
    return input->at < input->n ? input->bytes[input->at++] : 0;
}

uint32_t door_number(struct door_input *input)
{
    uint32_t number = door_byte(input);

    number |= (uint32_t)door_byte(input) << 8;
    number |= (uint32_t)door_byte(input) << 16;
    return number | (uint32_t)door_byte(input) << 24;
}
