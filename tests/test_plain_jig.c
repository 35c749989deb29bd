/* The plain interface: options, jobs and facts by name. */
#include <glib.h>
#include <stdlib.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "wrytograph-host/plain.h"

struct seen {
    unsigned calls, highest, falls, stop_at; /* stop_at: stops from this figure on; 0 = never */
    char steps[128];
};

static int watch(void *context, const char *step, unsigned figure)
{
    struct seen *seen = context;

    seen->calls++;
    seen->falls += figure < seen->highest;
    seen->highest = MAX(seen->highest, figure);
    if (!strstr(seen->steps, step))
        g_strlcat(seen->steps, step, sizeof seen->steps);
    return seen->stop_at > 0 && figure >= seen->stop_at;
}

static struct wry_plain *jig_of(const char *board)
{
    struct wry_plain *jig = wry_plain_new();
    g_autofree char *link = g_strdup_printf("bench:%s", board);

    CHECK_EQUAL(0, wry_plain_set(jig, "link", link));
    CHECK_EQUAL(0, wry_plain_set(jig, "bench", scratch_file("bench")));
    return jig;
}

static void a_gauge(const char *name)
{
    scratch_make_images();
    scratch_add_gauge(name);
}

static void options_that_do_not_fit_are_refused_with_words(void)
{
    static const struct {
        const char *name, *value, *problem;
        int code;
    } cases[] = {
        {"links", "bench:x", "there is no option 'links'", 2},
        {"wiring", "crossed", "wiring: 'crossed' does not fit", 2},
        {"speed", "fast", "speed: 'fast' does not fit", 2},
        {"expect-flash", "large", "expect-flash: 'large' does not fit", 2},
        {"expect-chip", "godwit-g9", "expect-chip: 'godwit-g9' does not fit", 2},
        {"none", "link", "there is no option 'none'", 2},
        {"chip-file", "/nowhere.yaml", "/nowhere.yaml", 3},
        {"ledger", "/proc/nowhere/l.db", "/proc/nowhere", 3},
    };
    struct wry_plain *jig = wry_plain_new();

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        check_context("%s", cases[i].name);
        CHECK_EQUAL(cases[i].code, wry_plain_set(jig, cases[i].name, cases[i].value));
        const char *problem = wry_plain_text(jig, "problem");
        CHECK(problem && strstr(problem, cases[i].problem));
    }
    check_context(NULL);
    CHECK_EQUAL(2, wry_plain_do(jig, "paint"));
    CHECK_TEXT("there is no job 'paint'", wry_plain_text(jig, "problem"));
    CHECK(wry_plain_text(jig, "colour") == NULL && wry_plain_text(jig, "chip") == NULL);
    wry_plain_free(jig);
    wry_plain_free(NULL);
}

static void the_figure_of_a_job_rises_to_its_end(void)
{
    static const char *const jobs[] = {"backup", "write", "verify", "erase"};

    a_gauge("figures");
    struct wry_plain *jig = jig_of("figures");
    CHECK_EQUAL(0, wry_plain_set(jig, "image", placed("app", "gauge.bin")));
    CHECK_EQUAL(0, wry_plain_set(jig, "part", "log"));
    CHECK_EQUAL(0, wry_plain_set(jig, "part", "app"));
    CHECK_EQUAL(0, wry_plain_set(jig, "backup-folder", scratch_file("figures-backups")));
    for (size_t i = 0; i < G_N_ELEMENTS(jobs); i++) {
        struct seen seen = {0};
        check_context("%s", jobs[i]);
        wry_plain_watch(jig, watch, &seen);
        CHECK_EQUAL(0, wry_plain_do(jig, jobs[i]));
        CHECK(seen.calls > 3 && seen.falls == 0);
        CHECK(seen.highest > 500 && seen.highest <= 1000);
    }
    check_context(NULL);
    CHECK_TEXT("Turnstone T2", wry_plain_text(jig, "chip"));
    CHECK_TEXT("4194304", wry_plain_text(jig, "flash"));
    CHECK_TEXT("done and verified", wry_plain_text(jig, "outcome"));
    CHECK(wry_plain_text(jig, "problem") == NULL);
    wry_plain_free(jig);
}

