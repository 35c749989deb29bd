/* What is said to a board and expected of it: steps, line endings, speeds, and what the boot ROM
 * says of a board that does not start. */
#include <glib.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "store/image/steps_file.h"

static void steps_are_taken_in_the_order_they_are_said(void)
{
    scratch_use_gauge("ordered", "none");
    struct said said = command("start", "--expect", "gauge ready", "--send", "version", "--expect",
                               "tide-gauge 2.3.0", "--send", "tide", "--expect", "tide 2.31", NULL);
    EXPECT(0, "Seen: \"gauge ready\", \"tide-gauge 2.3.0\", \"tide 2.31\".", said);
    /* What was seen once is not looked at again. */
    EXPECT(6, "\"gauge ready\" was not seen",
           command("start", "--expect", "gauge ready", "--expect", "gauge ready", "--within", "2s",
                   NULL));
    EXPECT(6, "\"fathom\" was not seen after 'tide' was sent",
           command("start", "--send", "tide", "--expect", "fathom", "--within", "2s", NULL));
    EXPECT(0, "\"text\"",
           command("listen", "--json", "--expect", "tide", "--send", "version", NULL));
}

static void write_steps(const char *text)
{
    scratch_write("steps.yaml", text, strlen(text));
}

static void steps_come_from_a_file(void)
{
    scratch_use_gauge("filed", "none");
    write_steps("steps:\n  - {expect: gauge ready, within: 3s}\n"
                "  - {send: depth, expect: fathoms, within: 1s, on-failure: go-on}\n"
                "  - {send: version, expect: tide-gauge 2.3.0}\n");
    struct said said = command("start", "--steps", scratch_file("steps.yaml"), NULL);
    EXPECT(0, "Seen: \"gauge ready\", \"tide-gauge 2.3.0\".", said);
    CHECK(says(&said, "Not seen: \"fathoms\"; continuing."));
    write_steps("steps:\n  - send: version\n    expect: tide-gauge 9\n    within: 1s\n"
                "    advice: Write the image of this year.\n");
    EXPECT(6, "Write the image of this year.",
           command("start", "--steps", scratch_file("steps.yaml"), NULL));
    EXPECT(2, "--steps together with --send or --expect",
           command("start", "--steps", scratch_file("steps.yaml"), "--send", "x", NULL));
    EXPECT(0, "The steps are valid: 1", command("inspect", scratch_file("steps.yaml"), NULL));
    EXPECT(3, "No such file", command("listen", "--steps", scratch_file("none.yaml"), NULL));
}

static void a_steps_file_s_mistakes_are_named_by_line(void)
{
    static const struct {
        const char *lines, *said;
    } mistakes[] = {
        {"steps:\n  - {sends: version}\n", ":2: a step has send, expect, within"},
        {"steps:\n  - {within: 3s}\n", ":2: a step sends, expects or transfers something"},
        {"steps:\n  - {send: a}\n  - {expect: b, within: soon}\n", ":3: 'soon' is not a time"},
        {"steps:\n  - {expect: b, on-failure: panic}\n", ":2: 'on-failure' is stop or go-on"},
        {"steps:\n  - {send: a, within: 3s}\n", ":2: within, on-failure and advice"},
        {"steps:\n  - {send: [a]}\n", ":2: 'send' takes one line of text"},
        {"steps:\n  - {send: \"a\\nb\"}\n", ":2: 'send' takes one line of text"},
        {"steps:\n  - version\n", ":2: a step is written"},
        {"steps: version\n", ":1: 'steps' is a list"},
        {"steps: []\n", "there are no steps"},
        {"step:\n  - {send: a}\n", ":1: a steps file has 'steps:', not 'step'"},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(mistakes); i++) {
        g_autoptr(GError) error = NULL;
        write_steps(mistakes[i].lines);
        check_context("%s", mistakes[i].lines);
        CHECK(wry_console_steps_load(scratch_file("steps.yaml"), &error) == NULL);
        CHECK(error && strstr(error->message, mistakes[i].said));
    }
}

static void other_line_endings_are_tried_when_a_line_is_not_answered(void)
{
    static const char *const ends[] = {"lf", "cr", "crlf"};

    for (size_t i = 0; i < G_N_ELEMENTS(ends); i++) {
        for (size_t k = 0; k < G_N_ELEMENTS(ends); k++) {
            g_autofree char *name = g_strdup_printf("ends-%s-%s", ends[i], ends[k]);
            g_autofree char *fault = g_strdup_printf("line-end=%s", ends[i]);
            check_context("%s, sent with %s", fault, ends[k]);
            scratch_use_gauge(name, fault);
            /* Without a word about it, the right one is found. */
            if (k == 0)
                EXPECT(0, "Seen",
                       command("start", "--send", "version", "--expect", "tide-gauge 2.3.0",
                               "--send", "tide", "--expect", "tide 2.31", NULL));
            /* One that is said is kept to. */
            bool answers = i == k || (i == 1 && k == 2);
            struct said said = command("start", "--line-end", ends[k], "--send", "version",
                                       "--expect", "tide-gauge 2.3.0", NULL);
            CHECK_EQUAL(answers ? 0 : 6, said.code);
        }
    }
    scratch_use_gauge("told", "line-end=lf");
    EXPECT(0, "This board expects lines that end in lf: use --line-end lf",
           command("start", "--send", "version", "--expect", "tide-gauge 2.3.0", NULL));
    /* A line that was answered is not resent. */
    scratch_use_gauge("once", "none");
    struct said said =
        command("start", "--send", "version", "--expect", "tide-gauge 9", "--within", "5s", NULL);
    CHECK_EQUAL(6, said.code);
    CHECK(!says(&said, "trying the line ending"));
}

