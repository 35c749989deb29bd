/* Failure of a run, and interruption by the user. */
#include "app.h"

#include <signal.h>
#include <termios.h>
#include <unistd.h>

int app_fail(struct app *app, enum exit_code code, const char *next_step, const char *format, ...)
{
    va_list arguments;

    g_free(app->message);
    g_free(app->next_step);
    va_start(arguments, format);
    app->message = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    app->next_step = g_strdup(next_step);
    app->code = (int)code;
    return app->code;
}

static volatile sig_atomic_t interrupted;
static const struct termios *volatile terminal_before;

void app_restore_at_once(const struct termios *before)
{
    terminal_before = before;
}

static void on_interrupt(int signal_number)
{
    static const char text[] = "\n"
                               "Ended at once. Run the same command again: repeating it is safe.\n";

    (void)signal_number;
    /* Interrupted twice: ends at once. */
    if (interrupted) {
        if (terminal_before)
            tcsetattr(STDIN_FILENO, TCSANOW, (const struct termios *)terminal_before);
        (void)!write(STDERR_FILENO, text, sizeof text - 1);
        _exit(EXIT_STOPPED);
    }
    interrupted = 1;
}

bool app_interrupted(void)
{
    struct sigaction action = {.sa_handler = on_interrupt, .sa_flags = SA_RESTART};
    static bool installed;

    if (!installed) {
        static const int unless_ignored[] = {SIGHUP, SIGQUIT}; /* as nohup and '&' do */
        sigaction(SIGINT, &action, NULL);
        sigaction(SIGTERM, &action, NULL);
        for (size_t i = 0; i < G_N_ELEMENTS(unless_ignored); i++) {
            struct sigaction before;
            if (sigaction(unless_ignored[i], NULL, &before) == 0 && before.sa_handler != SIG_IGN)
                sigaction(unless_ignored[i], &action, NULL);
        }
        installed = true;
    }
    return interrupted != 0;
}

static bool asked(void *context)
{
    (void)context;
    return app_interrupted();
}

struct wry_stop app_stop(void)
{
    return (struct wry_stop){.asked = asked};
}
