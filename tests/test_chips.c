/* Chips of files and of programs: what is refused, who is found, and a whole job on one. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "chips/chip_file.h"
#include "chips/chips.h"
#include "command.h"
#include "harness.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/error.h"

#define HERON WRY_SOURCE_DIR "/examples/heron-h1.yaml"

static void the_built_in_chips_are_what_their_files_say(void)
{
    for (size_t i = 0; wry_chip_at(i); i++) {
        const struct wry_chip *chip = wry_chip_at(i);
        g_autoptr(GError) error = NULL;
        g_autofree char *path = g_strdup_printf(WRY_SOURCE_DIR "/chips/%s.yaml", chip->name);
        check_context("%s", path);
        CHECK(chip_file_load(path, &error) == chip);
        CHECK_TEXT(NULL, error ? error->message : NULL);
    }
    check_context(NULL);
}

static void every_file_is_of_a_built_in_chip(void)
{
    GDir *folder = g_dir_open(WRY_SOURCE_DIR "/chips", 0, NULL);
    unsigned files = 0, chips = 0;
    const char *name;

    while (folder && (name = g_dir_read_name(folder)))
        files += g_str_has_suffix(name, ".yaml") ? 1 : 0;
    g_dir_close(folder);
    while (wry_chip_at(chips))
        chips++;
    CHECK_EQUAL(chips, files);
}

static void a_chip_written_as_a_file_is_the_same_chip(void)
{
    static const char *const files[] = {"examples/heron-h1", "chips/sanderling-s1",
                                        "chips/turnstone-t2", "chips/dunlin-d3"};

    for (size_t i = 0; i < G_N_ELEMENTS(files); i++) {
        g_autofree char *path = g_strdup_printf(WRY_SOURCE_DIR "/%s.yaml", files[i]);
        const struct wry_chip *chip = chip_file_load(path, NULL);
        check_context("%s", path);
        CHECK(chip != NULL);
        if (!chip)
            continue;
        struct wry_chip other = *chip;
        other.title = "Heron's other one";
        other.says_nothing = NULL;
        g_autofree char *text = chip_file_text(&other);
        scratch_text("again.yaml", text);
        const struct wry_chip *again = chip_file_load(scratch_file("again.yaml"), NULL);
        CHECK(again && again != chip);
        CHECK_TEXT("Heron's other one", again ? again->title : NULL);
        CHECK(again && !again->says_nothing && again->usual_count == chip->usual_count);
        g_autofree char *same = again ? chip_file_text(again) : NULL;
        CHECK_TEXT(text, same);
    }
    check_context(NULL);
}

/* Mistakes: what stands in place of a line of the heron's file, and what is said of it. */
static const struct mistake {
    const char *line, *with, *says;
    bool by_schema; /* the shape alone is wrong */
} mistakes[] = {
    {"chip: heron-h1", "chip: Heron", ":2: a name is up to 32 small letters", true},
    {"chip: heron-h1", "name: heron-h1", ":2: a chip has chip, title, code,", true},
    {"title: Heron H1", "", ":1: a chip needs 'title'", true},
    {"code: 0x1234", "code: 0", "'code' is a number from 0x0001 to 0xFFFE, not '0'", true},
    {"code: 0x1234", "code: 0xFFFF", "'code' is a number from 0x0001", true},
    {"code: 0x1234", "code: twelve", "not 'twelve'", true},
    {"cores: 2", "cores: 0", "'cores' is a number from 1 to 255", true},
    {"instructions: riscv", "instructions: mips",
     "'instructions' is unknown, riscv, thumb, arm or arm64", true},
    {"flash: {least: 2MiB, most: 32MiB}", "flash: 2MiB",
     ":7: this is written {least: 1MiB, most: 8MiB}", true},
    {"flash: {least: 2MiB, most: 32MiB}", "flash: {least: 32MiB, most: 2MiB}",
     ":7: flash has sizes from 64 KiB to 256 MiB", false},
    {"flash: {least: 2MiB, most: 32MiB}", "flash: {least: 2MiB, most: 512MiB}",
     ":7: flash has sizes from 64 KiB to 256 MiB", false},
    {"flash: {least: 2MiB, most: 32MiB}", "flash: {least: 2MiB}", ":7: flash has sizes", true},
    {"start: 0x1000", "start: 0x1004", ":8: the start program is at a multiple of 0x1000", false},
    {"start: 0x1000", "start: 4096", "'4096' is not an offset", false},
    {"apps: 0x20000", "apps: 0x200000", ":9: the lowest application is at a multiple", false},
    {"apps: 0x20000", "table: 2M", ":9: the region table is at a multiple", false},
    {"header: none", "header: maybe", "'header' is none or required", true},
    {"strap: GPIO9", "strap: a pin with a long name", ":11: the strap is a pin's name", true},
    {"read: {lines: 4, clock: 80}", "read: {lines: 3}", ":14: a flash is read over 1, 2 or 4",
     true},
    {"speeds: {boot: 74880, run: 115200, top: 1500000}", "speeds: {boot: 300}",
     "'300' is not a speed in baud", true},
    {"  - {name: app, kind: app, from: 0x20000, to: middle}",
     "  - {name: app, kind: app, from: 0x20000, to: centre}",
     ":18: 'centre' is not a place: write it as 0x40000, middle,", true},
    {"  - {name: app, kind: app, from: 0x20000, to: middle}",
     "  - {name: app, kind: app, from: 0x20000}", ":18: a region needs name, from and to", true},
    {"  - {name: app, kind: app, from: 0x20000, to: middle}",
     "  - {name: app, kind: app, from: 0x20000, to: middle + 64K}",
     ":16: with 2 MiB (16 Mbit) of flash, the region 'data' overlaps another", false},
    {"  - {name: data, kind: files, from: middle, to: end}",
     "  - {name: data, kind: files, from: middle, to: end - 1M}",
     ":16: with 2 MiB (16 Mbit) of flash, the region 'data' does not begin and end on a sector",
     false},
    {"  - {name: data, kind: files, from: middle, to: end}",
     "  - {name: all, kind: files, from: middle, to: end}", "'all' is not a name", false},
};

