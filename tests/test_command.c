/* The command as technicians call it, on a bench of simulated boards. */
#include <glib.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "rig.h"
#include "wrytograph/boot_header.h"

#define GAUGE "bench:gauge-1"

static void a_new_board_is_listed_and_identified(void)
{
    scratch_add_gauge("new");
    EXPECT(0, "new", command("bench", "list", NULL));
    EXPECT(0, "4 MiB (32 Mbit)", command("identify", "--link", "bench:new", NULL));
    struct said said = command("identify", "--link", "bench:new", "--json", NULL);
    EXPECT(0, "\"flash_bytes\" : 4194304", said);
    CHECK(said.out[0] == '{');
}

static void write_verify_and_start_work_as_separate_processes(void)
{
    scratch_add_gauge("gauge-1");
    EXPECT(0, "tide-gauge 2.3.0", command("start", "-l", GAUGE, NULL));
    EXPECT(0, "Written, and verified by the board's SHA-256: 942,972 bytes",
           command("write", "-l", GAUGE, placed("0x4000", "start.bin"),
                   placed("0xE000", "regions.bin"), placed("0x40000", "gauge.bin"), NULL));
    EXPECT(0, "the flash has all the images",
           command("verify", "-l", GAUGE, placed("0x4000", "start.bin"),
                   placed("0xE000", "regions.bin"), placed("0x40000", "gauge.bin"), NULL));
    EXPECT(0, "tide-gauge 2.3.1", command("start", "-l", GAUGE, NULL));
}

static void a_write_changes_nothing_outside_the_images(void)
{
    size_t n = 0, m = 0;
    scratch_add_gauge("neighbours");
    scratch_write("note", "held", 4);
    g_autofree uint8_t *before = scratch_flash("neighbours", &n);
    EXPECT(
        0, "4,092 bytes of other content",
        command("write", "-l", "bench:neighbours", "--any-place", placed("0x10100", "note"), NULL));
    g_autofree uint8_t *after = scratch_flash("neighbours", &m);
    CHECK(before && after && n == m);
    CHECK(memcmp(after + 0x10100, "held", 4) == 0);
    memcpy(before + 0x10100, "held", 4);
    CHECK(memcmp(before, after, n) == 0);
}

static void a_flipped_byte_is_named_by_its_offset(void)
{
    size_t n = 0;
    scratch_add_gauge("flipped");
    g_autofree uint8_t *image = scratch_read("gauge.bin", &n);

    EXPECT(0, "verified",
           command("write", "-l", "bench:flipped", placed("0x40000", "gauge.bin"), NULL));
    image[0x12345] ^= 0x20;
    scratch_write("flipped.bin", image, n);
    EXPECT(6, "first at offset 0x052345",
           command("verify", "-l", "bench:flipped", placed("0x40000", "flipped.bin"), NULL));
    EXPECT(
        6, "\"offset\" : \"0x52345\"",
        command("verify", "--json", "-l", "bench:flipped", placed("0x40000", "flipped.bin"), NULL));
    EXPECT(3, "damaged",
           command("write", "-l", "bench:flipped", placed("0x40000", "flipped.bin"), NULL));
}

static void a_dry_run_says_what_would_be_done_and_does_not(void)
{
    size_t n = 0;
    scratch_add_gauge("dry");
    g_autofree uint8_t *before = scratch_flash("dry", &n);

    struct said said =
        command("write", "--dry-run", "-l", "bench:dry", placed("0x40000", "gauge.bin"), NULL);
    EXPECT(0, "Nothing was written", said);
    CHECK(says(&said, "tide-gauge 2.3.1"));
    CHECK(scratch_flash_is("dry", before, n));
}

