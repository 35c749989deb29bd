/* The bench and the first minutes at it: wires, wiring, buttons, ports, drawings, what is on a
 * board. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "wrytograph/region_table.h"

/* Chips whose boot ROM has the usual speed and one of its own, and what is wrong with the wires:
 * the cause must not contradict what was heard. */
static void open_wires_and_other_speeds_are_not_taken_for_one_another(void)
{
    static const struct {
        const char *fault, *cause, *heard;
        int code;
    } cases[] = {
        {"none", "Nothing is wrong with this link", "a loader that answers", 0},
        {"tx-open", "is in loading mode, but does not hear us", "loading mode", 4},
        {"rx-open", "Nothing comes from the board", "Heard: nothing", 4},
        {"swapped", "Nothing comes from the board", "Heard: nothing", 4},
        {"loader=9600", "speaks at another speed", "a loader that answers at 9600 baud", 4},
        {"loader=57600", "speaks at another speed", "a loader that answers at 57600 baud", 4},
        {"unpowered", "holds the line low", "zeros", 4},
        {"echo", "Our own calls come back", "our own frames", 4},
        {"strap-stuck", "enters loading mode at every reset", "loading mode", 4},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *name = g_strdup_printf("wire-%zu", i);
        g_autofree char *small = g_strdup_printf("small-%zu", i);
        g_autofree char *link = g_strdup_printf("bench:%s", small);
        scratch_use_gauge(name, cases[i].fault);
        check_context("%s", cases[i].fault);
        struct said said = command("examine", NULL);
        EXPECT(cases[i].code, cases[i].cause, said);
        CHECK(says(&said, cases[i].heard));
        EXPECT(0, "",
               command("bench", "add", small, "--chip", "sanderling-s1", "--flash", "1M", NULL));
        EXPECT(0, "", command("bench", "fault", small, cases[i].fault, NULL));
        said = command("examine", "-l", link, NULL);
        EXPECT(cases[i].code, cases[i].cause, said);
        CHECK(says(&said, cases[i].heard));
    }
}

static void simulated_boards_obey_the_wiring(void)
{
    static const char *const wirings[] = {"rts-reset",          "dtr-reset",
                                          "rts-reset-inverted", "dtr-reset-inverted",
                                          "cross-coupled",      "none"};

    for (size_t i = 0; i < G_N_ELEMENTS(wirings); i++) {
        g_autofree char *name = g_strdup_printf("wired-%s", wirings[i]);
        g_autofree char *link = g_strdup_printf("bench:%s", name);
        EXPECT(0, "",
               command("bench", "add", name, "--chip", "turnstone-t2", "--flash", "4MiB", "--wired",
                       wirings[i], "--content", scratch_file("returned-1.bin"), NULL));
        for (size_t k = 0; k < G_N_ELEMENTS(wirings); k++) {
            check_context("wired %s, taken for %s", wirings[i], wirings[k]);
            /* Straight wires do what two transistors do, as long as they are driven in turn. */
            bool in_turn = i == 0 && strcmp(wirings[k], "cross-coupled") == 0;
            bool answers = (i == k && strcmp(wirings[i], "none") != 0) || in_turn;
            struct said said = command("identify", "-l", link, "--wiring", wirings[k], NULL);
            CHECK_EQUAL(answers ? 0 : 4, said.code);
        }
        /* Without any being said, the right one is named, and the board runs in the end. */
        check_context("wired %s", wirings[i]);
        g_autofree char *named = g_strdup_printf("with --wiring %s", wirings[i]);
        struct said found = command("examine", "-l", link, NULL);
        bool to_find = i > 0 && strcmp(wirings[i], "none") != 0;
        CHECK_EQUAL(i == 0 ? 0 : 4, found.code);
        CHECK(says(&found, to_find ? named : i == 0 ? "Nothing is wrong" : "runs its program"));
    }
    EXPECT(2, "--wired is",
           command("bench", "add", "no", "--chip", "turnstone-t2", "--flash", "4MiB", "--wired",
                   "loose", NULL));
}

