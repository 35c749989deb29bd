/*
 * A production jig for one board with all that belongs to it: a backup of what was there, the
 * image, a setting of this board, verified, started; one row in the ledger; Ctrl-C ends it in
 * order.
 *
 * usage: production_jig IMAGE KEY=VALUE LINK
 */
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <wrytograph-host/jobs.h>
#include <wrytograph-host/ledger.h>
#include <wrytograph-host/words.h>

static volatile sig_atomic_t interrupted;

static void on_interrupt(int signal)
{
    interrupted = signal;
}

static bool is_interrupted(void *context)
{
    return !context && interrupted != 0;
}

static void on_event(void *context, const struct wry_event *event)
{
    if (!context && event->kind == WRY_EVENT_STEP)
        printf("%3u %% %s\n", event->figure / 10, wry_phase_name(event->step));
}

/* Stops at the first job that fails. */
static enum wry_outcome serve(struct wry_station *station, const char *file, char *pair)
{
    char *value = strchr(pair, '=') + 1; /* which main has found */
    struct wry_image_options image = {.place = "app", .file = file};
    struct wry_setting_options setting = {.key = pair, .value = value};
    struct wry_images_options options = {
        .images = &image, .image_count = 1, .settings = &setting, .setting_count = 1};
    struct wry_console_options listen = {.time = 1};
    wry_auto(backup_result) saved = {0};
    wry_auto(write_result) written = {0};
    wry_auto(console_result) heard = {0};

    value[-1] = '\0';
    wry_station_begin_run(station, "production jig", 3);
    if (wry_station_backup(station, &(struct wry_backup_options){0}, &saved) == WRY_OUTCOME_DONE &&
        wry_station_write(station, &options, &written) == WRY_OUTCOME_DONE)
        wry_station_start(station, &listen, &heard);
    if (written.written)
        printf("%u sectors written; backup %s\n", written.done.sectors_written, saved.file);
    return wry_station_end_run(station);
}

int main(int argc, char **argv)
{
    g_autoptr(GError) error = NULL;
    struct wry_ledger *ledger = argc == 4 ? wry_ledger_open(NULL, &error) : NULL;
    struct wry_station_settings settings = {.link = argc == 4 ? argv[3] : NULL,
                                            .ledger = ledger,
                                            .leaves_running = true,
                                            .event = on_event,
                                            .stop = {.asked = is_interrupted}};
    if (!ledger || !strchr(argv[2], '=')) {
        puts(error ? error->message : "usage: production_jig IMAGE KEY=VALUE LINK");
        return 2;
    }
    signal(SIGINT, on_interrupt);
    struct wry_station *station = wry_station_new(&settings);
    enum wry_outcome outcome = serve(station, argv[1], argv[2]);
    printf("%s: %s\n", argv[3], wry_outcome_text(outcome));
    g_autofree char *problem = wry_problem_sentence(wry_station_problem(station));
    g_autofree char *advice = wry_problem_advice(wry_station_problem(station));
    if (outcome != WRY_OUTCOME_DONE)
        fprintf(stderr, "%s\n%s\n", problem, advice ? advice : "");
    wry_station_free(station);
    wry_ledger_close(ledger);
    return (int)outcome;
}
