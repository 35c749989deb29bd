/* Cards where things are not easy: slow and noisy lines, full flash, locked tables, two computers,
 * Ctrl-C, a closed output. */
#include <fcntl.h>
#include <glib.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cards.h"
#include "command.h"
#include "harness.h"
#include "rig.h"

enum {
    APART = 5, /* shares no factor with the numbers of speeds and faults */
};

static const char *card(void)
{
    return scratch_file("card.yaml");
}

/* A flash without a blank byte, or one that is all blank. */
static void add_board(const char *name, bool full)
{
    g_autofree uint8_t *content = g_malloc(0x400000);

    if (full)
        rig_random(content, 0x400000, 7);
    else
        memset(content, 0xFF, 0x400000);
    scratch_write("content.bin", content, 0x400000);
    EXPECT(0, "is on the bench",
           command("bench", "add", name, "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file("content.bin"), NULL));
}

/* What of the flash is not the card's is as it was. */
static bool rest_is_untouched(const char *name, bool full)
{
    size_t n = 0;
    g_autofree uint8_t *flash = scratch_flash(name, &n);
    g_autofree uint8_t *before = g_malloc(0x400000);

    if (full)
        rig_random(before, 0x400000, 7);
    else
        memset(before, 0xFF, 0x400000);
    return n == 0x400000 && memcmp(flash, before, 0x4000) == 0 &&
           memcmp(flash + 0x10000, before + 0x10000, 0x30000) == 0 &&
           memcmp(flash + 0x130000, before + 0x130000, 0x90000) == 0;
}

static void at_every_speed_on_every_line_with_any_flash(void)
{
    static const char *const speeds[] = {"9600", "115200", "921600", "2000000"};
    static const char *const faults[] = {"none", "noise=1e-5", "noise=1e-4", "cable=200000"};

    cards_make("layout: regions.yaml\n");
    scratch_text("regions.yaml", "regions:\n"
                                 "  - {name: start, kind: start, offset: 0x4000, length: 0xA000}\n"
                                 "  - {name: table, kind: table, offset: 0xE000, length: 0x1000}\n"
                                 "  - {name: app, kind: app, offset: 0x40000, length: 0x180000}\n"
                                 "  - {name: log, kind: files, offset: 0x1C0000, length: rest}\n");
    for (size_t i = 0; i < G_N_ELEMENTS(speeds); i++) {
        for (size_t k = 0; k < G_N_ELEMENTS(faults); k++) {
            bool full = (i + k) % 2 == 0;
            if ((i * G_N_ELEMENTS(faults) + k) % check_one_in(APART) != 0)
                continue;
            g_autofree char *name = g_strdup_printf("edge-%zu-%zu", i, k);
            g_autofree char *link = g_strdup_printf("bench:%s", name);
            check_context("%s baud, %s, %s", speeds[i], faults[k], full ? "full" : "blank");
            add_board(name, full);
            EXPECT(0, "", command("bench", "fault", name, faults[k], NULL));
            struct said said =
                command("card", "run", card(), "--link", link, "--speed", speeds[i], NULL);
            /* A console has no check sums: such noise may strike its answer, which is told. */
            if (k == 2 && said.code == 6 && says(&said, "FAILED at start"))
                said = command("card", "run", card(), "--link", link, "--speed", speeds[i], NULL);
            EXPECT(0, "PASSED", said);
            CHECK(rest_is_untouched(name, full));
            EXPECT(0, "", command("bench", "remove", name, NULL));
        }
    }
    check_context(NULL);
}

/* Several computers with one table of boards: each board gets a row of its own. */
static void several_computers_share_a_table(void)
{
    enum { COMPUTERS = 6 };
    g_autoptr(GString) script = g_string_new(NULL);

    cards_make("boards: {file: shared.csv, row: next}\n");
    scratch_text("shared.csv", "datum_mm\n1\n2\n3\n4\n5\n6\n");
    for (unsigned i = 0; i < COMPUTERS; i++) {
        g_autofree char *name = g_strdup_printf("pc-%u", i);
        scratch_add_gauge(name);
        g_string_append_printf(
            script,
            "WRYTOGRAPH_LEDGER='%s/pc-%u.db' WRYTOGRAPH_STATE='%s/pc-%u' "
            "WRYTOGRAPH_BACKUPS='%s/pc-%u' '%s' card run '%s' --link bench:pc-%u "
            "> /dev/null 2>&1 &\n",
            scratch(), i, scratch(), i, scratch(), i, command_path(), card(), i);
    }
    g_string_append(script, "wait\n");
    CHECK_EQUAL(0, run_program("sh", "-c", script->str, NULL).code);
    size_t n = 0;
    g_autofree char *table = (char *)scratch_read("shared.csv", &n);
    g_auto(GStrv) lines = g_strsplit(table ? table : "", "\r\n", -1);
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    CHECK_EQUAL(COMPUTERS + 2, g_strv_length(lines));
    for (unsigned i = 1; i <= COMPUTERS && lines[i]; i++) {
        g_auto(GStrv) fields = g_strsplit(lines[i], ",", -1);
        /* Claimed, used, and nobody else's. */
        CHECK(g_strv_length(fields) == 3 && fields[2][0] != '\0' &&
              g_hash_table_add(seen, g_strdup(fields[1])));
    }
}

static void a_table_that_is_held_is_told(void)
{
    int lock = open(scratch_file(".held.csv.lock"), O_RDWR | O_CREAT | O_CLOEXEC, 0644);

    cards_make("boards: {file: held.csv, row: next}\n");
    scratch_text("held.csv", "datum_mm\n1\n");
    scratch_use_gauge("held", "none");
    CHECK(lock >= 0 && flock(lock, LOCK_EX) == 0);
    EXPECT(3, "held.csv: another program holds it", command("card", "run", card(), NULL));
    close(lock);
    EXPECT(0, "PASSED", command("card", "run", card(), NULL));
}

/* Stopped where nothing is half done; on record as such; and it goes on. */
static void a_card_that_is_stopped_goes_on(void)
{
    char *argv[] = {
        "sh",           "-c", "exec \"$0\" card run \"$1\" 2>&1", (char *)command_path(),
        (char *)card(), NULL};
    char line[4096];
    GPid pid;
    int out = -1, status = 0;

    cards_make(NULL);
    scratch_use_gauge("stopped", "none");
    CHECK(g_spawn_async_with_pipes(NULL, argv, NULL,
                                   G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                   &pid, NULL, &out, NULL, NULL));
    FILE *said = fdopen(out, "r");
    bool asked = false, told = false;
    while (fgets(line, sizeof line, said)) {
        if (!asked && strstr(line, "Going to erase")) {
            kill(pid, SIGINT);
            asked = true;
        }
        told = told || g_str_has_prefix(line, "STOPPED at ");
    }
    fclose(said);
    CHECK(waitpid(pid, &status, 0) == pid && WIFEXITED(status) && WEXITSTATUS(status) == 9);
    CHECK(asked && told);
    g_autofree char *outcome = cards_ledger("outcome || exit_code");
    CHECK(strcmp(outcome, "stopped9") == 0);
    EXPECT(0, "PASSED", command("card", "run", card(), NULL));
}

/* Calibration goes without a backup only if the card says so. */
static void a_card_without_a_backup_must_say_so(void)
{
    cards_make(NULL);
    scratch_use_gauge("unsaved", "none");
    scratch_text("few.yaml", "settings:\n  gauge: 1\n");
    scratch_text("never.yaml", "card: Never\nchip: turnstone-t2\nflash: 4MiB\n"
                               "backup: {when: never}\n"
                               "write: [{region: calibration, file: few.yaml}]\n");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("never.yaml"), NULL));
    g_autofree char *backup = cards_query("SELECT backup_file FROM run WHERE card = 'Never'");
    CHECK(backup[0] == '\0');
    EXPECT(0, "block, change 1: gauge = 1\n", command("identify", NULL));
    scratch_text("never.yaml", "card: Never\nchip: turnstone-t2\nflash: 4MiB\n"
                               "backup: {when: never}\nerase: [calibration]\n");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("never.yaml"), NULL));
    EXPECT(0, "calibration  settings  begins blank", command("identify", NULL));
}