/* Faults of lines and flash, what they do to identify and to a write, and what is said of it. */
static void faults_of_lines_and_flash_can_be_rehearsed(void)
{
    static const struct {
        const char *fault, *identified, *written;
        int identify, write;
    } cases[] = {
        {"to-board=500000", "at 460800 baud", "verified by the board's SHA-256", 0, 0},
        {"from-board=500000", "at 460800 baud", "verified by the board's SHA-256", 0, 0},
        {"off-speed=1.9", "at 2000000 baud", "verified by the board's SHA-256", 0, 0},
        {"off-speed=6", "no answer", "no answer", 4, 4},
        {"late-rts=0.025s", "Turnstone T2", "verified by the board's SHA-256", 0, 0},
        {"erases=256KiB", "can be read, not written: it erases no less than 256 KiB",
         "cannot be written sector by sector", 0, 8},
        {"busy=90s", "still busy with an operation from before", "still busy", 0, 0},
        {"unplugged=9000", "Turnstone T2", "found again 1 time", 0, 0},
    };
    static const char *const bad[] = {"off-speed=11", "off-speed=x", "erases=3000", "erases=2M",
                                      "busy=20m",     "late-rts=",   "unplugged=0"};
    g_autofree char *image = g_strdup_printf("0x200000=%s", scratch_file("rehearsed"));
    uint8_t bytes[30000];

    for (size_t i = 0; i < sizeof bytes; i++)
        bytes[i] = (uint8_t)(i * i >> 5 ^ i * 2654435761u >> 11);
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *name = g_strdup_printf("rehearsal-%u", (unsigned)i);
        g_autofree char *link = g_strdup_printf("bench:%s", name);
        bytes[0] = (uint8_t)i;
        scratch_write("rehearsed", bytes, sizeof bytes);
        scratch_add_gauge(name);
        EXPECT(0, "has these faults", command("bench", "fault", name, cases[i].fault, NULL));
        check_context("%s", cases[i].fault);
        EXPECT(cases[i].identify, cases[i].identified, command("identify", "-l", link, NULL));
        EXPECT(cases[i].write, cases[i].written, command("write", "-l", link, image, NULL));
    }
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        check_context("%s", bad[i]);
        EXPECT(2, "Faults are", command("bench", "fault", "rehearsal-0", bad[i], NULL));
    }
}

static void every_fault_is_listed_in_words(void)
{
    static const struct {
        const char *fault, *words;
    } cases[] = {
        {"strap-released", "strap-released"},
        {"console-echo", "console-echo"},
        {"loader=57600", "loader at 57600 baud"},
        {"console=9600", "console at 9600 baud"},
        {"line-end=lf", "lines end in lf"},
        {"noise=1e-5", "noise 1e-05"},
        {"noise-above=460800", "noise only above 460800 baud"},
        {"lost=1e-4", "lost bytes 0.0001"},
        {"latency=0.016s", "latency 16 ms"},
        {"cable=500000", "cable works up to 500000 baud"},
        {"to-board=230400", "to the board works up to 230400 baud"},
        {"from-board=230400", "from the board works up to 230400 baud"},
        {"off-speed=2.5", "speeds off by 2.5 %"},
        {"late-rts=0.025s", "RTS 25 ms late"},
        {"erases=64KiB", "smallest erase 64 KiB"},
        {"busy=90s", "flash busy for 90 s"},
        {"protect=0x14", "block-protect bits 0x14"},
        {"claims=8M", "flash claims 8192 KiB"},
        {"power-cut=9", "power cut at flash operation 9"},
        {"cable-cut=90", "cable pulled at byte 90"},
        {"unplugged=90", "adapter unplugged at byte 90"},
    };

    scratch_add_gauge("faulty");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *expected =
            g_strdup_printf("Board 'faulty' has these faults: %s.", cases[i].words);
        check_context("%s", cases[i].fault);
        EXPECT(0, expected, command("bench", "fault", "faulty", "none", cases[i].fault, NULL));
        EXPECT(0, cases[i].words, command("bench", "list", NULL));
    }
}

