/*
 * The first advice is right: for each fault of the bench, wired, without wired outputs, and with
 * buttons that are pressed; by examine, and by verbs that do not get an answer. And it comes soon.
 */
#include <glib.h>
#include <string.h>

#include "command.h"
#include "harness.h"

enum way {
    WIRED,
    UNWIRED,
    BY_HAND,
    WAYS,
};

#define EXAMINE_MOST 20.0 /* s of simulated time for any fault */
#define EXAMINE_SOON 10.0 /* s for most of them */
#define HAND_TIME 20.0    /* s given for pressing buttons */
#define HEALTHY_MOST 2.0

/* The board prints until somebody presses its buttons. */
#define BUTTONS "Buttons: add --by-hand"

static const struct {
    const char *faults[2];
    const char *first[WAYS]; /* what examine advises first; NULL = nothing is wrong */
    bool works;              /* wired or by hand, the other verbs do their work */
} cases[] = {
    {{"none"}, {NULL, BUTTONS, NULL}, true},
    {{"unpowered"}, {"Power:", "Power:", "Power:"}, false},
    {{"no-ground"}, {"Ground:", "Ground:", "Ground:"}, false},
    {{"swapped"}, {"TX and RX:", BUTTONS, "TX and RX:"}, false},
    {{"rx-open"}, {"TX and RX:", BUTTONS, "TX and RX:"}, false},
    {{"echo"}, {"Short circuit:", "Short circuit:", "Short circuit:"}, false},
    {{"tx-open"}, {"TX wire:", BUTTONS, "TX wire:"}, false},
    {{"strap-released"}, {"Boot strap:", BUTTONS, "Buttons: hold boot"}, false},
    {{"strap-released", "console-echo"}, {"Boot strap:", BUTTONS, "Buttons: hold boot"}, false},
    {{"strap-released", "console=9600"}, {"Boot strap:", BUTTONS, BUTTONS}, false},
    {{"strap-released", "console=57600"}, {"Boot strap:", BUTTONS, BUTTONS}, false},
    {{"strap-stuck"}, {"Boot strap: is a jumper", "Boot strap: is a jumper", NULL}, true},
    {{"console-echo"}, {NULL, BUTTONS, NULL}, true},
    {{"console=9600"}, {NULL, BUTTONS, NULL}, true},
    {{"loader=9600"},
     {"Speed: add --call-speed 9600", BUTTONS, "Speed: add --call-speed 9600"},
     false},
    {{"loader=57600"},
     {"Speed: add --call-speed 57600", BUTTONS, "Speed: add --call-speed 57600"},
     false},
    {{"loader=460800"},
     {"Speed: add --call-speed 460800", BUTTONS, "Speed: add --call-speed 460800"},
     false},
    {{"off-speed=3"}, {"Speed: add --call-speed 1", BUTTONS, "Speed: add --call-speed 1"}, false},
    {{"off-speed=8"}, {"Speed: add --call-speed 1", BUTTONS, "Speed: add --call-speed 1"}, false},
    {{"noise=1e-5"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"noise=1e-4"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"noise=1e-3"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"noise=1e-2"}, {"Cable:", BUTTONS, "Cable:"}, false},
    {{"lost=1e-4"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"lost=1e-3"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"lost=1e-2"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"lost=0.1"}, {"Cable:", BUTTONS, "Cable:"}, false},
    {{"cable=500000"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"to-board=300000"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"from-board=300000"}, {"Cable:", BUTTONS, "Cable:"}, true},
    {{"late-rts=0.02s"}, {NULL, BUTTONS, NULL}, true},
    {{"latency=0.1s"}, {NULL, BUTTONS, NULL}, true},
    {{"busy=3s"}, {NULL, BUTTONS, NULL}, true},
    {{"brown-out"}, {"Supply:", BUTTONS, "Supply:"}, false},
};

#define CASES (sizeof cases / sizeof cases[0])

static void use_board(void)
{
    static bool is_there;

    if (!is_there)
        scratch_use_gauge("found", "none");
    g_setenv("WRYTOGRAPH_LINK", "bench:found", TRUE);
    is_there = true;
}

static void set_up(size_t n, enum way way)
{
    check_context("%s%s%s, %s", cases[n].faults[0], cases[n].faults[1] ? ", " : "",
                  cases[n].faults[1] ? cases[n].faults[1] : "",
                  way == WIRED     ? "wired"
                  : way == UNWIRED ? "not wired"
                                   : "by hand");
    EXPECT(
        0, "",
        command("bench", "fault", "found", "none", cases[n].faults[0], cases[n].faults[1], NULL));
    EXPECT(0, "", command("bench", "press", "found", way == BY_HAND ? "boot" : "release", NULL));
}

/* Either of option and last may be NULL. */
static struct said run(enum way way, const char *verb, const char *option, const char *last)
{
    switch (way) {
    case WIRED:
        return command(verb, option, last, NULL);
    case UNWIRED:
        return command(verb, "--wiring", "none", option, last, NULL);
    default:
        return command(verb, "--wiring", "none", "--by-hand", "--wait", "20s", option, last, NULL);
    }
}

static double seconds_of(const struct said *said)
{
    const char *member = strstr(said->out, "\"seconds\" : ");

    return member ? g_ascii_strtod(member + strlen("\"seconds\" : "), NULL) : -1;
}

