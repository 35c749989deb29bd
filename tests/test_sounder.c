/* A chip behind the chip: firmware for the echo sounder crosses the console of the bench's gauge.
 */
#include <glib.h>
#include <stdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph/bytes.h"
#include "wrytograph/module_image.h"

#define LARGE (200u * 1024u) /* bytes of an image */

static const char update[] = "steps:\n"
                             "  - {send: bridge, expect: boot menu}\n"
                             "  - {send: u, transfer: {file: %s, by: %s}, expect: image accepted}\n"
                             "  - {send: r, expect: bridge closed}\n"
                             "  - {send: sounder, expect: echo-sounder 1.1}\n";

static const char *file_of(const char *name, const char *text)
{
    scratch_text(name, text);
    return scratch_file(name);
}

static const char *steps_for(const char *file, const char *by)
{
    g_autofree char *text = g_strdup_printf(update, file, by);

    return file_of("update.yaml", text);
}

/* An image of that many bytes, whose body is not like anything. */
static void make_image(const char *name, uint32_t length)
{
    struct wry_module_image image = {.kind = WRY_MODULE_ECHO_SOUNDER,
                                     .version = "echo-sounder 1.1",
                                     .body_length = length - WRY_MODULE_IMAGE_HEAD};
    g_autofree uint8_t *bytes = g_malloc(length);

    for (uint32_t i = 0; i < length; i++)
        bytes[i] = (uint8_t)(i * 2654435761u >> 13);
    image.body_crc = wry_crc32(0, bytes + WRY_MODULE_IMAGE_HEAD, image.body_length);
    wry_module_image_put(bytes, &image);
    CHECK(g_file_set_contents(scratch_file(name), (const char *)bytes, length, NULL));
}

static bool module_holds(const char *board, const char *name)
{
    g_autofree char *kept = g_strdup_printf("bench/%s/sounder.bin", board);
    size_t n = 0, length = 0;
    g_autofree uint8_t *image = scratch_read(name, &n), *cells = scratch_read(kept, &length);

    return image && cells && length >= n && memcmp(image, cells, n) == 0;
}

static void firmware_reaches_the_module(void)
{
    scratch_add_gauge("good");
    EXPECT(0, "echo-sounder 1.0",
           command("listen", "--link", "bench:good", "--send", "sounder", "--expect",
                   "echo-sounder 1.0", NULL));
    EXPECT(0, "\"echo-sounder 1.1\"",
           command("listen", "--link", "bench:good", "--steps",
                   steps_for("sounder.bin", "xmodem-1k"), NULL));
    CHECK(module_holds("good", "sounder.bin"));
    /* It stays, and so does the gauge's own firmware. */
    EXPECT(0, "echo-sounder 1.1",
           command("listen", "--link", "bench:good", "--send", "version", "--expect", "tide-gauge",
                   "--send", "sounder", "--expect", "echo-sounder 1.1", NULL));
}

/* What a fault leads to, and whether the module has its old program afterwards. */
static void every_fault_is_named(void)
{
    static const struct {
        const char *fault, *file, *by, *said;
        int code;
        const char *afterwards;
    } cases[] = {
        {"no-sounder", "sounder.bin", "xmodem-1k", "\"boot menu\" was not seen", 6,
         "no echo sounder answers"},
        {"sounder-refuses", "sounder.bin", "xmodem-1k", "cancelled the transfer of", 6,
         "echo-sounder 1.0"},
        {"sounder-dies=20000", "sounder.bin", "xmodem-1k", "fell silent after", 7, "damaged"},
        {"none", "gauge.bin", "xmodem-1k", "cancelled the transfer of", 6, "echo-sounder 1.0"},
        {"none", "damaged.bin", "xmodem-1k", "\"image accepted\" was not seen", 6, "damaged"},
        {"none", "missing.bin", "xmodem-1k", "there is no file 'missing.bin'", 3,
         "echo-sounder 1.0"},
        {"none", "empty.bin", "xmodem-1k", "empty.bin is empty", 3, "echo-sounder 1.0"},
        {"old-sounder", "sounder.bin", "xmodem-1k", NULL, 0, "echo-sounder 1.1"},
        {"old-sounder", "sounder.bin", "xmodem", NULL, 0, "echo-sounder 1.1"},
        {"none", "sounder.bin", "xmodem", NULL, 0, "echo-sounder 1.1"},
        {"noise=1e-5", "sounder.bin", "xmodem-1k", NULL, 0, "echo-sounder 1.1"},
        {"noise=3e-4", "sounder.bin", "xmodem-1k", "again and again", 6, "damaged"},
        {"latency=0.1s", "sounder.bin", "xmodem-1k", NULL, 0, "echo-sounder 1.1"},
    };

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *name = g_strdup_printf("faulty-%u", (unsigned)i);
        g_autofree char *link = g_strdup_printf("bench:%s", name);
        scratch_add_gauge(name);
        EXPECT(0, "", command("bench", "fault", name, cases[i].fault, NULL));
        EXPECT(cases[i].code, cases[i].said ? cases[i].said : "transferred by XMODEM",
               command("listen", "--link", link, "--steps", steps_for(cases[i].file, cases[i].by),
                       NULL));
        /* The first chip is as it was. */
        if (strcmp(cases[i].fault, "no-sounder") != 0)
            EXPECT(0, "", command("bench", "fault", name, "none", NULL));
        EXPECT(0, "tide-gauge 2.3.0",
               command("listen", "--link", link, "--send", "version", "--expect",
                       "tide-gauge 2.3.0", "--send", "sounder", "--expect", cases[i].afterwards,
                       NULL));
    }
}