/* Each is refused with its code and a message, and the flash stays as it was. */
static void bad_input_is_refused_and_changes_nothing(void)
{
    static const uint8_t byte = 7;
    size_t n = 0;

    scratch_add_gauge("careful");
    g_autofree uint8_t *before = scratch_flash("careful", &n);
    scratch_write("empty", "", 0);
    scratch_write("byte", &byte, 1);
    g_setenv("WRYTOGRAPH_LINK", "bench:careful", TRUE);
    EXPECT(3, "No such file", command("write", placed("0x4000", "missing.bin"), NULL));
    EXPECT(3, "is empty", command("write", placed("0x4000", "empty"), NULL));
    EXPECT(5, "beyond the end of the flash",
           command("write", placed("0x3FF000", "start.bin"), NULL));
    EXPECT(5, "beyond the end of the flash", command("write", placed("0x400000", "byte"), NULL));
    EXPECT(2, "overlap from 0x005000 to 0x0050B3",
           command("write", placed("0x4000", "start.bin"), placed("0x5000", "regions.bin"), NULL));
    EXPECT(2, "is not an offset", command("write", placed("4000", "start.bin"), NULL));
    EXPECT(2, "is not an offset", command("write", placed("0x40q0", "start.bin"), NULL));
    EXPECT(2, "is not a placement", command("write", "=start.bin", NULL));
    EXPECT(2, "does not say where it goes", command("write", scratch_file("byte"), NULL));
    EXPECT(2, "there is no region 'attic'", command("write", placed("attic", "start.bin"), NULL));
    EXPECT(2, "no images given", command("write", NULL));
    EXPECT(2, "Unknown option", command("write", "--fast", NULL));
    EXPECT(5, "has a Turnstone T2",
           command("write", "--expect-chip", "dunlin-d3", placed("0x4000", "byte"), NULL));
    EXPECT(5, "of flash, not 8 MiB",
           command("write", "--expect-flash", "8MiB", placed("0x4000", "byte"), NULL));
    EXPECT(2, "there is no chip", command("identify", "--expect-chip", "albatross", NULL));
    EXPECT(2, "is not a flash size", command("identify", "--expect-flash", "big", NULL));
    EXPECT(2, "is not a speed", command("identify", "--speed", "fast", NULL));
    g_unsetenv("WRYTOGRAPH_LINK");
    CHECK(scratch_flash_is("careful", before, n));
}

static void an_image_for_another_chip_is_refused(void)
{
    struct wry_boot_header header = {.chip_code = 0xD103, .version = "wrong chip"};
    uint8_t image[WRY_BOOT_HEADER_SIZE + WRY_SHA256_SIZE];
    struct wry_sha256 sha;
    size_t n = 0;

    scratch_add_gauge("other");
    g_autofree uint8_t *before = scratch_flash("other", &n);
    wry_boot_header_put(image, &header);
    wry_sha256_begin(&sha);
    wry_sha256_end(&sha, image + WRY_BOOT_HEADER_SIZE);
    scratch_write("dunlin.bin", image, sizeof image);
    EXPECT(5, "was built for a Dunlin D3",
           command("write", "-l", "bench:other", placed("0x40000", "dunlin.bin"), NULL));
    header = (struct wry_boot_header){.chip_code = 0x7402, .flash_size_log2 = 24};
    wry_boot_header_put(image, &header);
    scratch_write("large.bin", image, sizeof image);
    EXPECT(5, "was built for 16 MiB (128 Mbit) of flash",
           command("write", "-l", "bench:other", placed("0x40000", "large.bin"), NULL));
    image[9] ^= 1;
    scratch_write("damaged.bin", image, sizeof image);
    EXPECT(3, "boot header is damaged",
           command("write", "-l", "bench:other", placed("0x40000", "damaged.bin"), NULL));
    wry_boot_header_put(image, &(struct wry_boot_header){.chip_code = 0x7402, .body_length = 9});
    scratch_write("short.bin", image, sizeof image);
    EXPECT(3, "cut short",
           command("write", "-l", "bench:other", placed("0x40000", "short.bin"), NULL));
    CHECK(scratch_flash_is("other", before, n));
}

static void links_that_lead_nowhere_are_told_apart(void)
{
    EXPECT(2, "no link given", command("identify", NULL));
    EXPECT(2, "is not a link", command("identify", "-l", "carrier-pigeon:1", NULL));
    EXPECT(4, "'nobody' is not a board", command("identify", "-l", "bench:nobody", NULL));
    EXPECT(2, "is not a name for a board", command("identify", "-l", "bench:../etc", NULL));
}

static void a_strap_that_is_not_held_is_named_as_the_cause(void)
{
    scratch_add_gauge("strap");
    EXPECT(0, "strap-released", command("bench", "fault", "strap", "strap-released", NULL));
    struct said said = command("identify", "-l", "bench:strap", NULL);
    EXPECT(4, "the boot strap was not held through reset", said);
    CHECK(says(&said, "gauge ready"));
    EXPECT(0, "no faults", command("bench", "fault", "strap", "none", NULL));
    EXPECT(0, "Turnstone", command("identify", "-l", "bench:strap", NULL));
}