static void examine_advises_the_right_thing_first(void)
{
    unsigned soon = 0, all = 0;

    use_board();
    for (size_t i = 0; i < CASES; i++) {
        for (enum way way = WIRED; way < WAYS; way++) {
            set_up(i, way);
            struct said said = run(way, "examine", NULL, NULL);
            if (cases[i].first[way]) {
                g_autofree char *first = g_strdup_printf("  1. %s", cases[i].first[way]);
                EXPECT(said.code, first, said);
                CHECK(said.code != 0 || says(&said, "The link works"));
            } else {
                EXPECT(0, "Nothing is wrong", said);
            }
            said = run(way, "examine", "--json", NULL);
            double seconds = seconds_of(&said);
            if (way == BY_HAND && seconds > HAND_TIME)
                seconds -= HAND_TIME;
            CHECK(seconds > 0);
            CHECK(seconds <= EXAMINE_MOST);
            CHECK(cases[i].first[way] || seconds <= HEALTHY_MOST + (i > 0 ? EXAMINE_SOON : 0));
            soon += seconds <= EXAMINE_SOON;
            all++;
        }
    }
    check_context("%u of %u within 10 s", soon, all);
    CHECK(soon * 10 >= all * 9);
}

static void other_verbs_advise_the_same(void)
{
    use_board();
    scratch_text("note", "low water at six");
    const char *load = placed("app", "gauge.bin");
    g_autofree char *place = g_strdup_printf("0x3F0000=%s", scratch_file("note"));
    for (size_t i = 0; i < CASES; i++) {
        for (enum way way = WIRED; way < WAYS; way++) {
            bool prints = way == UNWIRED && strcmp(cases[i].first[UNWIRED], BUTTONS) == 0;
            bool works = cases[i].works && !prints;
            set_up(i, way);
            g_autofree char *first =
                works ? g_strdup("") : g_strdup_printf("First: %s", cases[i].first[way]);
            struct said said = run(way, "identify", NULL, NULL);
            CHECK_EQUAL(works, said.code == 0);
            EXPECT(said.code, first, said);
            /* The supply fails only under load. */
            said = run(way, "write", "--without-backup",
                       strcmp(cases[i].faults[0], "brown-out") == 0 ? load : place);
            CHECK_EQUAL(works, said.code == 0);
            EXPECT(said.code, first, said);
        }
    }
}

/* The advised option works. */
static void the_speed_found_is_the_one_to_call_at(void)
{
    static const char *const faults[] = {"loader=57600", "loader=460800", "off-speed=3",
                                         "off-speed=8"};

    scratch_use_gauge("odd", "none");
    for (size_t i = 0; i < sizeof faults / sizeof faults[0]; i++) {
        check_context("%s", faults[i]);
        EXPECT(0, "", command("bench", "fault", "odd", "none", faults[i], NULL));
        struct said said = command("identify", NULL);
        const char *option = strstr(said.err, "--call-speed ");
        CHECK(option != NULL);
        if (!option)
            continue;
        option += strlen("--call-speed ");
        g_autofree char *speed = g_strndup(option, strspn(option, "0123456789"));
        EXPECT(0, "Turnstone T2", command("identify", "--call-speed", speed, NULL));
    }
}

/* What is lost in the air looks like text, as firmware is full of it. */
static void lost_bytes_are_no_restart(void)
{
    scratch_use_gauge("losing", "none");
    EXPECT(0, "", command("bench", "fault", "losing", "none", "lost=0.02", NULL));
    for (unsigned i = 0; i < 3; i++) {
        struct said said = command("verify", placed("app", "gauge.bin"), NULL);
        CHECK(!says(&said, "Supply:"));
        said = command("examine", NULL);
        CHECK(!says(&said, "Supply:"));
    }
}

static void regions_that_were_not_read_are_not_called_missing(void)
{
    scratch_use_gauge("weak", "brown-out");
    struct said said = command("identify", NULL);
    EXPECT(7, "not read", said);
    CHECK(!says(&said, "not in this backup"));
}

/* A busy flash answers, however long it takes: that is no fault of the link. */
static void a_flash_that_is_busy_for_long_is_waited_for(void)
{
    scratch_use_gauge("erasing", "none");
    EXPECT(0, "", command("bench", "fault", "erasing", "none", "busy=90s", NULL));
    for (unsigned way = 0; way < 2; way++) {
        check_context(way == 0 ? "wired" : "by hand");
        if (way == 1)
            EXPECT(0, "", command("bench", "press", "erasing", "boot", NULL));
        struct said said = run(way == 0 ? WIRED : BY_HAND, "examine", NULL, NULL);
        EXPECT(0, "Nothing is wrong", said);
        CHECK(says(&said, "flash is still busy"));
    }
}

/* Wherever it breaks: it is a fault of the link, with advice. */
static void a_cable_that_breaks_is_a_finding(void)
{
    scratch_use_gauge("cut", "none");
    for (unsigned n = 10; n <= 250; n += 20) {
        g_autofree char *fault = g_strdup_printf("cable-cut=%u", n);
        check_context("%s", fault);
        EXPECT(0, "", command("bench", "fault", "cut", "none", fault, NULL));
        struct said said = run(WIRED, "examine", NULL, NULL);
        CHECK(said.code == 0 || says(&said, "Check, in this order:"));
        CHECK(said.code == 0 || says(&said, "Cable:"));
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(examine_advises_the_right_thing_first),
        FACT(other_verbs_advise_the_same),
        FACT(the_speed_found_is_the_one_to_call_at),
        FACT(lost_bytes_are_no_restart),
        FACT(regions_that_were_not_read_are_not_called_missing),
        FACT(a_flash_that_is_busy_for_long_is_waited_for),
        FACT(a_cable_that_breaks_is_a_finding),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