static void a_firmware_at_another_speed_is_followed(void)
{
    static const char *const speeds[] = {"9600", "38400", "57600", "230400", "460800", "921600"};

    for (size_t i = 0; i < G_N_ELEMENTS(speeds); i++) {
        g_autofree char *name = g_strdup_printf("console-%s", speeds[i]);
        g_autofree char *fault = g_strdup_printf("console=%s", speeds[i]);
        g_autofree char *found = g_strdup_printf("Readable at %s baud", speeds[i]);
        check_context("%s", fault);
        scratch_use_gauge(name, fault);
        EXPECT(0, found,
               command("start", "--send", "version", "--expect", "tide-gauge 2.3.0", "--within",
                       "20s", NULL));
    }
    /* A chip whose boot ROM has a speed of its own: its text is read, and then the firmware's. */
    struct wry_boot_header header = program_header("creek-gauge 1.0.0", 4000);
    header.chip_code = 0x5101;
    header.flash_size_log2 = 20;
    program_write("creek.bin", &header);
    EXPECT(0, "",
           command("bench", "add", "creek", "--chip", "sanderling-s1", "--flash", "1MiB", NULL));
    g_setenv("WRYTOGRAPH_LINK", "bench:creek", TRUE);
    EXPECT(0, "Written", command("write", placed("app", "creek.bin"), NULL));
    struct said said = command("start", "--expect", "creek-gauge 1.0.0 on", "--send", "version",
                               "--expect", "creek-gauge 1.0.0", NULL);
    EXPECT(0, "application at 0x0: creek-gauge 1.0.0, digest ok", said);
    CHECK(!says(&said, "Not readable"));
}

/* Any speed, not only a usual one: the boot ROM's text is readable at another, and then the
 * firmware's is not. */
static void a_speed_that_was_given_is_gone_back_to(void)
{
    static const char *const speeds[] = {"12000", "250000", "1000000", "1500000", "2000000"};

    for (size_t i = 0; i < G_N_ELEMENTS(speeds); i++) {
        g_autofree char *name = g_strdup_printf("given-%s", speeds[i]);
        g_autofree char *fault = g_strdup_printf("console=%s", speeds[i]);
        g_autofree char *hint = g_strdup_printf("Next time, --speed %s", speeds[i]);
        check_context("%s", fault);
        scratch_use_gauge(name, fault);
        struct said said = command("listen", "--speed", speeds[i], "--send", "version", "--expect",
                                   "tide-gauge 2.3.0", NULL);
        EXPECT(0, "Seen: \"tide-gauge 2.3.0\"", said);
        CHECK(!says(&said, hint));
    }
}

static void a_board_that_was_started_is_not_in_loading_mode(void)
{
    scratch_use_gauge("started", "none");
    struct said said = command("start", "--expect", "gauge ready", NULL);
    EXPECT(0, "The board has left loading mode", said);
    CHECK(!says(&said, "still in loading mode"));
    EXPECT(0, "still in loading mode", command("erase", "log", "--without-backup", NULL));
}

static void what_does_not_start_is_told_with_advice(void)
{
    scratch_use_gauge("stuck", "strap-stuck");
    EXPECT(4, "its boot strap is still held", command("start", NULL));
    EXPECT(4, "its boot strap is still held", command("listen", "--expect", "gauge ready", NULL));
    EXPECT(0, "The board is in loading mode: its boot strap is held",
           command("listen", "--within", "2s", NULL));
    scratch_use_gauge("erased", "none");
    EXPECT(0, "Erased", command("erase", "app", NULL));
    EXPECT(6, "the board found nothing to run in its flash", command("start", NULL));
    EXPECT(6, "found nothing to run", command("listen", "--expect", "gauge ready", NULL));
    EXPECT(0, "Written", command("write", placed("app", "gauge.bin"), NULL));
    EXPECT(0, "tide-gauge 2.3.1", command("start", NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(steps_are_taken_in_the_order_they_are_said),
        FACT(steps_come_from_a_file),
        FACT(a_steps_file_s_mistakes_are_named_by_line),
        FACT(other_line_endings_are_tried_when_a_line_is_not_answered),
        FACT(a_firmware_at_another_speed_is_followed),
        FACT(a_speed_that_was_given_is_gone_back_to),
        FACT(a_board_that_was_started_is_not_in_loading_mode),
        FACT(what_does_not_start_is_told_with_advice),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
