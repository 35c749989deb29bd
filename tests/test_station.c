/* Stations and jobs by their public headers: results, events, problems, and several at once. */
#include <glib.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/jobs.h"

/* What a station told. */
struct told {
    unsigned steps, ends, reports, plans, comparisons, notes;
    unsigned stop_after; /* reports of progress; 0 = never */
    enum wry_note last_note;
    char text[256]; /* of a note */
};

static void on_event(void *context, const struct wry_event *event)
{
    struct told *told = context;

    told->steps += event->kind == WRY_EVENT_STEP;
    told->ends += event->kind == WRY_EVENT_STEP_END;
    told->reports += event->kind == WRY_EVENT_PROGRESS;
    told->plans += event->kind == WRY_EVENT_PLANNED;
    told->comparisons += event->kind == WRY_EVENT_COMPARED;
    if (event->kind != WRY_EVENT_NOTE)
        return;
    told->notes++;
    told->last_note = event->note;
    g_strlcpy(told->text, event->text ? event->text : "", sizeof told->text);
}

static bool wants_stop(void *context)
{
    const struct told *told = context;

    return told->stop_after > 0 && told->reports >= told->stop_after;
}

static struct wry_station *make(const char *name, struct told *told)
{
    g_autofree char *link = g_strdup_printf("bench:%s", name);
    struct wry_station_settings settings = {.link = link,
                                            .bench_folder = scratch_file("bench"),
                                            .context = told,
                                            .event = on_event,
                                            .stop = {.context = told, .asked = wants_stop}};

    return wry_station_new(&settings);
}

static void several_jobs_share_one_connection(void)
{
    struct told told = {0};
    scratch_add_gauge("several");
    struct wry_station *station = make("several", &told);
    struct wry_identity identity = {0};
    struct wry_image_options image = {.place = "start", .file = scratch_file("start.bin")};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    struct wry_write_result first = {0}, again = {0};
    struct wry_verify_result verified = {0};

    CHECK(wry_station_board(station) == NULL);
    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_identify(station, true, &identity));
    CHECK(identity.chip == wry_station_chip(station) && identity.deep);
    CHECK_EQUAL(0x400000, identity.flash_found);
    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_write(station, &options, &first));
    CHECK(first.written && first.done.sectors_written > 0 && first.done.seconds > 0);
    CHECK_EQUAL(0x4000, first.planned.images[0]->start);
    /* Counts are of each job alone. */
    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_write(station, &options, &again));
    CHECK_EQUAL(0, again.done.sectors_written);
    CHECK(again.done.bytes_sent < first.done.bytes_sent / 4);
    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_verify(station, &options, &verified));
    CHECK(verified.same && verified.comparisons->len == 1);
    CHECK_EQUAL(WRY_PROBLEM_NONE, wry_station_problem(station)->kind);
    CHECK_EQUAL(3, told.steps); /* one connection, two writes */
    CHECK_EQUAL(told.steps, told.ends);
    CHECK_EQUAL(2, told.plans);
    CHECK_EQUAL(1, told.comparisons);
    wry_verify_result_clear(&verified);
    wry_write_result_clear(&first);
    wry_write_result_clear(&first);
    wry_write_result_clear(&again);
    wry_identity_clear(&identity);
    wry_station_free(station);
}