static void noise_and_a_slow_cable_cost_time_not_the_job(void)
{
    scratch_add_gauge("noisy");
    EXPECT(0, "noise 1e-05, cable works up to 500000 baud",
           command("bench", "fault", "noisy", "noise=1e-5", "cable=500000", NULL));
    struct said said = command("write", "-l", "bench:noisy", placed("0x40000", "gauge.bin"), NULL);
    EXPECT(0, "verified by the board's SHA-256", said);
    CHECK(says(&said, "continuing at 460800 baud"));
    CHECK(says(&said, "resent"));
}

static void the_bench_refuses_what_no_board_can_be(void)
{
    EXPECT(2, "a flash of 4 MiB to 16 MiB, a power of two; 1 MiB does not fit",
           command("bench", "add", "x", "--chip", "turnstone-t2", "--flash", "1M", NULL));
    EXPECT(2, "does not fit",
           command("bench", "add", "x", "--chip", "dunlin-d3", "--flash", "3000K", NULL));
    EXPECT(2, "there is no chip",
           command("bench", "add", "x", "--chip", "gull", "--flash", "4M", NULL));
    EXPECT(2, "is not a name",
           command("bench", "add", "a/b", "--chip", "dunlin-d3", "--flash", "4M", NULL));
    scratch_add_gauge("twice");
    EXPECT(2, "already",
           command("bench", "add", "twice", "--chip", "dunlin-d3", "--flash", "4M", NULL));
    EXPECT(2, "is not a fault", command("bench", "fault", "twice", "gremlins", NULL));
    EXPECT(2, "is not a fault", command("bench", "fault", "twice", "noise=2", NULL));
    scratch_write("bench/twice/board.yaml", "chip: gull\n", 11);
    EXPECT(3, "board.yaml", command("identify", "-l", "bench:twice", NULL));
}

static void help_and_version_are_there(void)
{
    struct said version = command("--version", NULL);
    EXPECT(0, "wrytograph 0.", version);
    CHECK(says(&version, "postgresql://") && says(&version, "Ed25519"));
    EXPECT(0, "verbs, in the order of the work", command("--help", NULL));
    /* A verb's own options first; those of every link by name, and what they do apart. */
    struct said own = command("write", "--help", NULL);
    EXPECT(0, "More options of the link, explained by --help-link: --wiring", own);
    CHECK(says(&own, "--every-sector") && says(&own, "Exit codes:"));
    CHECK(!says(&own, "rts-reset"));
    struct said link = command("write", "--help-link", NULL);
    EXPECT(0, "Refuse other chips than this", link);
    CHECK(says(&link, "rts-reset") && !says(&link, "--every-sector"));
    EXPECT(2, "--help-link", command("inspect", "--help-link", NULL));
    EXPECT(2, "usage:", command(NULL, NULL));
    EXPECT(2, "there is no verb", command("conjure", NULL));
}

static void a_failure_in_json_is_a_document_too(void)
{
    struct said said = command("identify", "--json", "-l", "bench:nobody", NULL);

    EXPECT(4, "\"exit_code\" : 4", said);
    CHECK(says(&said, "\"next_step\""));
    CHECK(said.out[0] == '{');
}

/* A number of the object "took"; -1 if it is not there. */
static double number_of(const struct said *said, const char *member)
{
    g_autofree char *name = g_strdup_printf("\"%s\" : ", member);
    const char *took = strstr(said->out, "\"took\" : {");
    const char *at = took ? strstr(took, name) : NULL;

    return at ? g_ascii_strtod(at + strlen(name), NULL) : -1;
}

static void every_verb_says_in_json_what_it_took(void)
{
    scratch_use_gauge("took", "none");
    struct said said = command("identify", "--json", NULL);
    double identify = number_of(&said, "bytes_sent"), connecting = 0;
    CHECK(identify > 50 && number_of(&said, "bytes_received") > 50);
    said = command("write", "--json", "--no-guess", placed("app", "gauge.bin"), NULL);
    CHECK(number_of(&said, "bytes_sent") > 100 * identify);
    connecting = number_of(&said, "connecting_seconds");
    CHECK(connecting > 0.05 && number_of(&said, "seconds") > 2 * connecting);
    EXPECT(0, "\"simulated\" : true", said);
    said = command("backup", "--json", "--no-guess", scratch_file("took.zip"), NULL);
    CHECK(number_of(&said, "bytes_received") > 100000);
    const char *const verbs[] = {"verify", "restore", "inspect"};
    for (size_t i = 0; i < G_N_ELEMENTS(verbs); i++) {
        check_context("%s", verbs[i]);
        said = command(verbs[i], "--json", scratch_file("took.zip"), NULL);
        CHECK_EQUAL(0, said.code);
        CHECK(number_of(&said, "seconds") > 0);
        CHECK_EQUAL(i<2, number_of(&said, "bytes_sent")> 0);
    }
    said = command("erase", "--json", "app", "--without-backup", NULL);
    CHECK(number_of(&said, "seconds") > 1 && number_of(&said, "bytes_sent") > 0);
    said = command("ports", "--json", NULL);
    CHECK(number_of(&said, "seconds") > 0 && number_of(&said, "bytes_sent") == 0);
    check_context(NULL);
}