static void buttons_are_pressed_from_outside(void)
{
    scratch_use_gauge("buttons", "none");
    EXPECT(4, "Heard: the board runs its program. Hold the boot button longer",
           command("identify", "--by-hand", "--wiring", "none", "--wait", "3s", NULL));
    EXPECT(0, "its boot button is held", command("bench", "press", "buttons", "boot", NULL));
    struct said said = command("identify", "--by-hand", "--wiring", "none", "--wait", "3s", NULL);
    EXPECT(0, "Heard: loading mode is reached. Release the boot button.", said);
    CHECK(says(&said, "The board answers."));
    EXPECT(0, "not held", command("bench", "press", "buttons", "release", NULL));
    EXPECT(4, "no answer", command("identify", "--wiring", "none", NULL));
    EXPECT(0, "held through the next reset", command("bench", "press", "buttons", "loading", NULL));
    EXPECT(0, "Turnstone T2",
           command("identify", "--by-hand", "--wiring", "none", "--wait", "3s", NULL));
    EXPECT(4, "no answer",
           command("identify", "--by-hand", "--wiring", "none", "--wait", "3s", NULL));
    EXPECT(2, "there is no button 'snooze'", command("bench", "press", "buttons", "snooze", NULL));
    EXPECT(2, "takes NAME and what to press", command("bench", "press", "buttons", NULL));
    EXPECT(2, "'none' is not a board", command("bench", "press", "none", "boot", NULL));
}

static void a_board_is_taken_off_the_bench(void)
{
    scratch_use_gauge("leaving", "none");
    EXPECT(0, "", command("backup", scratch_file("leaving.zip"), NULL));
    EXPECT(0, "removed from the bench", command("bench", "remove", "leaving", NULL));
    CHECK(!g_file_test(scratch_file("bench/leaving"), G_FILE_TEST_EXISTS));
    EXPECT(2, "'leaving' is not a board", command("bench", "remove", "leaving", NULL));
    EXPECT(2, "is not a name for a board", command("bench", "remove", "../bench", NULL));
    EXPECT(2, "takes NAME", command("bench", "remove", NULL));
    /* What is no board stays. */
    CHECK(g_file_test(scratch_file("bench"), G_FILE_TEST_IS_DIR));
    EXPECT(2, "'backups' is not a board", command("bench", "remove", "backups", NULL));
}

static void a_board_has_a_flash_that_its_chip_can_have(void)
{
    static const struct {
        const char *chip, *size;
        int code;
    } cases[] = {
        {"sanderling-s1", "256KiB", 2}, {"sanderling-s1", "512KiB", 0},
        {"sanderling-s1", "2MiB", 0},   {"sanderling-s1", "4MiB", 2},
        {"turnstone-t2", "2MiB", 2},    {"turnstone-t2", "4MiB", 0},
        {"turnstone-t2", "5MiB", 2},    {"turnstone-t2", "16MiB", 0},
        {"turnstone-t2", "32MiB", 2},   {"dunlin-d3", "1MiB", 2},
        {"dunlin-d3", "2MiB", 0},       {"dunlin-d3", "32MiB", 0},
        {"dunlin-d3", "256MiB", 0},     {"dunlin-d3", "512MiB", 2},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *name = g_strdup_printf("sized-%zu", i);
        check_context("%s with %s", cases[i].chip, cases[i].size);
        EXPECT(
            cases[i].code, cases[i].code == 0 ? "is on the bench" : "flash",
            command("bench", "add", name, "--chip", cases[i].chip, "--flash", cases[i].size, NULL));
        CHECK_EQUAL(cases[i].code == 0, command("bench", "remove", name, NULL).code == 0);
    }
    check_context(NULL);
}

/* Without --link, one USB adapter is taken; any other device may be anything. */
static void the_only_adapter_is_taken_and_no_other_device(void)
{
    static const char modem[] = "/dev/null 0000:0000 - Modem\n";
    static const char one[] = "/dev/null 0000:0000 - Modem\n/dev/zero FFFE:0004 A1 Harbour\n";
    static const char two[] = "/dev/zero FFFE:0004 A1 Harbour\n/dev/full FFFE:0005 A2 Creek\n";

    g_unsetenv("WRYTOGRAPH_LINK");
    g_setenv("WRYTOGRAPH_DEVICES", scratch_file("adapters"), TRUE);
    scratch_text("adapters", modem);
    EXPECT(2, "no link given, and there is no USB adapter", command("identify", NULL));
    scratch_text("adapters", one);
    struct said said = command("identify", NULL);
    CHECK(said.code != 0 && says(&said, "Using /dev/zero, the only adapter."));
    scratch_text("adapters", two);
    said = command("identify", NULL);
    EXPECT(2, "no link given, and there are 2 adapters", said);
    CHECK(says(&said, "/dev/zero        Harbour") && says(&said, "/dev/full        Creek"));
    g_unsetenv("WRYTOGRAPH_DEVICES");
}

