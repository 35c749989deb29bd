/* Values that must not be shown. */
#include "hidden_value.h"

#include <poll.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

#include "views/explain.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph/settings_block.h"

enum {
    SLICE_MS = 100, /* between looks for Ctrl-C */
};

static char *from_environment(struct app *app, const char *variable)
{
    const char *value = g_getenv(variable);

    if (!value)
        app_fail(app, EXIT_USAGE, "Set it, or name another variable.",
                 "%s is not set in the environment", variable);
    return g_strdup(value);
}

static char *from_file(struct app *app, const char *file)
{
    GError *error = NULL;
    size_t n = 0;
    char *value = wry_text_file_read(file, WRY_TEXT_FILE_PLAIN, &n, &error);

    if (!value)
        explain_error(app, error);
    return value;
}

/* Reads a line while the terminal does not echo; false if there is none, or Ctrl-C was pressed. */
static bool read_line(char *line, size_t room)
{
    struct pollfd keyboard = {.fd = STDIN_FILENO, .events = POLLIN};
    size_t n = 0;
    ssize_t got = 1;

    while (n + 1 < room && !app_interrupted()) {
        /* A read would go on after a signal. */
        if (poll(&keyboard, 1, SLICE_MS) <= 0)
            continue;
        got = read(STDIN_FILENO, line + n, 1);
        if (got <= 0 || line[n] == '\n')
            break;
        n++;
    }
    line[n] = '\0';
    return got > 0 && !app_interrupted();
}

static char *from_keyboard(struct app *app, const char *key)
{
    char line[WRY_SETTINGS_VALUE_MAX + 2];
    struct termios before, silent;

    if (!isatty(STDIN_FILENO) || tcgetattr(STDIN_FILENO, &before) != 0) {
        app_fail(app, EXIT_USAGE,
                 "Give --from-file or --from-env, or run this command at a terminal.",
                 "there is no keyboard to ask for '%s'", key);
        return NULL;
    }
    silent = before;
    silent.c_lflag &= ~(tcflag_t)ECHO;
    app_interrupted(); /* from now on Ctrl-C asks to stop */
    app_restore_at_once(&before);
    /* Before the prompt: what is typed at once is neither shown nor lost. */
    tcsetattr(STDIN_FILENO, TCSAFLUSH, &silent);
    fprintf(stderr, "Value of %s (not shown): ", key);
    bool read = read_line(line, sizeof line);
    tcsetattr(STDIN_FILENO, TCSAFLUSH, &before);
    app_restore_at_once(NULL);
    fputc('\n', stderr);
    char *value = read ? g_strdup(line) : NULL;
    explicit_bzero(line, sizeof line);
    if (!value)
        app_fail(app, app_interrupted() ? EXIT_STOPPED : EXIT_USAGE, "Nothing was changed.",
                 "no value was entered for '%s'", key);
    return value;
}

char *hidden_value_get(struct app *app, const char *key, const char *file, const char *variable)
{
    char *value = file       ? from_file(app, file)
                  : variable ? from_environment(app, variable)
                             : from_keyboard(app, key);
    size_t n = value ? strlen(value) : 0;

    if (n > 0 && value[n - 1] == '\n')
        value[--n] = '\0';
    if (n > 0 && value[n - 1] == '\r')
        value[n - 1] = '\0';
    return value;
}