/* A result that cannot be delivered is no success. */
static void a_closed_output_is_no_success(void)
{
    static const char *const verbs[] = {"ledger list", "ledger export --csv", "ledger report",
                                        "ledger export --json"};

    cards_make(NULL);
    scratch_use_gauge("closed", "none");
    EXPECT(0, "", command("backup", scratch_file("closed.zip"), NULL)); /* a row to be listed */
    for (size_t i = 0; i < G_N_ELEMENTS(verbs); i++) {
        g_autofree char *script = g_strdup_printf("'%s' %s > /dev/full", command_path(), verbs[i]);
        check_context("%s", verbs[i]);
        EXPECT(1, "could not be written", run_program("sh", "-c", script, NULL));
    }
    check_context(NULL);
    /* Nor is a ledger that is no file. */
    EXPECT(0, "Note: this job is not recorded:",
           command("card", "run", card(), "--ledger", "/dev/full", NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(at_every_speed_on_every_line_with_any_flash),
                                        FACT(several_computers_share_a_table),
                                        FACT(a_table_that_is_held_is_told),
                                        FACT(a_card_that_is_stopped_goes_on),
                                        FACT(a_card_without_a_backup_must_say_so),
                                        FACT(a_closed_output_is_no_success)};
    scratch_make_images();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