static void a_problem_holds_the_facts(void)
{
    struct told told = {0};
    struct wry_station *station = make("nobody", &told);
    struct wry_image_options image = {.place = "start", .file = scratch_file("none.bin")};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    struct wry_write_result result = {0};

    CHECK_EQUAL(WRY_OUTCOME_NO_ANSWER, wry_station_connect(station));
    CHECK_EQUAL(WRY_PROBLEM_SYSTEM, wry_station_problem(station)->kind);
    CHECK(strstr(wry_station_problem(station)->cause->message, "nobody") != NULL);
    CHECK(wry_station_port(station) == NULL);
    CHECK_EQUAL(WRY_OUTCOME_BAD_INPUT, wry_station_write(station, &options, &result));
    CHECK(strstr(wry_station_problem(station)->cause->message, "none.bin") != NULL);
    wry_write_result_clear(&result);
    wry_station_free(station);

    scratch_add_gauge("facts");
    station = make("facts", &told);
    image = (struct wry_image_options){.place = "attic", .file = scratch_file("start.bin")};
    CHECK_EQUAL(WRY_OUTCOME_USAGE, wry_station_write(station, &options, &result));
    const struct wry_problem *problem = wry_station_problem(station);
    CHECK_EQUAL(WRY_PROBLEM_NO_REGION, problem->kind);
    CHECK(strcmp("attic", problem->subject) == 0 &&
          g_strv_contains((const char *const *)problem->names, "app"));
    wry_write_result_clear(&result);
    image.place = "app";
    image.file = scratch_file("gauge.bin");
    struct wry_image_options both[] = {image, {.place = "0x50000", .file = image.file}};
    options = (struct wry_images_options){.images = both, .image_count = 2};
    CHECK_EQUAL(WRY_OUTCOME_USAGE, wry_station_write(station, &options, &result));
    CHECK_EQUAL(WRY_PROBLEM_IMAGES_SHARE, wry_station_problem(station)->kind);
    CHECK_EQUAL(0x50000, wry_station_problem(station)->start);
    wry_write_result_clear(&result);
    wry_station_free(station);
}

static void a_job_that_is_stopped_goes_on_later(void)
{
    struct told told = {0};
    scratch_add_gauge("stopped");
    struct wry_station *station = make("stopped", &told);
    struct wry_image_options image = {.place = "app", .file = scratch_file("gauge.bin")};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    struct wry_write_result result = {0};

    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_connect(station));
    told.stop_after = told.reports + 40;
    CHECK_EQUAL(WRY_OUTCOME_STOPPED, wry_station_write(station, &options, &result));
    CHECK_EQUAL(WRY_PROBLEM_SESSION, wry_station_problem(station)->kind);
    CHECK_EQUAL(WRY_STOPPED, wry_station_problem(station)->status);
    CHECK(result.tried && !result.written);
    wry_write_result_clear(&result);
    told.stop_after = 0;
    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_write(station, &options, &result));
    CHECK(result.written);
    wry_write_result_clear(&result);
    wry_station_free(station);
}

struct worker {
    const char *name;
    struct told told;
    enum wry_outcome outcome;
    char *backup;
};

static void *back_up_and_write(void *context)
{
    struct worker *worker = context;
    struct wry_station *station = make(worker->name, &worker->told);
    struct wry_image_options image = {.place = "app", .file = scratch_file("gauge.bin")};
    struct wry_images_options options = {.images = &image, .image_count = 1};
    struct wry_backup_options backup = {.file = worker->backup};
    struct wry_backup_result saved = {0};
    struct wry_write_result written = {0};

    worker->outcome = wry_station_backup(station, &backup, &saved);
    if (worker->outcome == WRY_OUTCOME_DONE)
        worker->outcome = wry_station_write(station, &options, &written);
    wry_write_result_clear(&written);
    wry_backup_result_clear(&saved);
    wry_station_free(station);
    return NULL;
}

static void stations_in_threads_do_not_disturb_each_other(void)
{
    struct worker workers[] = {{.name = "thread-1"}, {.name = "thread-2"}, {.name = "thread-3"}};
    GThread *threads[G_N_ELEMENTS(workers)];
    struct wry_inspection inspection = {0};

    for (size_t i = 0; i < G_N_ELEMENTS(workers); i++) {
        scratch_add_gauge(workers[i].name);
        workers[i].backup = g_strdup_printf("%s.zip", scratch_file(workers[i].name));
        scratch_file("gauge.bin"); /* names are made before the threads begin */
    }
    for (size_t i = 0; i < G_N_ELEMENTS(workers); i++)
        threads[i] = g_thread_new(workers[i].name, back_up_and_write, &workers[i]);
    for (size_t i = 0; i < G_N_ELEMENTS(workers); i++) {
        g_thread_join(threads[i]);
        CHECK_EQUAL(WRY_OUTCOME_DONE, workers[i].outcome);
        CHECK(wry_inspect_file(workers[i].backup, NULL, &inspection, NULL));
        CHECK(inspection.kind == WRY_FILE_ARCHIVE && inspection.whole);
        CHECK_EQUAL(0x400000, inspection.flash_size);
        wry_inspection_clear(&inspection);
        wry_inspection_clear(&inspection);
        g_free(workers[i].backup);
    }
}

