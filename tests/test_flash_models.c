/*
 * Flash of others: every model that Debian's emulator has, on an emulated board. Its size is found,
 * measured or asked for; it is written at an odd offset and erased, and the whole file is compared.
 *
 * A fifth of the models that are not tried in every run are tried with WRY_EVERY_CASE, all with
 * WRY_EVERY_MODEL. Skipped where emulator or compiler are missing.
 */
#include <glib.h>
#include <limits.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "command.h"
#include "emulator.h"
#include "harness.h"
#include "rig.h"

/* The emulator and the loader on it are not instrumented: a few models show what the command does.
 */
#ifdef __SANITIZE_ADDRESS__
#define APART 5
#else
#define APART 1
#endif

enum {
    SKIPPED = 77,
    LEAST = 22, /* models in every run */
};

static struct emulator *machine;

struct model {
    char name[32];
    uint32_t size; /* bytes */
    bool by_id, by_none;
    bool often; /* tried in every run */
};

static const char *size_text(uint32_t bytes)
{
    static char text[32];

    if (bytes >= 0x100000)
        g_snprintf(text, sizeof text, "%u MiB (", (unsigned)(bytes >> 20));
    else
        g_snprintf(text, sizeof text, "%u KiB (", (unsigned)(bytes >> 10));
    return text;
}

/* Content in its first 64 KiB, around its middle and at its end. */
static void put_in(const struct model *model)
{
    emulator_put_flash(machine, model->name, model->size);
    rig_random(machine->model + 0x800, 0x8000, 1);
    rig_random(machine->model + model->size / 2 - 0x1800, 0x3000, 2);
    rig_random(machine->model + model->size - 0x1000, 0x1000, 3);
    emulator_fill_flash(machine);
    emulator_boot_on_tcp(machine);
}

static void write_and_erase(const struct model *model)
{
    static uint8_t bytes[3000];
    uint32_t offset = model->size / 2 - 777;

    rig_random(bytes, sizeof bytes, 4);
    EXPECT(
        0, "Written, and verified",
        command("write", emulator_content(machine, offset, "odd.bin", bytes, sizeof bytes), NULL));
    CHECK(emulator_flash_is_right(machine));
    g_autofree char *part = g_strdup_printf("0x%X+0x1000", (unsigned)(model->size - 0x1000));
    memset(machine->model + model->size - 0x1000, 0xFF, 0x1000);
    EXPECT(0, "Erased, and verified", command("erase", part, NULL));
    CHECK(emulator_flash_is_right(machine));
}

static void try_model(const struct model *model)
{
    g_autofree char *text = g_strdup_printf("flash     %s", size_text(model->size));

    check_context("%s", model->name);
    put_in(model);
    struct said said = command("identify", "--stay", NULL);
    EXPECT(0, text, said);
    CHECK_EQUAL(model->by_id, says(&said, "by its ID"));
    CHECK_EQUAL(model->by_none, says(&said, "), measured, JEDEC ID"));
    CHECK_EQUAL(model->by_none, says(&said, "The flash does not report its size."));
    write_and_erase(model);
    emulator_power_off(machine);
    check_context(NULL);
}

static bool read_model(const char *line, struct model *model)
{
    char basis[8];
    unsigned size;

    model->often = line[0] == '*';
    if (line[0] == '#' || sscanf(line + 1, " %31s %u %7s", model->name, &size, basis) != 3)
        return false;
    model->size = size;
    model->by_id = strcmp(basis, "id") == 0;
    model->by_none = strcmp(basis, "none") == 0;
    return true;
}

static void every_model_is_written_or_its_size_is_asked_for(void)
{
    unsigned apart = g_getenv("WRY_EVERY_MODEL") ? 1 : check_one_in(2) == 1 ? 5 : UINT_MAX;
    g_autofree char *text = NULL;
    unsigned found = 0, others = 0, tried = 0;

    CHECK(g_file_get_contents(WRY_SOURCE_DIR "/tests/flash_models.txt", &text, NULL, NULL));
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    for (char **line = lines; *line; line++) {
        struct model model;
        if (!read_model(*line, &model) || (!model.often && ++others % apart != 0) ||
            found++ % APART != 0)
            continue;
        try_model(&model);
        tried++;
    }
    CHECK(tried >= LEAST / APART);
}

/* Nothing in it shows the size of a blank flash. */
static void the_size_of_a_blank_flash_is_asked_for(void)
{
    const struct model model = {.name = "at25df321a", .size = 0x400000};
    const char *placement;
    static uint8_t bytes[3000];

    emulator_put_flash(machine, model.name, model.size);
    emulator_boot_on_tcp(machine);
    struct said said = command("identify", NULL);
    EXPECT(8, "neither its tables nor its ID give its size", said);
    CHECK(says(&said, "Add --expect-flash"));
    EXPECT(8, "neither its tables nor its ID give its size", command("examine", NULL));
    EXPECT(0, "4 MiB (32 Mbit) as given, JEDEC ID 1F 47 01",
           command("identify", "--expect-flash", "4MiB", NULL));
    rig_random(bytes, sizeof bytes, 5);
    placement = emulator_content(machine, 0x3FF123, "end.bin", bytes, sizeof bytes);
    EXPECT(8, "Add --expect-flash", command("write", placement, NULL));
    EXPECT(0, "Written, and verified", command("write", placement, "--expect-flash", "4MiB", NULL));
    CHECK(emulator_flash_is_right(machine));
    emulator_power_off(machine);
}

/* Who says too much is refused, before content runs over its end into its start. */
static void a_size_that_is_too_large_is_refused(void)
{
    const struct model model = {.name = "at25df321a", .size = 0x400000};

    put_in(&model);
    scratch_text("small.bin", "harbour");
    g_autofree char *placement = g_strdup_printf("0x600000=%s", scratch_file("small.bin"));
    EXPECT(5, "4 MiB", command("write", placement, "--expect-flash", "8MiB", NULL));
    CHECK(emulator_flash_is_right(machine));
    emulator_power_off(machine);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_model_is_written_or_its_size_is_asked_for),
        FACT(the_size_of_a_blank_flash_is_asked_for),
        FACT(a_size_that_is_too_large_is_refused),
    };

    machine = emulator_new("arm");
    if (!machine) {
        scratch_remove();
        return SKIPPED;
    }
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);
    emulator_free(machine);
    scratch_remove();
    return failed;
}