/* The heron's file with a line replaced. */
static char *heron_with(const char *line, const char *with)
{
    g_autofree char *text = NULL;

    CHECK(g_file_get_contents(HERON, &text, NULL, NULL) && strstr(text, line));
    GString *changed = g_string_new(text);
    g_string_replace(changed, line, with, 1);
    return g_string_free(changed, FALSE);
}

static void every_mistake_is_named_with_its_line(void)
{
    for (size_t i = 0; i < G_N_ELEMENTS(mistakes); i++) {
        g_autofree char *text = heron_with(mistakes[i].line, mistakes[i].with);
        check_context("case %zu: %s", i, mistakes[i].with);
        scratch_text("wrong.yaml", text);
        EXPECT(3, mistakes[i].says,
               command("ports", "--chip-file", scratch_file("wrong.yaml"), NULL));
    }
    check_context(NULL);
}

static void the_schema_agrees(void)
{
    g_autofree char *schema = g_strdup(WRY_SOURCE_DIR "/docs/chip.schema.json");

    for (size_t i = 0; i < G_N_ELEMENTS(mistakes); i++) {
        g_autofree char *text = heron_with(mistakes[i].line, mistakes[i].with);
        check_context("case %zu: %s", i, mistakes[i].with);
        scratch_text("wrong.yaml", text);
        if (mistakes[i].by_schema)
            EXPECT(0, "does not",
                   run_program("python3", peer("card_schema.py"), schema,
                               scratch_file("wrong.yaml"), NULL));
    }
    check_context(NULL);
    struct said said = run_program("python3", peer("card_schema.py"), schema, HERON,
                                   WRY_SOURCE_DIR "/chips/sanderling-s1.yaml",
                                   WRY_SOURCE_DIR "/chips/turnstone-t2.yaml",
                                   WRY_SOURCE_DIR "/chips/dunlin-d3.yaml", NULL);
    CHECK_TEXT("fits\nfits\nfits\nfits\n", said.out);
}