static void a_plan_needs_no_board(void)
{
    struct told told = {0};
    struct wry_station *station = make("nobody", &told);
    struct wry_image_options image = {.place = "app", .file = scratch_file("gauge.bin")};
    struct wry_images_options options = {.images = &image,
                                         .image_count = 1,
                                         .chip = wry_chip_by_name("turnstone-t2"),
                                         .flash_size = 0x800000};
    struct wry_plan_result result = {0};

    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_plan(station, &options, &result));
    CHECK_EQUAL(WRY_LAYOUT_SOURCE_USUAL, result.planned.layout.source);
    CHECK(result.planned.images[0]->header_set && result.planned.sectors > 10);
    CHECK(strcmp("app", result.planned.images[0]->region->name) == 0);
    wry_plan_result_clear(&result);
    options.chip = wry_chip_by_name("dunlin-d3");
    CHECK_EQUAL(WRY_OUTCOME_WRONG, wry_station_plan(station, &options, &result));
    CHECK_EQUAL(WRY_PROBLEM_FOR_OTHER_CHIP, wry_station_problem(station)->kind);
    wry_plan_result_clear(&result);
    CHECK_EQUAL(0, told.steps);
    wry_station_free(station);
}

static void outcomes_have_words(void)
{
    for (int i = WRY_OUTCOME_DONE; i <= WRY_OUTCOME_STOPPED; i++) {
        CHECK(strcmp("unknown", wry_outcome_text((enum wry_outcome)i)) != 0);
        for (int k = WRY_OUTCOME_DONE; k < i; k++)
            CHECK(strcmp(wry_outcome_text((enum wry_outcome)k),
                         wry_outcome_text((enum wry_outcome)i)) != 0);
    }
    CHECK(strcmp("unknown", wry_outcome_text((enum wry_outcome)99)) == 0);
    CHECK(strcmp("unknown", wry_finding_name((enum wry_finding)99)) == 0);
    wry_station_free(NULL);
}

/* A program of an earlier version hands a shorter struct over: what lies behind it is not read. */
static void options_end_where_their_size_says(void)
{
    scratch_add_gauge("earlier");
    struct wry_station_settings settings = {.link = "bench:earlier",
                                            .bench_folder = scratch_file("bench"),
                                            .stop = {.asked = (bool (*)(void *))(uintptr_t)1}};
    struct wry_image_options image = {.place = "app", .file = scratch_file("gauge.bin")};
    struct wry_images_options options = {.images = &image,
                                         .image_count = 1,
                                         .chip = (const struct wry_chip *)(uintptr_t)1,
                                         .flash_size = 3};
    struct wry_write_result written = {0};
    struct wry_station *station =
        wry_station_new_of(&settings, offsetof(struct wry_station_settings, stop));

    CHECK_EQUAL(WRY_OUTCOME_DONE,
                wry_station_write_of(station, &options, offsetof(struct wry_images_options, chip),
                                     &written));
    CHECK(written.written);
    wry_write_result_clear(&written);
    wry_station_free(station);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(several_jobs_share_one_connection),
        FACT(a_problem_holds_the_facts),
        FACT(a_job_that_is_stopped_goes_on_later),
        FACT(stations_in_threads_do_not_disturb_each_other),
        FACT(a_plan_needs_no_board),
        FACT(outcomes_have_words),
        FACT(options_end_where_their_size_says),
    };

    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