/* The slowest and fastest line, bad ones, and late ones. */
static void every_line_that_can_carry_it_does(void)
{
    static const char *const speeds[] = {"9600", "115200", "921600", "2000000"};
    static const char *const lines[] = {"none",         "noise=1e-4",  "lost=1e-4",  "latency=0.1s",
                                        "console-echo", "off-speed=1", "old-sounder"};

    for (size_t i = 0; i < G_N_ELEMENTS(speeds) * G_N_ELEMENTS(lines); i++) {
        const char *speed = speeds[i / G_N_ELEMENTS(lines)], *line = lines[i % G_N_ELEMENTS(lines)];
        g_autofree char *name = g_strdup_printf("line-%u", (unsigned)i);
        g_autofree char *link = g_strdup_printf("bench:%s", name);
        g_autofree char *console = g_strdup_printf("console=%s", speed);
        check_context("%s baud, %s", speed, line);
        scratch_add_gauge(name);
        EXPECT(0, "", command("bench", "fault", name, "none", console, line, NULL));
        EXPECT(0, "\"echo-sounder 1.1\"",
               command("listen", "--link", link, "--speed", speed, "--within", "20s", "--steps",
                       steps_for("short.bin", i % 2 == 0 ? "xmodem-1k" : "xmodem"), NULL));
        CHECK(module_holds(name, "short.bin"));
    }
}

/* Half an image is no program; the next update mends it. */
static void an_update_is_done_again(void)
{
    scratch_add_gauge("again");
    EXPECT(0, "", command("bench", "fault", "again", "sounder-dies=20000", NULL));
    EXPECT(7, "fell silent",
           command("listen", "--link", "bench:again", "--steps",
                   steps_for("sounder.bin", "xmodem-1k"), NULL));
    EXPECT(0, "", command("bench", "fault", "again", "none", NULL));
    EXPECT(0, "\"echo-sounder 1.1\"",
           command("listen", "--link", "bench:again", "--steps",
                   steps_for("sounder.bin", "xmodem-1k"), NULL));
    CHECK(module_holds("again", "sounder.bin"));
}

static void nobody_who_asks_for_a_file_is_waited_for_in_vain(void)
{
    const char *steps = file_of(
        "unasked.yaml", "steps:\n  - {send: tide, transfer: {file: sounder.bin, within: 3s}}\n");

    scratch_add_gauge("unasked");
    EXPECT(4, "did not begin with",
           command("listen", "--link", "bench:unasked", "--steps", steps, NULL));
    /* Nor for one who gives one; the gauge takes the letters for a line that goes on. */
    steps = file_of("ungiven.yaml", "steps:\n  - {receive: {file: new.bin, within: 3s}}\n");
    EXPECT(4, "did not begin with",
           command("listen", "--link", "bench:unasked", "--steps", steps, NULL));
    CHECK(!g_file_test(scratch_file("new.bin"), G_FILE_TEST_EXISTS));
    steps = file_of("kept.yaml", "steps:\n  - {receive: {file: sounder.bin}}\n");
    EXPECT(3, "sounder.bin exists",
           command("listen", "--link", "bench:unasked", "--steps", steps, NULL));
}

struct watch {
    uint64_t awaited, done;
};

static void on_event(void *context, const struct wry_event *event)
{
    struct watch *watch = context;

    if (event->kind == WRY_EVENT_STEP && event->step == WRY_PHASE_SEND)
        watch->awaited = event->now;
    if (event->kind == WRY_EVENT_NOTE && event->note == WRY_NOTE_TRANSFERRED)
        watch->done = event->now;
}

