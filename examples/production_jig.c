/*
 * A production jig: every board gets the image, checked, and one line says how it went. One thread
 * a board; the installed library is all it takes.
 *
 * usage: production_jig IMAGE LINK...
 */
#include <stdio.h>
#include <wrytograph-host/jobs.h>
#include <wrytograph-host/words.h>

struct place {
    const char *image, *link;
    enum wry_outcome outcome;
};

static void on_event(void *context, const struct wry_event *event)
{
    const struct place *place = context;

    if (event->kind == WRY_EVENT_STEP && event->step == WRY_PHASE_WRITE)
        printf("%s: writing\n", place->link);
}

/* What the command would print. */
static void print_problem(const char *link, const struct wry_problem *problem)
{
    g_autofree char *sentence = wry_problem_sentence(problem);
    g_autofree char *advice = wry_problem_advice(problem);

    fprintf(stderr, "%s: %s\n%s\n", link, sentence, advice ? advice : "");
}

static void *serve(void *context)
{
    struct place *place = context;
    struct wry_station_settings settings = {
        .link = place->link, .leaves_running = true, .context = place, .event = on_event};
    struct wry_image_options image = {.place = "app", .file = place->image};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    struct wry_station *station = wry_station_new(&settings);
    wry_auto(identity) board = {0};
    wry_auto(write_result) written = {0};
    wry_auto(verify_result) verified = {0};

    place->outcome = wry_station_identify(station, false, &board);
    if (place->outcome == WRY_OUTCOME_DONE)
        place->outcome = wry_station_write(station, &options, &written);
    if (place->outcome == WRY_OUTCOME_DONE)
        place->outcome = wry_station_verify(station, &options, &verified);
    printf("%s: %s, %u sectors written: %s\n", place->link, board.chip ? board.chip->title : "?",
           (unsigned)written.done.sectors_written, wry_outcome_text(place->outcome));
    if (place->outcome != WRY_OUTCOME_DONE)
        print_problem(place->link, wry_station_problem(station));
    wry_station_free(station);
    return NULL;
}

int main(int argc, char **argv)
{
    struct place places[16] = {{0}};
    GThread *threads[16];
    int failed = 0;

    if (argc < 3 || argc > 18) {
        fprintf(stderr, "usage: production_jig IMAGE LINK...\n");
        return 2;
    }
    for (int i = 0; i < argc - 2; i++) {
        places[i] = (struct place){.image = argv[1], .link = argv[i + 2]};
        threads[i] = g_thread_new("station", serve, &places[i]);
    }
    for (int i = 0; i < argc - 2; i++) {
        g_thread_join(threads[i]);
        failed |= places[i].outcome != WRY_OUTCOME_DONE;
    }
    return failed;
}