/* A chip with a code and a name of its own for each fact: the list lasts as long as the program. */
static struct wry_chip make_chip(uint16_t code, const char *name)
{
    struct wry_chip chip = *chip_file_load(HERON, NULL);

    chip.code = code;
    chip.name = name;
    return chip;
}

static void the_later_rank_is_found(void)
{
    struct wry_chip chip = make_chip(0x2001, "ranked");
    struct wry_chip other = chip;

    other.strap = "IO0";
    CHECK(wry_chips_by_code(0x2001) == NULL);
    const struct wry_chip *user = chips_register(&chip, CHIP_OF_USER, "user", NULL);
    CHECK(user && wry_chips_by_code(0x2001) == user);
    const struct wry_chip *system = chips_register(&other, CHIP_OF_SYSTEM, "system", NULL);
    CHECK(system && system != user);
    CHECK(wry_chips_by_code(0x2001) == user && wry_chips_by_name("ranked") == user);
    CHECK(chips_register(&other, CHIP_OF_CARD, "card", NULL) == system);
    CHECK(wry_chips_by_code(0x2001) == system);
    CHECK(wry_chips_add(&chip, NULL) == user && wry_chips_by_name("ranked") == user);
    unsigned times = 0;
    for (size_t i = 0; wry_chips_at(i); i++)
        times += wry_chips_at(i)->code == 0x2001;
    CHECK_EQUAL(1, times);
}

static void another_description_of_one_rank_is_refused(void)
{
    struct wry_chip chip = make_chip(0x2002, "once"), same_code = make_chip(0x2002, "twice"),
                    same_name = make_chip(0x2003, "once"),
                    like_built_in = make_chip(0x7402, "mine"),
                    named_so = make_chip(0x2004, "dunlin-d3"), wrong = make_chip(0x2005, "wrong"),
                    no_speed = make_chip(0x2006, "speedless"),
                    no_core = make_chip(0x2007, "coreless"), odd = make_chip(0x2008, "odd");
    struct wry_chip *refused[] = {&same_code, &same_name, &like_built_in, &named_so,
                                  &wrong,     &no_speed,  &no_core,       &odd};

    wrong.start_offset = 1;
    no_speed.boot_speed = 0;
    no_core.cores = 0;
    odd.instructions = 200;
    CHECK(wry_chips_add(&chip, NULL) != NULL);
    CHECK(wry_chips_add(&chip, NULL) != NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(refused); i++) {
        g_autoptr(GError) error = NULL;
        check_context("%s 0x%04X", refused[i]->name, refused[i]->code);
        CHECK(wry_chips_add(refused[i], &error) == NULL);
        CHECK(error && error->domain == WRY_STORE_ERROR);
    }
    check_context(NULL);
    CHECK(wry_chips_by_code(0x2003) == NULL && wry_chips_by_name("twice") == NULL);
    CHECK(wry_chips_by_code(0x7402) == wry_chip_by_code(0x7402));
}

/* Jobs */

/* Another computer: its folders are NAME's. */
static void sit_at(const char *name)
{
    g_autofree char *state = g_build_filename(scratch(), name, "state", NULL);
    g_autofree char *config = g_build_filename(scratch(), name, "config", NULL);
    g_autofree char *data = g_build_filename(scratch(), name, "data", NULL);

    g_setenv("WRYTOGRAPH_STATE", state, TRUE);
    g_setenv("XDG_CONFIG_HOME", config, TRUE);
    g_setenv("XDG_DATA_DIRS", data, TRUE);
}

static void install_chip(const char *folder, const char *text)
{
    g_autofree char *chips = g_build_filename(scratch(), folder, "wrytograph/chips", NULL);
    g_autofree char *path = g_build_filename(chips, "heron.yaml", NULL);

    CHECK_EQUAL(0, g_mkdir_with_parents(chips, 0755));
    CHECK(g_file_set_contents(path, text, -1, NULL));
}

static void make_board(const char *name)
{
    EXPECT(0, "Heron H1",
           command("bench", "add", name, "--chip", "heron-h1", "--flash", "4MiB", "--chip-file",
                   HERON, NULL));
}

