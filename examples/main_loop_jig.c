/*
 * A jig in a program with a GLib main loop, such as one with windows: a thread for each station,
 * its result as a GTask, its progress in the loop's thread.
 *
 * usage: main_loop_jig IMAGE LINK...
 */
#include <gio/gio.h>
#include <stdio.h>
#include <wrytograph-host/jobs.h>
#include <wrytograph-host/words.h>

struct place {
    const char *image, *link;
    char *words; /* why it failed */
    gint figure; /* in 1/1000; set by the station's thread */
};

static GMainLoop *loop;
static unsigned working, failed;

static void on_event(void *context, const struct wry_event *event)
{
    g_atomic_int_set(&((struct place *)context)->figure, (gint)event->figure);
}

/* In the station's thread. */
static void serve(GTask *task, gpointer source, gpointer data, GCancellable *cancellable)
{
    struct place *place = data;
    struct wry_station_settings settings = {
        .link = place->link, .leaves_running = true, .context = place, .event = on_event};
    struct wry_image_options image = {.place = "app", .file = place->image};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    wry_auto(write_result) written = {0};
    struct wry_station *station = wry_station_new(&settings);
    enum wry_outcome outcome = wry_station_write(station, &options, &written);

    (void)source, (void)cancellable;
    if (outcome != WRY_OUTCOME_DONE)
        place->words = wry_problem_sentence(wry_station_problem(station));
    wry_station_free(station);
    g_task_return_int(task, outcome);
}

/* In the loop's thread, as all below. */
static void on_end(GObject *source, GAsyncResult *result, gpointer data)
{
    struct place *place = data;
    enum wry_outcome outcome = (enum wry_outcome)g_task_propagate_int(G_TASK(result), NULL);

    (void)source;
    printf("%s: %s%s%s\n", place->link, wry_outcome_text(outcome), place->words ? ": " : "",
           place->words ? place->words : "");
    g_free(place->words);
    failed += outcome != WRY_OUTCOME_DONE;
    if (--working == 0)
        g_main_loop_quit(loop);
}

static gboolean show(gpointer data)
{
    const struct place *places = data;

    for (unsigned i = 0; places[i].link; i++)
        printf("%s%3d %%", i > 0 ? "  " : "", g_atomic_int_get(&places[i].figure) / 10);
    puts("");
    return G_SOURCE_CONTINUE;
}

int main(int argc, char **argv)
{
    struct place places[17] = {{0}};

    if (argc < 3 || argc > 18)
        return fprintf(stderr, "usage: main_loop_jig IMAGE LINK...\n") > 0 ? 2 : 1;
    loop = g_main_loop_new(NULL, FALSE);
    for (int i = 0; i < argc - 2; i++, working++) {
        places[i] = (struct place){.image = argv[1], .link = argv[i + 2]};
        GTask *task = g_task_new(NULL, NULL, on_end, &places[i]);
        g_task_set_task_data(task, &places[i], NULL);
        g_task_run_in_thread(task, serve);
        g_object_unref(task);
    }
    g_timeout_add(500, show, places);
    g_main_loop_run(loop);
    g_main_loop_unref(loop);
    return failed > 0;
}
