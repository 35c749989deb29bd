/* Served boards. */
#include "served.h"

#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"

bool background_start(struct background *b, const char *const *argv)
{
    GError *error = NULL;
    int out = -1;

    memset(b, 0, sizeof *b);
    if (!g_spawn_async_with_pipes(NULL, (char **)(uintptr_t)argv, NULL,
                                  G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                  &b->pid, NULL, &out, NULL, &error)) {
        printf("%s\n", error->message);
        g_error_free(error);
        return false;
    }
    size_t n = 0;
    while (n < sizeof b->line - 1 && read(out, b->line + n, 1) == 1 && b->line[n] != '\n')
        n++;
    b->line[n] = '\0';
    close(out);
    return n > 0;
}

int background_end(struct background *b)
{
    int status = 0;

    kill(b->pid, SIGTERM);
    waitpid(b->pid, &status, 0);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

void served_gauge(struct served *bench, const char *name)
{
    const char *const argv[] = {command_path(), "bench", "serve", "--pty", name, NULL};

    CHECK(background_start(&bench->process, argv));
    g_auto(GStrv) words = g_strsplit_set(bench->process.line, " ", -1);
    bench->link = bench->pty = NULL;
    for (char **word = words; *word; word++) {
        if (g_str_has_prefix(*word, "rfc2217://"))
            bench->link = g_strdup(*word);
        if (g_str_has_prefix(*word, "/dev/"))
            bench->pty = g_strdup(*word);
    }
    CHECK(bench->link && bench->pty);
}

void served_new(struct served *bench, const char *name)
{
    scratch_add_gauge(name);
    served_gauge(bench, name);
}

void served_end(struct served *bench)
{
    CHECK_EQUAL(0, background_end(&bench->process));
    g_free(bench->link);
    g_free(bench->pty);
}
