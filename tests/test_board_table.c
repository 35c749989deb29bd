/* Tables of boards: one row for one board, whatever the path to the table and whoever takes it. */
#include <glib.h>
#include <glib/gstdio.h>
#include <grp.h>
#include <sched.h>
#include <stdio.h>
#include <string.h>
#include <sys/mount.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "store/card/board_table.h"
#include "store/text/csv_table.h"
#include "wrytograph-host/units.h"

enum {
    BOARDS = 8,
    OTHER_USER = 64001, /* numbers that nobody has */
    BOTH_GROUPS = 64002,
};

static const char *path_to(const char *name)
{
    return scratch_file(name);
}

/* A table with a row for each of the boards and two more, in a folder of its own. */
static void make_table(const char *folder)
{
    g_autofree char *name = g_build_filename(folder, "gauges.csv", NULL);
    g_autoptr(GString) text = g_string_new("gauge,address,used\n");

    CHECK_EQUAL(0, g_mkdir_with_parents(scratch_file(folder), 0755));
    for (int i = 0; i < BOARDS + 2; i++)
        g_string_append_printf(text, "%d,,\n", 100 + i);
    scratch_text(name, text->str);
}

/* Which row a board got; 0 = none. */
static unsigned take_row(const char *path, unsigned board)
{
    const uint8_t eui48[] = {0x02, 0x57, 0, 0, 0, (uint8_t)board};
    g_autoptr(GError) error = NULL;
    struct board_table_row row;
    const struct board_table_request wanted = {
        .rows = CARD_ROWS_NEXT, .eui48 = eui48, .claim = true};
    GPtrArray *values = board_table_take(path, &wanted, &row, &error);

    if (error)
        fprintf(stderr, "%s\n", error->message);
    if (!values || !board_table_done(path, eui48, "2026-11-20T18:18:00Z", NULL))
        return 0;
    g_ptr_array_unref(values);
    g_free(row.name);
    return row.line;
}

/* A process for each board, through one of the paths, all at once; prepare may change who it is. */
static void all_take(const char *const *paths, size_t count, void (*prepare)(unsigned which))
{
    int go[2], rows[2], status;
    uint8_t line, seen[256] = {0};

    CHECK_EQUAL(0, pipe(go));
    CHECK_EQUAL(0, pipe(rows));
    for (unsigned i = 0; i < BOARDS; i++) {
        if (fork() != 0)
            continue;
        close(go[1]);
        if (prepare)
            prepare(i);
        (void)!read(go[0], &line, 1);
        line = (uint8_t)take_row(paths[i % count], i);
        _exit(write(rows[1], &line, 1) == 1 ? 0 : 1);
    }
    close(go[0]);
    close(go[1]);
    close(rows[1]);
    while (read(rows[0], &line, 1) == 1) {
        CHECK(line > 0);
        CHECK_EQUAL(0, seen[line]);
        seen[line] = 1;
    }
    close(rows[0]);
    while (wait(&status) > 0)
        CHECK_EQUAL(0, status);
}

static unsigned rows_in_use(const char *path)
{
    struct csv_table *table = csv_table_load(path, NULL);
    int column = csv_table_column(table, "used");
    unsigned used = 0;

    for (guint i = 1; i < table->rows->len; i++)
        used += csv_table_at(table, i, column)[0] != '\0';
    csv_table_free(table);
    return used;
}

static void every_spelling_of_a_path_leads_to_one_lock(void)
{
    const char *paths[] = {path_to("links/gauges.csv"), path_to("link.csv"),
                           path_to("link-folder/gauges.csv"),
                           path_to("links/../links/./gauges.csv")};

    make_table("links");
    CHECK_EQUAL(0, symlink("links/gauges.csv", path_to("link.csv")));
    CHECK_EQUAL(0, symlink("links", path_to("link-folder")));
    all_take(paths, G_N_ELEMENTS(paths), NULL);
    CHECK_EQUAL(BOARDS, rows_in_use(paths[0]));
    CHECK(g_file_test(paths[1], G_FILE_TEST_IS_SYMLINK));
}

