/* Runs the command as a process of its own. */
#include "command.h"

#include <glib.h>
#include <glib/gstdio.h>
#include <stdarg.h>
#include <stdio.h>
#include <string.h>

#include "harness.h"

static char *folder;
static char *out, *err;

static void remove_folder(const char *path)
{
    GDir *dir = g_dir_open(path, 0, NULL);
    const char *name;

    while (dir && (name = g_dir_read_name(dir))) {
        g_autofree char *inner = g_build_filename(path, name, NULL);
        if (g_file_test(inner, G_FILE_TEST_IS_DIR))
            remove_folder(inner);
        else
            g_unlink(inner);
    }
    if (dir)
        g_dir_close(dir);
    g_rmdir(path);
}

void scratch_remove(void)
{
    if (folder)
        remove_folder(folder);
    g_clear_pointer(&folder, g_free);
    g_clear_pointer(&out, g_free);
    g_clear_pointer(&err, g_free);
}

const char *scratch(void)
{
    if (!folder) {
        folder = g_dir_make_tmp("wrytograph-test-XXXXXX", NULL);
        g_autofree char *bench = g_build_filename(folder, "bench", NULL);
        g_setenv("WRYTOGRAPH_BENCH", bench, TRUE);
        g_autofree char *shelf = g_build_filename(folder, "shelf", NULL);
        g_setenv("WRYTOGRAPH_SHELF", shelf, TRUE);
        static const char *const own[] = {"WRYTOGRAPH_LEDGER", "XDG_STATE_HOME", "XDG_CONFIG_HOME"};
        static const char *const names[] = {"ledger.db", "state", "config"};
        for (size_t i = 0; i < G_N_ELEMENTS(own); i++) {
            g_autofree char *path = g_build_filename(folder, names[i], NULL);
            g_setenv(own[i], path, TRUE);
        }
        g_unsetenv("WRYTOGRAPH_BACKUPS");
        g_unsetenv("WRYTOGRAPH_LINK");
        g_setenv("LC_ALL", "C.UTF-8", TRUE);
        /* What a library only complains of ends the command: its words are no message. */
        g_setenv("G_DEBUG", "fatal-criticals", TRUE);
    }
    return folder;
}

const char *scratch_file(const char *name)
{
    g_autofree char *path = g_build_filename(scratch(), name, NULL);

    return g_intern_string(path);
}

void scratch_write(const char *name, const void *bytes, size_t n)
{
    CHECK(g_file_set_contents(scratch_file(name), bytes, (gssize)n, NULL));
}

uint8_t *scratch_read(const char *name, size_t *n)
{
    char *bytes = NULL;

    return g_file_get_contents(scratch_file(name), &bytes, n, NULL) ? (uint8_t *)bytes : NULL;
}

void scratch_text(const char *name, const char *text)
{
    scratch_write(name, text, strlen(text));
}

const char *peer(const char *name)
{
    g_autofree char *path = g_build_filename(WRY_SOURCE_DIR, "tests", "peers", name, NULL);

    return g_intern_string(path);
}

void scratch_make_images(void)
{
    CHECK_EQUAL(0, run_program("bin/gauge_images", scratch(), NULL).code);
}

void scratch_add_gauge(const char *name)
{
    EXPECT(0, "is on the bench",
           command("bench", "add", name, "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file("returned-1.bin"), NULL));
}

void scratch_use_gauge(const char *name, const char *fault)
{
    g_autofree char *link = g_strdup_printf("bench:%s", name);

    scratch_add_gauge(name);
    g_setenv("WRYTOGRAPH_LINK", link, TRUE);
    EXPECT(0, "", command("bench", "fault", name, "none", fault, NULL));
}

uint8_t *scratch_flash(const char *name, size_t *n)
{
    g_autofree char *path = g_strdup_printf("bench/%s/flash.bin", name);

    return scratch_read(path, n);
}

bool scratch_flash_is(const char *name, const uint8_t *bytes, size_t n)
{
    size_t length = 0;
    g_autofree uint8_t *now = scratch_flash(name, &length);

    return now && length == n && memcmp(now, bytes, n) == 0;
}

const char *placed(const char *place, const char *file)
{
    g_autofree char *text = g_strdup_printf("%s=%s", place, scratch_file(file));

    return g_intern_string(text);
}

/* Under AddressSanitizer, looking for leaks takes longer than most commands: one in a few is looked
 * at. NULL: the environment as it is. */
static char **environment(void)
{
#ifdef __SANITIZE_ADDRESS__
    enum { LOOKED_AT = 8 };
    static unsigned calls;

    if (calls++ % LOOKED_AT != 0)
        return g_environ_setenv(g_get_environ(), "ASAN_OPTIONS", "detect_leaks=0", TRUE);
#endif
    return NULL;
}

static struct said run(const char *program, const char *first, va_list arguments)
{
    g_autoptr(GPtrArray) argv = g_ptr_array_new();
    struct said said = {.code = -1};
    int status = 0;

    scratch();
    g_clear_pointer(&out, g_free);
    g_clear_pointer(&err, g_free);
    g_autofree char *own = g_str_has_prefix(program, "bin/")
                               ? g_build_filename(WRY_PROGRAMS, program + 4, NULL)
                               : g_strdup(program);
    g_ptr_array_add(argv, own);
    for (const char *argument = first; argument; argument = va_arg(arguments, const char *))
        g_ptr_array_add(argv, (gpointer)(uintptr_t)argument);
    g_ptr_array_add(argv, NULL);
    g_auto(GStrv) variables = environment();
    if (g_spawn_sync(NULL, (char **)argv->pdata, variables, G_SPAWN_SEARCH_PATH, NULL, NULL, &out,
                     &err, &status, NULL)) {
        g_autoptr(GError) error = NULL;
        if (g_spawn_check_wait_status(status, &error))
            said.code = 0;
        else if (error->domain == G_SPAWN_EXIT_ERROR)
            said.code = error->code;
    }
    said.out = out ? out : "";
    said.err = err ? err : "";
    return said;
}

const char *command_path(void)
{
    return WRY_COMMAND;
}

struct said command(const char *first, ...)
{
    va_list arguments;

    va_start(arguments, first);
    struct said said = run(WRY_COMMAND, first, arguments);
    va_end(arguments);
    return said;
}

struct said run_program(const char *program, const char *first, ...)
{
    va_list arguments;

    va_start(arguments, first);
    struct said said = run(program, first, arguments);
    va_end(arguments);
    return said;
}

bool says(const struct said *said, const char *text)
{
    return strstr(said->out, text) != NULL || strstr(said->err, text) != NULL;
}

void expect(int code, const char *text, struct said said, const char *file, int line)
{
    bool holds = said.code == code && says(&said, text);

    check_true(holds, file, line, "exit code and text are as expected");
    if (!holds)
        printf("  expected %d and \"%s\"\n  exit code %d\n  out: %s\n  err: %s\n", code, text,
               said.code, said.out, said.err);
}
