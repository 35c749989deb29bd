/* Locks of serial devices: ours, and the lock files that terminal programs leave. */
#include <glib.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "serial/port_lock.h"

#define NAME "wrytograph-test"
#define FILE_OF_OTHERS "/run/lock/LCK.." NAME

/* A process that does nothing. */
static pid_t idle(void)
{
    pid_t pid = fork();

    if (pid == 0) {
        pause();
        _exit(0);
    }
    return pid;
}

static void end(pid_t pid)
{
    kill(pid, SIGKILL);
    waitpid(pid, NULL, 0);
}

static char *holder_by(const char *text)
{
    CHECK(g_file_set_contents(FILE_OF_OTHERS, text, -1, NULL));
    return port_lock_holder(scratch_file(NAME));
}

/* Filesystem Hierarchy Standard, section 5.9: ten characters of digits and a line end. */
static void lock_files_of_other_programs_count_while_they_live(void)
{
    pid_t other = idle();
    g_autofree char *living = g_strdup_printf("%10d\n", (int)other);
    g_autofree char *own = g_strdup_printf("%10d\n", (int)getpid());
    g_autofree char *said = g_strdup_printf("(process %d)", (int)other);
    static const char *const nobody[] = {"", "\n", "moorings\n", "         0\n", "        -1\n"};
    GError *error = NULL;

    if (g_access("/run/lock", W_OK) != 0) {
        end(other);
        return; /* only the system's administrator may write there */
    }
    scratch_text(NAME, "");
    g_autofree char *found = holder_by(living);
    CHECK(found && strstr(found, said));
    CHECK_EQUAL(-1, port_lock_take("the port", scratch_file(NAME), &error));
    CHECK(error && strstr(error->message, said));
    g_clear_error(&error);
    g_autofree char *ours = holder_by(own);
    CHECK(ours == NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(nobody); i++) {
        check_context("case %zu", i);
        g_autofree char *none = holder_by(nobody[i]);
        CHECK(none == NULL);
    }
    check_context(NULL);
    end(other);
    g_autofree char *dead = holder_by(living);
    CHECK(dead == NULL);
    int lock = port_lock_take("the port", scratch_file(NAME), &error);
    CHECK(lock >= 0 && error == NULL);
    close(lock);
    CHECK_EQUAL(0, g_unlink(FILE_OF_OTHERS));
}

/* A program that has the device open holds it, whether it locks it or not. */
static void an_open_device_is_held(void)
{
    GError *error = NULL;

    scratch_text(NAME, "");
    pid_t other = fork();
    if (other == 0) {
        FILE *file = fopen(scratch_file(NAME), "r");
        pause();
        fclose(file);
        _exit(0);
    }
    g_autofree char *said = g_strdup_printf("(process %d)", (int)other);
    g_autofree char *found = NULL;
    while (!found)
        found = port_lock_holder(scratch_file(NAME));
    CHECK(strstr(found, said) != NULL);
    CHECK_EQUAL(-1, port_lock_take("the port", scratch_file(NAME), &error));
    CHECK(error && g_str_has_prefix(error->message, "the port: ") && strstr(error->message, said));
    g_clear_error(&error);
    end(other);
    int lock = port_lock_take("the port", scratch_file(NAME), &error);
    CHECK(lock >= 0 && error == NULL);
    /* Once more within this process it is held, too. */
    CHECK_EQUAL(-1, port_lock_take("the port", scratch_file(NAME), &error));
    CHECK(error && strstr(error->message, "holds it"));
    g_clear_error(&error);
    close(lock);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(lock_files_of_other_programs_count_while_they_live),
        FACT(an_open_device_is_held),
    };
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    g_unlink("/run/lock/wrytograph-0-0"); /* of what is no device */
    scratch_remove();
    return code;
}