/* 200 KiB at 115200 baud, against the time of its bytes alone. */
static void it_takes_little_more_than_the_line(void)
{
    struct watch watch = {0};
    g_autoptr(GPtrArray) steps = NULL;
    struct wry_console_result result = {0};
    struct wry_console_transfer transfer;

    scratch_add_gauge("quick");
    make_image("large.bin", LARGE);
    steps = wry_console_steps_load(steps_for("large.bin", "xmodem-1k"), NULL);
    CHECK(steps && steps->len == 4);
    g_autofree struct wry_console_step *all = g_new0(struct wry_console_step, steps->len);
    for (guint i = 0; i < steps->len; i++)
        all[i] = *(const struct wry_console_step *)g_ptr_array_index(steps, i);
    transfer = *wry_console_step_transfer(g_ptr_array_index(steps, 1));
    transfer.step = 1;
    struct wry_station_settings settings = {.link = "bench:quick",
                                            .bench_folder = scratch_file("bench"),
                                            .context = &watch,
                                            .event = on_event};
    struct wry_station *station = wry_station_new(&settings);
    struct wry_console_options options = {
        .steps = all, .step_count = steps->len, .transfers = &transfer, .transfer_count = 1};
    CHECK_EQUAL(WRY_OUTCOME_DONE, wry_station_listen(station, &options, &result));
    wry_console_result_clear(&result);
    wry_station_free(station);
    CHECK(module_holds("quick", "large.bin"));
    uint64_t line = LARGE * UINT64_C(10000000) / 115200, took = watch.done - watch.awaited;
    CHECK(watch.done > watch.awaited && took > line);
    CHECK(took * 100 <= line * 106);
}

static void a_card_does_both_chips(void)
{
    static const char card[] = "card: Gauges with a sounder\nversion: 1\nchip: turnstone-t2\n"
                               "flash: 4MiB\nbackup: {when: never}\n"
                               "write: [{region: app, file: gauge.bin}]\nstart:\n  steps:\n"
                               "    - {expect: gauge ready, within: 10s}\n"
                               "    - {send: bridge, expect: boot menu}\n"
                               "    - {send: u, transfer: {file: sounder.bin}, expect: accepted}\n"
                               "    - {send: r, expect: bridge closed}\n"
                               "    - {send: version, expect: tide-gauge 2.3.1}\n"
                               "    - {send: sounder, expect: echo-sounder 1.1}\n";
    const char *file = file_of("both.yaml", card), *kit = scratch_file("both.zip");

    scratch_add_gauge("both");
    scratch_add_gauge("dead");
    EXPECT(0, "is valid", command("card", "check", file, NULL));
    EXPECT(0, "Packed", command("card", "pack", file, "-o", kit, NULL));
    EXPECT(0, "PASSED", command("card", "run", kit, "--link", "bench:both", NULL));
    CHECK(module_holds("both", "sounder.bin"));
    EXPECT(0, "", command("bench", "fault", "dead", "sounder-dies=5000", NULL));
    EXPECT(7, "FAILED at start", command("card", "run", kit, "--link", "bench:dead", NULL));
    /* A kit takes no files along that a steps file names, and a card receives none. */
    scratch_text("apart.yaml", "card: Apart\nversion: 1\nchip: turnstone-t2\nflash: 4MiB\n"
                               "start: {steps: update.yaml}\n");
    steps_for("sounder.bin", "xmodem-1k");
    EXPECT(3, "write its steps into the card",
           command("card", "check", scratch_file("apart.yaml"), NULL));
    scratch_text("takes.yaml", "card: Takes\nversion: 1\nchip: turnstone-t2\nflash: 4MiB\n"
                               "start: {steps: [{receive: {file: a.bin}}]}\n");
    EXPECT(3, "'receive' is for a steps file",
           command("card", "check", scratch_file("takes.yaml"), NULL));
}

static void the_image_is_known(void)
{
    scratch_add_gauge("known");
    EXPECT(0, "echo-sounder 1.1, firmware of an echo sounder",
           command("inspect", scratch_file("sounder.bin"), NULL));
    EXPECT(3, "CRC-32     differs", command("inspect", scratch_file("damaged.bin"), NULL));
    EXPECT(0, "echo-sounder 1.1", command("shelf", "add", scratch_file("sounder.bin"), NULL));
    EXPECT(3, "its CRC-32 differs", command("shelf", "add", scratch_file("damaged.bin"), NULL));
    EXPECT(0, "no: for a module behind it",
           command("shelf", "list", "--link", "bench:known", NULL));
    EXPECT(3, "not for the board's flash",
           command("write", "--link", "bench:known", placed("app", "sounder.bin"), NULL));
    EXPECT(5, "none of 'echo-sounder' on the shelf fits",
           command("write", "--link", "bench:known", "app=shelf:echo-sounder", NULL));
}

/* Images and steps beside the gauge's own. */
static void make_files(void)
{
    size_t n = 0;

    make_image("sounder.bin", 40000);
    make_image("short.bin", 9000);
    g_autofree uint8_t *damaged = scratch_read("sounder.bin", &n);
    damaged[n - 1] ^= 1;
    CHECK(g_file_set_contents(scratch_file("damaged.bin"), (const char *)damaged, (gssize)n, NULL));
    CHECK(g_file_set_contents(scratch_file("empty.bin"), "", 0, NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(firmware_reaches_the_module),
        FACT(every_fault_is_named),
        FACT(every_line_that_can_carry_it_does),
        FACT(an_update_is_done_again),
        FACT(nobody_who_asks_for_a_file_is_waited_for_in_vain),
        FACT(it_takes_little_more_than_the_line),
        FACT(a_card_does_both_chips),
        FACT(the_image_is_known),
    };
    scratch_make_images();
    make_files();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