static void make_program(const char *name, char first)
{
    char bytes[60000];

    for (size_t i = 0; i < sizeof bytes; i++)
        bytes[i] = (char)((size_t)first + i * i % 251);
    scratch_write(name, bytes, sizeof bytes);
}

static void the_folders_are_looked_at(void)
{
    g_autofree char *text = heron_with("strap: GPIO9", "strap: IO12");
    g_autofree char *wrong = heron_with("code: 0x1234", "code: none");

    sit_at("folders");
    make_board("found");
    EXPECT(0, "unknown, code 0x1234, revision 1; --chip-file makes it known",
           command("identify", "--link", "bench:found", NULL));
    EXPECT(2, "there is no chip 'heron-h1'",
           command("examine", "--drawing", "--expect-chip", "heron-h1", NULL));
    install_chip("folders/data", text);
    EXPECT(0, "Heron H1, revision 1", command("identify", "--link", "bench:found", NULL));
    EXPECT(0, "IO12", command("examine", "--drawing", "--expect-chip", "heron-h1", NULL));
    EXPECT(0, "dunlin-d3 and heron-h1", command("--version", NULL));
    g_autofree char *plain = NULL;
    CHECK(g_file_get_contents(HERON, &plain, NULL, NULL));
    install_chip("folders/config", plain);
    EXPECT(0, "GPIO9", command("examine", "--drawing", "--expect-chip", "heron-h1", NULL));
    install_chip("folders/config", wrong);
    EXPECT(3, "heron.yaml:4: 'code' is a number",
           command("identify", "--link", "bench:found", NULL));
    EXPECT(0, "heron.yaml:4: 'code' is a number", command("--version", NULL));
    sit_at("bench");
}

static void a_board_with_another_code_is_refused(void)
{
    scratch_make_images();
    sit_at("refusing");
    make_board("heron");
    scratch_add_gauge("turnstone");
    make_program("app.bin", 'a');
    scratch_text("heron-layout.yaml", "chip: heron-h1\nregions:\n"
                                      "  - {name: app, kind: app, offset: 0x20000, length: 1M}\n");
    EXPECT(5, "this board has a Turnstone T2 (code 0x7402), not a Heron H1",
           command("write", "--link", "bench:turnstone", "--chip-file", HERON, "--expect-chip",
                   "heron-h1", placed("0x200000", "app.bin"), NULL));
    EXPECT(5, "this board has a Heron H1 (code 0x1234), not a Turnstone T2",
           command("write", "--link", "bench:heron", "--chip-file", HERON, "--expect-chip",
                   "turnstone-t2", placed("app", "app.bin"), NULL));
    EXPECT(5, "this board has a chip that is not known here (code 0x1234), not a Turnstone T2",
           command("write", "--link", "bench:heron", "--expect-chip", "turnstone-t2",
                   placed("app", "app.bin"), NULL));
    EXPECT(5, "is a layout for a Heron H1",
           command("write", "--link", "bench:turnstone", "--chip-file", HERON, "--layout",
                   scratch_file("heron-layout.yaml"), placed("app", "app.bin"), NULL));
    EXPECT(3, "heron-layout.yaml:1: there is no chip 'heron-h1'",
           command("write", "--link", "bench:turnstone", "--layout",
                   scratch_file("heron-layout.yaml"), placed("app", "app.bin"), NULL));
    sit_at("bench");
}

static void write_card(void)
{
    g_autofree char *text = NULL;

    CHECK(g_file_get_contents(HERON, &text, NULL, NULL));
    scratch_text("heron.yaml", text);
    scratch_text("heron-card.yaml", "card: Herons\nversion: 1\nchip-file: heron.yaml\n"
                                    "chip: heron-h1\nflash: 4MiB\nlayout: heron-layout.yaml\n"
                                    "backup: {when: first, folder: herons}\nwrite:\n"
                                    "  - {region: start, file: start-heron.bin}\n"
                                    "  - {region: app, file: app.bin}\n"
                                    "start: {steps: [{expect: gauge ready, within: 5s}]}\n");
    scratch_text("heron-layout.yaml",
                 "chip: heron-h1\nregions:\n"
                 "  - {name: start, kind: start, offset: 0x1000, length: 60K}\n"
                 "  - {name: app, kind: app, offset: 0x20000, length: 1M}\n");
    make_program("start-heron.bin", 's');
    make_program("app.bin", 'a');
}