static void ports_that_do_not_appear_are_not_waited_for_without_end(void)
{
    g_setenv("WRYTOGRAPH_DEVICES", scratch_file("devices"), TRUE);
    g_setenv("WRYTOGRAPH_USB", scratch_file("usb"), TRUE);
    CHECK_EQUAL(0, g_mkdir(scratch_file("usb"), 0755));
    scratch_write("devices", "", 0);
    EXPECT(4, "no serial port appeared in 0.3 s, and no USB device either",
           command("ports", "--appearing", "--wait", "0.3s", NULL));
    EXPECT(2, "'soon' is not a time", command("ports", "--appearing", "--wait", "soon", NULL));
    /* Devices that come once it waits for them: one that is no port, and one that is. */
    g_autofree char *come = g_strdup_printf(
        "'%s' ports --appearing --wait 3.5s 2>&1 | { read line; mkdir '%s/1-4'; echo fffe > "
        "'%s/1-4/idVendor'; echo 0004 > '%s/1-4/idProduct'; echo 'Harbour adapter' > "
        "'%s/1-4/product'; cat; }",
        command_path(), scratch_file("usb"), scratch_file("usb"), scratch_file("usb"),
        scratch_file("usb"));
    EXPECT(0, "the USB device FFFE:0004 Harbour adapter appeared, but no serial port",
           run_program("sh", "-c", come, NULL));
    g_autofree char *port = g_strdup_printf(
        "'%s' ports --appearing 2>&1 | { read line; echo '/dev/null FFFE:0004 A1 Harbour' > '%s'; "
        "cat; }",
        command_path(), scratch_file("devices"));
    EXPECT(0, "Use it with --link /dev/null", run_program("sh", "-c", port, NULL));
    g_unsetenv("WRYTOGRAPH_DEVICES");
    g_unsetenv("WRYTOGRAPH_USB");
}

static void wires_are_drawn_for_chip_and_wiring(void)
{
    struct said said = command("examine", "--drawing", "--expect-chip", "dunlin-d3", NULL);

    EXPECT(0, "Dunlin D3", said);
    CHECK(says(&said, "MODE") && says(&said, "never 5 V") && says(&said, "RTS"));
    said = command("examine", "--drawing", "--wiring", "dtr-reset-inverted", NULL);
    EXPECT(0, "through an inverter", said);
    EXPECT(0, "a button to ground", command("examine", "--drawing", "--wiring", "none", NULL));
    EXPECT(0, "The drawing is in", command("examine", "--svg", scratch_file("wires.svg"), NULL));
    EXPECT(2, "the file exists", command("examine", "--svg", scratch_file("wires.svg"), NULL));
    EXPECT(0, "The drawing is in",
           command("examine", "--replace", "--svg", scratch_file("wires.svg"), NULL));
    size_t n = 0;
    g_autofree uint8_t *svg = scratch_read("wires.svg", &n);
    CHECK(g_strstr_len((const char *)svg, (gssize)n, "3.3 V") != NULL);
    EXPECT(2, "there is no wiring", command("examine", "--drawing", "--wiring", "odd", NULL));
}

/* One region a line: programs by version and digest, damage by name, and nothing that was not
 * looked at. */