/* Three jobs as one: the figure goes through a third for each, and there is one row. */
static void a_run_has_one_figure_and_one_row(void)
{
    struct seen seen = {0};

    a_gauge("run");
    struct wry_plain *jig = jig_of("run");
    g_autofree char *ledger = g_strdup(scratch_file("runs.db"));
    CHECK_EQUAL(0, wry_plain_set(jig, "ledger", ledger));
    CHECK_EQUAL(0, wry_plain_set(jig, "image", placed("app", "gauge.bin")));
    CHECK_EQUAL(0, wry_plain_set(jig, "set", "datum_mm=-1801"));
    wry_plain_watch(jig, watch, &seen);
    wry_plain_begin_run(jig, "gauge jig", 3);
    CHECK_EQUAL(0, wry_plain_do(jig, "backup"));
    CHECK(seen.highest > 250 && seen.highest <= 333);
    CHECK_EQUAL(0, wry_plain_do(jig, "write"));
    CHECK(seen.highest > 550 && seen.highest <= 667);
    CHECK_EQUAL(0, wry_plain_do(jig, "verify"));
    CHECK_EQUAL(0, wry_plain_end_run(jig));
    CHECK_EQUAL(0, seen.falls);
    CHECK(strstr(seen.steps, "read") && strstr(seen.steps, "write"));
    CHECK(atoi(wry_plain_text(jig, "sectors")) > 0 && wry_plain_text(jig, "backup"));
    wry_plain_free(jig);
    struct said said = command("ledger", "list", "--ledger", ledger, NULL);
    EXPECT(0, "gauge jig", said);
    CHECK(strstr(said.out, "passed") != NULL);
    g_auto(GStrv) lines = g_strsplit(said.out, "\n", -1);
    CHECK_EQUAL(3, g_strv_length(lines));
}

/* The first failure is the run's, whatever comes after it. */
static void a_run_fails_as_its_first_job_that_failed(void)
{
    a_gauge("failing");
    struct wry_plain *jig = jig_of("failing");
    g_autofree char *ledger = g_strdup(scratch_file("failures.db"));
    scratch_text("no-firmware.bin", "<html>Sign in</html>");
    CHECK_EQUAL(0, wry_plain_set(jig, "ledger", ledger));
    CHECK_EQUAL(0, wry_plain_set(jig, "image", placed("app", "no-firmware.bin")));
    wry_plain_begin_run(jig, "gauge jig", 2);
    CHECK_EQUAL(3, wry_plain_do(jig, "write"));
    CHECK(wry_plain_text(jig, "problem") && wry_plain_text(jig, "advice"));
    CHECK_EQUAL(0, wry_plain_set(jig, "none", "image"));
    CHECK_EQUAL(0, wry_plain_do(jig, "identify"));
    CHECK_EQUAL(3, wry_plain_end_run(jig));
    wry_plain_free(jig);
    struct said said = command("ledger", "list", "--ledger", ledger, NULL);
    EXPECT(0, "refused", said);
    CHECK(!says(&said, "passed"));
}

static void who_watches_can_stop_it(void)
{
    struct seen seen = {.stop_at = 100};

    a_gauge("stopped");
    struct wry_plain *jig = jig_of("stopped");
    wry_plain_watch(jig, watch, &seen);
    CHECK_EQUAL(9, wry_plain_do(jig, "backup"));
    CHECK(seen.highest < 600);
    CHECK(wry_plain_text(jig, "backup") == NULL);
    seen.stop_at = 0;
    CHECK_EQUAL(0, wry_plain_do(jig, "identify"));
    wry_plain_free(jig);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(options_that_do_not_fit_are_refused_with_words),
        FACT(the_figure_of_a_job_rises_to_its_end),
        FACT(a_run_has_one_figure_and_one_row),
        FACT(a_run_fails_as_its_first_job_that_failed),
        FACT(who_watches_can_stop_it),
    };
    int result = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return result;
}
