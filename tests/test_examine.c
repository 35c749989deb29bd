/* examine tells every fault of the bench apart; listen and start check what the board says. */
#include <glib.h>
#include <string.h>

#include "command.h"
#include "harness.h"

static void every_fault_is_told_apart(void)
{
    static const struct {
        const char *fault, *finding, *first_check;
        int code;
    } cases[] = {
        {"none", "good", "also under load", 0},
        {"unpowered", "unpowered", "1. Power:", 4},
        {"no-ground", "no-ground", "1. Ground:", 4},
        {"swapped", "silent", "1. TX and RX:", 4},
        {"echo", "echo", "1. Short circuit:", 4},
        {"strap-released", "strap", "1. Boot strap:", 4},
        {"loader=57600", "other-speed", "1. Speed:", 4},
        {"noise=1e-4", "noise", "1. Cable:", 7},
        {"noise=1e-2", "noise", "1. Cable:", 7},
        {"cable=500000", "slow-cable", "460800 baud works", 0},
        {"brown-out", "brown-out", "1. Supply:", 7},
    };
    size_t n = 0;

    scratch_add_gauge("patient");
    g_autofree uint8_t *before = scratch_flash("patient", &n);
    for (size_t i = 0; i < sizeof cases / sizeof cases[0]; i++) {
        g_autofree char *finding = g_strdup_printf("\"finding\" : \"%s\"", cases[i].finding);
        EXPECT(0, "", command("bench", "fault", "patient", "none", cases[i].fault, NULL));
        check_context("%s", cases[i].fault);
        EXPECT(cases[i].code, cases[i].first_check,
               command("examine", "-l", "bench:patient", NULL));
        EXPECT(cases[i].code, finding, command("examine", "--json", "-l", "bench:patient", NULL));
    }
    CHECK(scratch_flash_is("patient", before, n));
    /* Before the strap is blamed, the other wirings are tried. */
    EXPECT(0, "", command("bench", "fault", "patient", "none", "strap-released", NULL));
    EXPECT(4, "; no other wiring reaches loading mode",
           command("examine", "-l", "bench:patient", NULL));
}

/* A firmware at another speed than its boot ROM looks like text with errors. */
static void a_loader_is_found_at_every_usual_speed(void)
{
    static const unsigned speeds[] = {9600, 38400, 57600, 230400, 460800};

    scratch_use_gauge("speeds", "none");
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++) {
        g_autofree char *console = g_strdup_printf("console=%u", speeds[i]);
        g_autofree char *loader = g_strdup_printf("loader=%u", speeds[i]);
        g_autofree char *answer =
            g_strdup_printf("Heard: a loader that answers at %u baud.", speeds[i]);
        check_context("%u baud", speeds[i]);
        EXPECT(0, "", command("bench", "fault", "speeds", "none", loader, console, NULL));
        EXPECT(4, answer, command("examine", NULL));
        EXPECT(0, "", command("bench", "fault", "speeds", "none", "strap-released", console, NULL));
        struct said said = command("examine", NULL);
        g_autofree char *text = g_strdup_printf("readable text at %u baud", speeds[i]);
        EXPECT(4, "which prints at another speed", said);
        CHECK(says(&said, text));
        CHECK(says(&said, "1. Boot strap:"));
    }
}

static void other_verbs_end_with_the_same_findings(void)
{
    scratch_add_gauge("silent");
    EXPECT(0, "", command("bench", "fault", "silent", "unpowered", NULL));
    struct said said = command("identify", "-l", "bench:silent", NULL);
    EXPECT(4, "no answer from the board", said);
    CHECK(says(&said, "most likely it has no power"));
    CHECK(says(&said, "First: Power:"));
    EXPECT(0, "", command("bench", "fault", "silent", "none", "loader=57600", NULL));
    EXPECT(4, "no answer", command("identify", "-l", "bench:silent", NULL));
    EXPECT(0, "Turnstone T2",
           command("identify", "--call-speed", "57600", "-l", "bench:silent", NULL));
    EXPECT(2, "is not a speed",
           command("identify", "--call-speed", "1", "-l", "bench:silent", NULL));
}

static void listen_shows_what_the_board_says_and_checks_it(void)
{
    scratch_add_gauge("talker");
    g_setenv("WRYTOGRAPH_LINK", "bench:talker", TRUE);
    struct said said = command("listen", NULL);
    EXPECT(0, "gauge ready", said);
    CHECK(says(&said, "tide 2.31 m"));
    EXPECT(0, "Seen: \"tide 2.33\"", command("listen", "--expect", "tide 2.33", NULL));
    EXPECT(6, "was not seen", command("listen", "--expect", "high water", "--within", "2s", NULL));
    EXPECT(0, "Seen: \"tide-gauge 2.3.0\"",
           command("listen", "--send", "version", "--expect", "tide-gauge 2.3.0", NULL));
    EXPECT(6, "was not seen",
           command("listen", "--send", "version", "--line-end", "lf", "--expect",
                   "tide-gauge 2.3.0", NULL));
    EXPECT(2, "is not a line ending", command("listen", "--line-end", "tab", NULL));
    EXPECT(2, "is not a time", command("listen", "--within", "soon", NULL));
}

static void listen_finds_the_speed_that_is_readable(void)
{
    scratch_use_gauge("slow", "none");
    struct said said = command("listen", "--speed", "38400", "--within", "9s", NULL);
    EXPECT(0, "Readable at 115200 baud", said);
    CHECK(says(&said, "tide 2."));
}

static void listen_keeps_a_log(void)
{
    size_t n = 0;

    scratch_use_gauge("logged", "none");
    EXPECT(0, "", command("listen", "--log", scratch_file("talk.log"), "--within", "2s", NULL));
    g_autofree char *log = (char *)scratch_read("talk.log", &n);
    CHECK(log && g_strstr_len(log, (gssize)n, "gauge ready\n"));
    CHECK(log && log[4] == '-' && log[13] == ':');
    EXPECT(3, "No such file", command("listen", "--log", scratch_file("no/talk.log"), NULL));
}

static void start_can_ask_the_new_firmware_for_its_version(void)
{
    scratch_use_gauge("asked", "none");
    EXPECT(0, "Written",
           command("write", placed("start", "start.bin"), placed("app", "gauge.bin"), NULL));
    EXPECT(0, "Seen: \"tide-gauge 2.3.1\"",
           command("start", "--send", "version", "--expect", "tide-gauge 2.3.1", NULL));
    EXPECT(6, "was not seen",
           command("start", "--send", "version", "--expect", "tide-gauge 2.3.0", NULL));
}

static void ports_lists_what_the_system_has(void)
{
    EXPECT(0, "\"ports\"", command("ports", "--json", NULL));
    EXPECT(2, "was not expected", command("ports", "all", NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_fault_is_told_apart),
        FACT(a_loader_is_found_at_every_usual_speed),
        FACT(other_verbs_end_with_the_same_findings),
        FACT(listen_shows_what_the_board_says_and_checks_it),
        FACT(listen_finds_the_speed_that_is_readable),
        FACT(listen_keeps_a_log),
        FACT(start_can_ask_the_new_firmware_for_its_version),
        FACT(ports_lists_what_the_system_has),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