/* From identify to restore, and by a kit on a computer that has never heard of the chip. */
static void a_whole_job_is_done_on_it(void)
{
    size_t n = 0;

    scratch_make_images();
    sit_at("ours");
    make_board("whole");
    write_card();
    make_program("old.bin", 'o');
    EXPECT(0, "Written, and verified",
           command("write", "--link", "bench:whole", "--chip-file", HERON, placed("app", "old.bin"),
                   NULL));
    EXPECT(6, "heron: no program",
           command("start", "--link", "bench:whole", "--chip-file", HERON, "--expect",
                   "gauge ready", NULL));
    g_autofree uint8_t *before = scratch_flash("whole", &n);
    EXPECT(0, "is valid, for a Heron H1 with 4 MiB",
           command("card", "check", scratch_file("heron-card.yaml"), NULL));
    EXPECT(0, "Packed",
           command("card", "pack", scratch_file("heron-card.yaml"), "--output",
                   scratch_file("herons.zip"), NULL));

    sit_at("theirs");
    EXPECT(0, "heron.yaml", command("inspect", scratch_file("herons.zip"), NULL));
    scratch_add_gauge("not-a-heron");
    EXPECT(5, "this board has a Turnstone T2 (code 0x7402), not a Heron H1",
           command("card", "run", scratch_file("herons.zip"), "--link", "bench:not-a-heron", NULL));
    EXPECT(0, "PASSED",
           command("card", "run", scratch_file("herons.zip"), "--link", "bench:whole", NULL));
    EXPECT(0, "",
           command("verify", "--link", "bench:whole", "--chip-file", HERON,
                   placed("app", "app.bin"), placed("start", "start-heron.bin"), NULL));
    g_autofree char *folder = g_build_filename(scratch(), "herons", NULL);
    GDir *backups = g_dir_open(folder, 0, NULL);
    const char *name = backups ? g_dir_read_name(backups) : NULL;
    g_autofree char *archive = g_build_filename(folder, name, NULL);
    if (backups)
        g_dir_close(backups);
    EXPECT(5, "comes from a chip that is not known here, this board has a Turnstone T2",
           command("restore", archive, "--link", "bench:not-a-heron", NULL));
    EXPECT(0, "Restored, and verified", command("restore", archive, "--link", "bench:whole", NULL));
    CHECK(scratch_flash_is("whole", before, n));
    sit_at("bench");
}

static void a_plan_and_a_shelf_know_it(void)
{
    sit_at("shelf");
    make_program("app.bin", 'a');
    EXPECT(0, "Heron H1, 8 MiB (64 Mbit) of flash",
           command("plan", "--chip", "heron-h1", "--flash", "8MiB", "--chip-file", HERON,
                   placed("app", "app.bin"), NULL));
    EXPECT(2, "'1MiB' is not a flash size of a Heron H1",
           command("plan", "--chip", "heron-h1", "--flash", "1MiB", "--chip-file", HERON,
                   placed("app", "app.bin"), NULL));
    EXPECT(0, "code 0x1234", command("inspect", HERON, NULL));
    sit_at("bench");
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(the_built_in_chips_are_what_their_files_say),
        FACT(every_file_is_of_a_built_in_chip),
        FACT(a_chip_written_as_a_file_is_the_same_chip),
        FACT(every_mistake_is_named_with_its_line),
        FACT(the_schema_agrees),
        FACT(the_later_rank_is_found),
        FACT(another_description_of_one_rank_is_refused),
        FACT(the_folders_are_looked_at),
        FACT(a_board_with_another_code_is_refused),
        FACT(a_whole_job_is_done_on_it),
        FACT(a_plan_and_a_shelf_know_it),
    };
    int result = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return result;
}
