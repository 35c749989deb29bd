/*
 * Advice is followed: advice.txt lists calls that are refused, with what is called next. The next
 * call must be another one, and must succeed; so no advice leads in a circle.
 */
#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"

enum {
    WORDS_MOST = 12,
};

/* Text of the refused call, kept over the next run. */
struct refused {
    char **argv;
    char *out;
    char *sentence; /* what it ended with */
};

static char *read_source(const char *path)
{
    g_autofree char *whole = g_build_filename(WRY_SOURCE_DIR, path, NULL);
    char *text = NULL;

    CHECK(g_file_get_contents(whole, &text, NULL, NULL));
    return text;
}

static struct said call(char **argv)
{
    const char *w[WORDS_MOST] = {NULL};

    for (size_t i = 0; argv[i] && i < WORDS_MOST - 1; i++)
        w[i] = argv[i];
    return command(w[0], w[1], w[2], w[3], w[4], w[5], w[6], w[7], w[8], w[9], w[10], NULL);
}

static char **words_of(const char *line)
{
    char **argv = NULL;

    CHECK(g_shell_parse_argv(line, NULL, &argv, NULL));
    return argv;
}

static void clear(struct refused *refused)
{
    g_clear_pointer(&refused->argv, g_strfreev);
    g_clear_pointer(&refused->out, g_free);
    g_clear_pointer(&refused->sentence, g_free);
}

static void shell(const char *line)
{
    g_autoptr(GError) error = NULL;
    g_auto(GStrv) argv = g_strdupv((char *[]){"sh", "-ec", (char *)line, NULL});
    int status = 1;

    if (strcmp(line, "unset-link") == 0) {
        g_unsetenv("WRYTOGRAPH_LINK");
        return;
    }
    if (strcmp(line, "bench-release") == 0) {
        EXPECT(0, "", command("bench", "press", "g", "release", NULL));
        return;
    }
    CHECK(g_spawn_sync(NULL, argv, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, NULL, NULL, &status,
                       &error));
    CHECK_EQUAL(0, status);
}

/* Once: what every case begins with. A small program stands for gauge.bin, since writes take time.
 */