static void the_examples_run(void)
{
    scratch_add_gauge("example");
    EXPECT(0, "Turnstone T2, 4096 KiB",
           run_program("bin/example_identify_board", "bench:example", NULL));
    EXPECT(0, "written and verified",
           run_program("bin/example_write_and_verify", "bench:example", "0x12345",
                       "low water at noon", NULL));
    size_t n = 0;
    g_autofree uint8_t *flash = scratch_flash("example", &n);
    CHECK(flash && memcmp(flash + 0x12345, "low water at noon", 17) == 0);
    EXPECT(2, "usage", run_program("bin/example_identify_board", NULL, NULL));
}

/* Each verb has some, of its own, with options that it has. */
static void examples_of_the_help_name_options_that_exist(void)
{
    struct said said = command("--help", NULL);
    g_autofree char *list = g_strdup(said.out);
    g_auto(GStrv) lines = g_strsplit(strstr(list, "verbs, in the order"), "\n", -1);
    unsigned verbs = 0;

    for (char **line = lines + 1; *line && line[0][0] == ' '; line++, verbs++) {
        g_autofree char *verb = g_strndup(*line + 2, strcspn(*line + 2, " "));
        g_autofree char *begin = g_strdup_printf("  wrytograph %s", verb);
        check_context("%s", verb);
        g_autofree char *link = g_strdup(command(verb, "--help-link", NULL).out);
        said = command(verb, "--help", NULL);
        const char *examples = strstr(said.out, "Examples:\n");
        CHECK(examples != NULL);
        g_auto(GStrv) rest = g_strsplit(examples ? examples : "", "\n", -1);
        for (char **example = rest + 1; *rest && *example && example[0][0] != '\0'; example++) {
            CHECK(g_str_has_prefix(*example, begin));
            for (const char *at = strstr(*example, " --"); at; at = strstr(at + 3, " --")) {
                g_autofree char *option = g_strndup(at + 1, strcspn(at + 1, "= "));
                CHECK(strstr(strstr(said.out, "\nOptions:"), option) || strstr(link, option));
            }
        }
    }
    check_context(NULL);
    CHECK(verbs >= 18);
}

static void quiet_hides_notes_and_verbose_shows_frames(void)
{
    scratch_use_gauge("loud", "none");
    struct said said = command("erase", "log", "--quiet", NULL);
    EXPECT(0, "verified to be blank", said);
    CHECK_TEXT("", said.err);
    said = command("write", "-q", "app=nowhere.bin", NULL);
    EXPECT(3, "wrytograph write: nowhere.bin", said);
    said = command("identify", "-v", NULL);
    EXPECT(0, "> hello, sequence", said);
    CHECK(says(&said, "< hello reply, sequence"));
    CHECK(says(&said, "reset held, boot strap held"));
    CHECK(says(&said, "115200 baud"));
    /* What a frame contains is not shown: the calibration is read here. */
    CHECK(strstr(said.err, "datum_mm") == NULL);
    said = command("identify", NULL);
    CHECK(!says(&said, "hello"));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(examples_of_the_help_name_options_that_exist),
        FACT(quiet_hides_notes_and_verbose_shows_frames),
        FACT(a_new_board_is_listed_and_identified),
        FACT(write_verify_and_start_work_as_separate_processes),
        FACT(a_write_changes_nothing_outside_the_images),
        FACT(a_flipped_byte_is_named_by_its_offset),
        FACT(a_dry_run_says_what_would_be_done_and_does_not),
        FACT(bad_input_is_refused_and_changes_nothing),
        FACT(an_image_for_another_chip_is_refused),
        FACT(links_that_lead_nowhere_are_told_apart),
        FACT(a_strap_that_is_not_held_is_named_as_the_cause),
        FACT(noise_and_a_slow_cable_cost_time_not_the_job),
        FACT(the_bench_refuses_what_no_board_can_be),
        FACT(help_and_version_are_there),
        FACT(a_failure_in_json_is_a_document_too),
        FACT(every_verb_says_in_json_what_it_took),
        FACT(the_examples_run),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