/* Only where the system allows mounts. */
static void a_folder_that_is_mounted_twice_has_one_lock(void)
{
    const char *paths[] = {path_to("mounted/gauges.csv"), path_to("mount/gauges.csv")};
    int status = 0;

    make_table("mounted");
    CHECK_EQUAL(0, g_mkdir(path_to("mount"), 0755));
    pid_t process = fork();
    if (process == 0) {
        if (unshare(CLONE_NEWNS) != 0 || mount(NULL, "/", NULL, MS_REC | MS_PRIVATE, NULL) != 0 ||
            mount(path_to("mounted"), path_to("mount"), NULL, MS_BIND, NULL) != 0)
            _exit(0);
        all_take(paths, 2, NULL);
        _exit(rows_in_use(paths[0]) == BOARDS ? 0 : 1);
    }
    waitpid(process, &status, 0);
    CHECK_EQUAL(0, status);
}

static void become_one_of_two_users(unsigned which)
{
    const gid_t group = BOTH_GROUPS;

    umask(which % 4 < 2 ? 077 : 022);
    if (which % 2 == 0)
        return;
    if (setgroups(1, &group) != 0 || setgid(OTHER_USER) != 0 || setuid(OTHER_USER) != 0)
        _exit(2);
}

/* Whatever their umasks; the table stays the group's. */
static void two_users_of_a_group_share_a_table(void)
{
    const char *path = path_to("shared/gauges.csv");
    struct stat info;

    if (geteuid() != 0)
        return;
    make_table("shared");
    CHECK_EQUAL(0, g_chmod(scratch(), 0755));
    CHECK(chown(path, 0, BOTH_GROUPS) == 0 && chown(path_to("shared"), 0, BOTH_GROUPS) == 0);
    CHECK(g_chmod(path, 0660) == 0 && g_chmod(path_to("shared"), 0770) == 0);
    all_take(&path, 1, become_one_of_two_users);
    CHECK_EQUAL(BOARDS, rows_in_use(path));
    CHECK_EQUAL(0, stat(path, &info));
    CHECK_EQUAL(0660, info.st_mode & 0777);
    CHECK_EQUAL(BOTH_GROUPS, info.st_gid);
}

static void a_table_with_several_names_is_refused(void)
{
    const uint8_t eui48[] = {0x02, 0x57, 0, 0, 0, 1};
    g_autoptr(GError) error = NULL;
    struct board_table_row row;
    const struct board_table_request wanted = {
        .rows = CARD_ROWS_NEXT, .eui48 = eui48, .claim = true};

    make_table("hard");
    CHECK_EQUAL(0, link(path_to("hard/gauges.csv"), path_to("hard/other.csv")));
    CHECK(board_table_take(path_to("hard/other.csv"), &wanted, &row, &error) == NULL);
    CHECK(error && strstr(error->message, "this file has 2 names (hard links)"));
    CHECK(error && strstr(error->message, "make a copy of it instead"));
    CHECK(!board_table_done(path_to("hard/gauges.csv"), eui48, "2026", NULL));
    CHECK_EQUAL(0, rows_in_use(path_to("hard/gauges.csv")));
}

static void a_lock_that_fails_is_not_called_held(void)
{
    const uint8_t eui48[] = {0x02, 0x57, 0, 0, 0, 1};
    g_autoptr(GError) error = NULL;
    struct board_table_row row;
    const struct board_table_request wanted = {
        .rows = CARD_ROWS_NEXT, .eui48 = eui48, .claim = true};

    make_table("unlocked");
    CHECK_EQUAL(0, symlink("nowhere", path_to("unlocked/.gauges.csv.lock")));
    CHECK(board_table_take(path_to("unlocked/gauges.csv"), &wanted, &row, &error) == NULL);
    CHECK(error && strstr(error->message, "cannot be locked: "));
    CHECK(error && !strstr(error->message, "another program"));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_spelling_of_a_path_leads_to_one_lock),
        FACT(a_folder_that_is_mounted_twice_has_one_lock),
        FACT(two_users_of_a_group_share_a_table),
        FACT(a_table_with_several_names_is_refused),
        FACT(a_lock_that_fails_is_not_called_held),
    };
    int failed = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return failed;
}