static void make_first_folder(void)
{
    static const char *const shared[] = {"start.bin", "regions.bin", "returned-1.bin",
                                         "returned-2.bin", "make_image.py"};

    g_setenv("WRYTOGRAPH_BENCH", "bench", TRUE);
    g_setenv("WRYTOGRAPH_LINK", "bench:g", TRUE);
    g_setenv("WRYTOGRAPH_STATE", "state", TRUE);
    g_setenv("WRYTOGRAPH_SHELF", "shelf", TRUE);
    g_setenv("WRYTOGRAPH_BACKUPS", "backups", TRUE);
    g_setenv("WRYTOGRAPH_LEDGER", "ledger.db", TRUE);
    g_setenv("XDG_DATA_HOME", "data", TRUE);
    CHECK_EQUAL(0, g_mkdir(scratch_file("first"), 0700));
    CHECK_EQUAL(0, chdir(scratch_file("first")));
    for (size_t i = 0; i < G_N_ELEMENTS(shared); i++)
        CHECK_EQUAL(0, symlink(scratch_file(shared[i]), shared[i]));
    CHECK_EQUAL(0, symlink(scratch_file("gauge.bin"), "whole.bin"));
    shell("python3 make_image.py program gauge.bin");
    EXPECT(0, "",
           command("bench", "add", "g", "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   "returned-1.bin", NULL));
    EXPECT(0, "Backed up", command("backup", "g.zip", NULL));
}

static void begin_case(const char *folder)
{
    g_autofree char *copy = g_strdup_printf("cp -a ../first '%s'", folder);

    g_setenv("WRYTOGRAPH_LINK", "bench:g", TRUE);
    CHECK_EQUAL(0, chdir(scratch_file("first")));
    shell(copy);
    CHECK_EQUAL(0, chdir(folder));
}

static void end_case(const char *folder)
{
    g_autofree char *removal = g_strdup_printf("rm -r '%s'", folder);

    CHECK_EQUAL(0, chdir(scratch()));
    shell(removal);
}

static void refuse(struct refused *refused, const char *line)
{
    clear(refused);
    refused->argv = words_of(line);
    struct said said = call(refused->argv);
    CHECK(said.code > 0);
    refused->out = g_strconcat(said.out, said.err, NULL);
    const char *sentence = strstr(said.err, "wrytograph ");
    CHECK(sentence != NULL || strstr(said.out, "FAILED") || strstr(said.out, "mistake"));
    sentence = sentence ? sentence : "FAILED";
    refused->sentence = g_strndup(sentence, strcspn(sentence, "\n"));
}

/* The refused call with its last word replaced by a PLACE=FILE of the advice. */
static char **with_place(const struct refused *refused, const char *text)
{
    char **argv = g_strdupv(refused->argv);
    guint n = g_strv_length(argv);

    g_free(argv[n - 1]);
    argv[n - 1] = g_strndup(text, strcspn(text, " ,\n"));
    if (g_str_has_suffix(argv[n - 1], "."))
        argv[n - 1][strlen(argv[n - 1]) - 1] = '\0';
    return argv;
}

/* The call that the advice spells out: a quoted command, an option to add, or another place. */
static char **advised(const struct refused *refused)
{
    const char *quoted = strstr(refused->out, "'wrytograph ");
    const char *option = strstr(refused->out, "add --");
    const char *place = strstr(refused->out, ": write ");
    const char *image = strstr(refused->out, "such as '");

    if (image) {
        g_autofree char *name = g_strndup(image + 9, strcspn(image + 9, "'"));
        g_autofree char *whole = g_strconcat("app=", name, NULL);
        char **argv = with_place(refused, "");
        guint n = g_strv_length(argv);
        g_free(argv[n - 1]);
        argv[n - 1] = g_steal_pointer(&whole);
        return argv;
    }
    if (place)
        return with_place(refused, place + strlen(": write "));
    if (option) {
        GStrvBuilder *builder = g_strv_builder_new();
        g_autofree char *word =
            g_strndup(option + 4, strspn(option + 4, "-abcdefghijklmnopqrstuvwxyz"));
        g_strv_builder_addv(builder, (const char **)refused->argv);
        g_strv_builder_add(builder, word);
        char **argv = g_strv_builder_end(builder);
        g_strv_builder_unref(builder);
        return argv;
    }
    if (quoted) {
        g_autofree char *line = g_strndup(quoted + 12, strcspn(quoted + 12, "'"));
        return words_of(line);
    }
    return NULL;
}

static void follow(const struct refused *refused, const char *line, int code)
{
    g_auto(GStrv) argv = line[0] ? words_of(line) : advised(refused);

    CHECK(argv != NULL);
    if (!argv) {
        printf("  advice: %s\n", refused->out);
        return;
    }
    CHECK(!g_strv_equal((const char *const *)argv, (const char *const *)refused->argv));
    struct said said = call(argv);
    EXPECT(code, "", said);
    CHECK(!says(&said, refused->sentence));
}

/* Runs the case whose first line is lines[0]; returns the lines that it took. */
static size_t run_case(char **lines, unsigned number)
{
    g_autofree char *folder = g_strdup_printf("%s/case-%u", scratch(), number);
    struct refused refused = {.out = g_strdup(""), .sentence = g_strdup("")};
    size_t n = 1;

    check_context("%s (case %u)", lines[0], number);
    begin_case(folder);
    for (; lines[n] && g_str_has_prefix(lines[n], "  "); n++) {
        const char *line = lines[n] + 4;
        if (strlen(lines[n]) < 4)
            line = "";
        switch (lines[n][2]) {
        case '!':
            shell(line);
            break;
        case '$': {
            g_auto(GStrv) argv = words_of(line);
            EXPECT(0, "", call(argv));
            break;
        }
        case '-':
            refuse(&refused, line);
            break;
        case ':':
            CHECK_TEXT(strstr(refused.out, line) ? refused.out : line, refused.out);
            break;
        case '+': {
            bool coded = lines[n + 1] && g_str_has_prefix(lines[n + 1], "  = ");
            follow(&refused, line, coded ? lines[n + 1][4] - '0' : 0);
            break;
        }
        case '=':
            break;
        default:
            CHECK(false);
        }
    }
    clear(&refused);
    end_case(folder);
    check_context(NULL);
    return n;
}

static void every_advice_leads_on(void)
{
    g_autofree char *text = read_source("tests/advice.txt");
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    unsigned cases = 0;

    make_first_folder();
    for (size_t i = 0; lines[i];) {
        bool is_case = g_ascii_isupper(lines[i][0]);
        i += is_case ? run_case(lines + i, ++cases) : 1;
    }
    CHECK(cases > 80);
}

/* A new kind of problem needs its case. */
static void every_kind_of_problem_is_listed(void)
{
    g_autofree char *text = read_source("tests/advice.txt");
    g_autofree char *sentences = read_source("jobs/words/sentences/problems.txt");
    g_auto(GStrv) lines = g_strsplit(sentences, "\n", -1);
    g_autoptr(GHashTable) listed = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    g_auto(GStrv) cases = g_strsplit(text, "\n", -1);

    for (size_t i = 0; cases[i]; i++) {
        const char *name = g_str_has_prefix(cases[i], "~ ") ? cases[i] + 2 : cases[i];
        if (g_ascii_isupper(name[0]))
            g_hash_table_add(listed, g_strndup(name, strcspn(name, " ")));
    }
    for (size_t i = 0; lines[i]; i++) {
        if (!g_str_has_prefix(lines[i], "WRY_PROBLEM_"))
            continue;
        const char *name = lines[i] + strlen("WRY_PROBLEM_");
        g_autofree char *kind = g_strndup(name, strcspn(name, " "));
        check_context("%s", kind);
        CHECK(g_hash_table_contains(listed, kind));
    }
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_kind_of_problem_is_listed),
        FACT(every_advice_leads_on),
    };
    g_autofree char *tool = NULL;

    scratch_make_images();
    tool = read_source("tests/peers/make_image.py");
    scratch_text("make_image.py", tool);
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