static void what_is_on_a_board_is_named(void)
{
    size_t n = 0;
    g_autofree uint8_t *flash = scratch_read("returned-1.bin", &n);

    flash[0x40000 + 300000] ^= 1; /* in the application */
    flash[0x4000 + 9000] ^= 1;    /* in the start program */
    scratch_write("hurt.bin", flash, n);
    EXPECT(0, "",
           command("bench", "add", "hurt", "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file("hurt.bin"), NULL));
    g_setenv("WRYTOGRAPH_LINK", "bench:hurt", TRUE);
    struct said said = command("identify", NULL);
    EXPECT(0, "gauge-start 1.0.2 for Turnstone T2, 2 lines at 40 MHz; digest DIFFERS", said);
    CHECK(says(&said, "digest not checked (--deep: 0.7 s)"));
    CHECK(says(&said, "region table, valid"));
    CHECK(says(&said, "gauge = 1, pier = A, datum_mm = -1827"));
    said = command("identify", "--deep", NULL);
    EXPECT(0, "tide-gauge 2.3.0 for Turnstone T2, 2 lines at 40 MHz; digest DIFFERS", said);
    flash[0xE020] ^= 1;
    flash[0x10003] ^= 1;
    flash[0x10003] ^= 1;
    flash[0x10018] ^= 1;
    flash[0x4004] ^= 0xFF;
    scratch_write("hurt.bin", flash, n);
    EXPECT(0, "", command("bench", "remove", "hurt", NULL));
    EXPECT(0, "",
           command("bench", "add", "hurt", "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file("hurt.bin"), NULL));
    said = command("identify", NULL);
    EXPECT(0, "region table, DAMAGED", said);
    CHECK(says(&said, "a settings block that is DAMAGED"));
    CHECK(says(&said, "a program whose boot header is DAMAGED"));
    EXPECT(0, "\"holds\" : \"damaged-region-table\"", command("identify", "--json", NULL));
    EXPECT(0, "",
           command("bench", "add", "new", "--chip", "turnstone-t2", "--flash", "4MiB", NULL));
    said = command("identify", "-l", "bench:new", NULL);
    EXPECT(0, "begins blank", said);
    CHECK(says(&said, "the usual one of this chip"));
    scratch_use_gauge("saved", "none");
    EXPECT(0, "", command("backup", scratch_file("saved.zip"), NULL));
    said = command("inspect", scratch_file("saved.zip"), NULL);
    EXPECT(0, "tide-gauge 2.3.0 for Turnstone T2, 2 lines at 40 MHz; digest fits", said);
}

static void long_cells_are_wrapped_under_their_column(void)
{
    scratch_use_gauge("wide", "none");
    g_autofree char *script =
        g_strdup_printf("stty cols 100 && '%s' identify --link bench:wide", command_path());
    struct said said = run_program("script", "-qec", script, "/dev/null", NULL);
    g_autofree char *under = g_strnfill(65, ' ');
    g_autofree char *expected = g_strconcat(" digest not\r\n", under, "checked (--deep", NULL);
    EXPECT(0, expected, said);
    /* Into a file the line stays whole. */
    EXPECT(0, "digest not checked (--deep", command("identify", NULL));
}

static void several_files_and_folders_are_inspected(void)
{
    static const char yaml[] = "settings:\n  gauge: 3\n";

    CHECK_EQUAL(0, g_mkdir_with_parents(scratch_file("many/inner"), 0755));
    struct wry_boot_header header = program_header("tide-gauge 5.0.0", 3000);
    program_write("many/inner/a.bin", &header);
    scratch_write("many/b.yaml", yaml, sizeof yaml - 1);
    struct said said = command("inspect", scratch_file("many"), scratch_file("regions.bin"), NULL);
    EXPECT(0, "tide-gauge 5.0.0, an application", said);
    CHECK(says(&said, "gauge = 3") && says(&said, "a region table, valid by its CRC-32"));
    CHECK(says(&said, "many/b.yaml:"));
    EXPECT(0, "\"files\" : [",
           command("inspect", "--json", scratch_file("many"), scratch_file("regions.bin"), NULL));
    size_t n = 0;
    g_autofree uint8_t *bytes = scratch_read("many/inner/a.bin", &n);
    scratch_write("many/c.bin", bytes, n - 10);
    said = command("inspect", scratch_file("many"), NULL);
    EXPECT(3, "c.bin is damaged", said);
    CHECK(says(&said, "tide-gauge 5.0.0, an application"));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(open_wires_and_other_speeds_are_not_taken_for_one_another),
        FACT(simulated_boards_obey_the_wiring),
        FACT(faults_of_lines_and_flash_can_be_rehearsed),
        FACT(every_fault_is_listed_in_words),
        FACT(buttons_are_pressed_from_outside),
        FACT(a_board_is_taken_off_the_bench),
        FACT(a_board_has_a_flash_that_its_chip_can_have),
        FACT(the_only_adapter_is_taken_and_no_other_device),
        FACT(ports_that_do_not_appear_are_not_waited_for_without_end),
        FACT(wires_are_drawn_for_chip_and_wiring),
        FACT(what_is_on_a_board_is_named),
        FACT(long_cells_are_wrapped_under_their_column),
        FACT(several_files_and_folders_are_inspected),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
