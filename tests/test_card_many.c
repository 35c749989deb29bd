/* A card on many boards at once, and on one after another. */
#include <glib.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "cards.h"
#include "command.h"
#include "harness.h"
#include "pack/content_packer.h"
#include "pack/shared.h"
#include "wrytograph/message.h"

enum {
    BOARDS = 12,
};

static void add_boards(void)
{
    static bool done;

    if (done)
        return;
    done = true;
    for (unsigned i = 1; i <= BOARDS; i++) {
        g_autofree char *name = g_strdup_printf("gauge-%u", i);
        scratch_add_gauge(name);
    }
}

static void write_links(const char *name)
{
    g_autoptr(GString) text = g_string_new("# the whole bench\n\n");

    for (unsigned i = 1; i <= BOARDS; i++)
        g_string_append_printf(text, "bench:gauge-%u   # slot %u\n", i, i);
    scratch_text(name, text->str);
}

/* What a board that went through alone holds, the others hold, too. */
static bool all_hold_the_same(unsigned from, unsigned to)
{
    size_t n = 0;
    g_autofree char *first = g_strdup_printf("gauge-%u", from);
    g_autofree uint8_t *flash = scratch_flash(first, &n);
    bool same = true;

    for (unsigned i = from + 1; i <= to; i++) {
        g_autofree char *name = g_strdup_printf("gauge-%u", i);
        same = same && scratch_flash_is(name, flash, n);
    }
    return same;
}

static void all_pass(void)
{
    cards_make(NULL);
    add_boards();
    write_links("links.txt");
    EXPECT(0, "PASSED",
           command("card", "run", scratch_file("card.yaml"), "--link", "bench:gauge-1", NULL));
    struct said said = command("card", "run", scratch_file("card.yaml"), "--links",
                               scratch_file("links.txt"), "--logs", scratch_file("logs"), NULL);
    EXPECT(0, "12 of 12 boards passed.", said);
    CHECK(all_hold_the_same(1, BOARDS));
    g_autofree char *count = cards_query("SELECT count(DISTINCT board) || ' ' || count(*) FROM run "
                                         "WHERE outcome = 'passed'");
    CHECK(strcmp(count, "12 13") == 0);
    /* A log for each, with what it was about. */
    for (unsigned i = 1; i <= BOARDS; i++) {
        size_t n = 0;
        g_autofree char *name = g_strdup_printf("logs/bench-gauge-%u.log", i);
        g_autofree char *log = (char *)scratch_read(name, &n);
        CHECK(log && strstr(log, "-- write") && strstr(log, "> gauge ready") &&
              strstr(log, "PASSED"));
    }
}

/* Whatever is wrong with some of them, the others do not notice. */
static void some_fail_and_harm_no_other(void)
{
    static const struct {
        const char *fault, *says;
    } faults[] = {
        {"unpowered", "FAILED at connect: no answer"},
        {"cable-cut=30000", "FAILED at "},
        {"power-cut=20", "FAILED at "},
        {"protect=0x1c", "FAILED at "},
        {"noise=1e-6", "PASSED"},
        {"strap-released", "FAILED at connect"},
    };

    cards_make("times: any\n");
    add_boards();
    write_links("links.txt");
    EXPECT(0, "", command("bench", "remove", "gauge-7", NULL));
    EXPECT(0, "",
           command("bench", "add", "gauge-7", "--chip", "dunlin-d3", "--flash", "4MiB", NULL));
    for (unsigned i = 1; i <= BOARDS; i++) {
        g_autofree char *name = g_strdup_printf("gauge-%u", i);
        if (i != 7) {
            EXPECT(0, "", command("bench", "remove", name, NULL));
            scratch_add_gauge(name);
        }
        if (i <= G_N_ELEMENTS(faults))
            EXPECT(0, "", command("bench", "fault", name, faults[i - 1].fault, NULL));
    }
    struct said said = command("card", "run", scratch_file("card.yaml"), "--links",
                               scratch_file("links.txt"), "--json", NULL);
    /* Protected flash weighs more than a lost link or no answer. */
    CHECK_EQUAL(8, said.code);
    CHECK(says(&said, "\"link\" : \"bench:gauge-12\""));
    said = command("card", "run", scratch_file("card.yaml"), "--links", scratch_file("links.txt"),
                   NULL);
    for (unsigned i = 1; i <= G_N_ELEMENTS(faults); i++) {
        g_autofree char *start = g_strdup_printf("bench:gauge-%u ", i);
        const char *at = strstr(said.out, start);
        g_autofree char *line = g_strndup(at ? at : "", at ? strcspn(at, "\n") : 0);
        check_context("board %u, %s: %s", i, faults[i - 1].fault, line);
        CHECK(strstr(line, faults[i - 1].says));
    }
    check_context(NULL);
    CHECK(says(&said, "bench:gauge-7 ") && says(&said, "6 of 12 boards passed."));
    CHECK(all_hold_the_same(8, BOARDS));
}

/* A restore with --from-another-board gave one board the other's identity. */
static void two_boards_of_one_address_do_not_share_a_row(void)
{
    g_autofree char *yaml = NULL;
    g_autofree char *two = g_build_filename(scratch(), "bench", "twin-2", "board.yaml", NULL);
    g_autofree char *one = g_build_filename(scratch(), "bench", "twin-1", "board.yaml", NULL);

    scratch_add_gauge("twin-1");
    scratch_add_gauge("twin-2");
    CHECK(g_file_get_contents(one, &yaml, NULL, NULL) && g_file_set_contents(two, yaml, -1, NULL));
    scratch_text("rows.yaml", "card: Rows\nchip: turnstone-t2\nflash: 4MiB\n"
                              "boards: {file: rows.csv, row: next}\n");
    scratch_text("rows.csv", "datum_mm\n-1801\n-1802\n");
    struct said said = command("card", "run", scratch_file("rows.yaml"), "--link", "bench:twin-1",
                               "--link", "bench:twin-2", NULL);
    EXPECT(5, "1 of 2 boards passed.", said);
    CHECK(says(&said, "another board with the address 02:"));
    size_t n = 0;
    g_autofree char *table = (char *)scratch_read("rows.csv", &n);
    CHECK(table && strstr(table, "-1801,02:") && !strstr(table, "-1802,02:"));
}

static void links_are_given_once_each(void)
{
    const char *card = scratch_file("card.yaml");

    cards_make(NULL);
    add_boards();
    EXPECT(
        2, "the link bench:gauge-1 was given twice",
        command("card", "run", card, "--link", "bench:gauge-1", "--link", "bench:gauge-1", NULL));
    EXPECT(3, "No such file", command("card", "run", card, "--links", "/nowhere/links", NULL));
    scratch_text("none.txt", "# nothing\n\n");
    EXPECT(3, "names no link",
           command("card", "run", card, "--links", scratch_file("none.txt"), NULL));
    g_setenv("WRYTOGRAPH_DEVICES", scratch_file("devices"), TRUE);
    scratch_text("devices", "/nowhere/tty1 1234:5678 A1 Harbour adapter\n"
                            "/nowhere/tty2 1234:5678 A2 Harbour adapter\n"
                            "/nowhere/tty3 4321:8765 B1 Other adapter\n");
    struct said said = command("card", "run", card, "--adapters", "1234:5678", NULL);
    EXPECT(4, "0 of 2 boards passed.", said);
    CHECK(says(&said, "/nowhere/tty1") && !says(&said, "/nowhere/tty3"));
    EXPECT(4, "0 of 3 boards passed.", command("card", "run", card, "--adapters", "all", NULL));
    EXPECT(2, "no port has an adapter of type 9999:0000",
           command("card", "run", card, "--adapters", "9999:0000", NULL));
    g_unsetenv("WRYTOGRAPH_DEVICES");
}

/* One after another. */

struct running {
    GPid pid;
    FILE *out;
    GString *seen;
};

static struct running begin(const char *const *more)
{
    g_autoptr(GPtrArray) argv = g_ptr_array_new();
    struct running running = {.seen = g_string_new(NULL)};
    int out = -1;

    g_ptr_array_add(argv, (gpointer) "sh");
    g_ptr_array_add(argv, (gpointer) "-c");
    g_ptr_array_add(argv, (gpointer) "exec \"$0\" \"$@\" 2>&1");
    g_ptr_array_add(argv, (gpointer)command_path());
    g_ptr_array_add(argv, (gpointer) "card");
    g_ptr_array_add(argv, (gpointer) "run");
    g_ptr_array_add(argv, (gpointer)scratch_file("card.yaml"));
    for (; *more; more++)
        g_ptr_array_add(argv, (gpointer)*more);
    g_ptr_array_add(argv, NULL);
    CHECK(g_spawn_async_with_pipes(NULL, (char **)argv->pdata, NULL,
                                   G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL,
                                   &running.pid, NULL, &out, NULL, NULL));
    running.out = fdopen(out, "r");
    return running;
}

/* Reads on until a line has that text. */
static void wait_for(struct running *running, const char *text)
{
    char line[4096];

    while (fgets(line, sizeof line, running->out)) {
        g_string_append(running->seen, line);
        if (strstr(line, text))
            return;
    }
    printf("never said: %s\n  but: %s\n", text, running->seen->str);
    CHECK(false);
}

static int finish(struct running *running, int signal_number)
{
    int status = 0;
    char line[4096];

    kill(running->pid, signal_number);
    while (fgets(line, sizeof line, running->out))
        g_string_append(running->seen, line);
    waitpid(running->pid, &status, 0);
    fclose(running->out);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

/* The board may be in use for the moment. */
static void set_fault(const char *name, const char *fault)
{
    for (unsigned i = 0; i < 100; i++) {
        if (command("bench", "fault", name, "none", fault, NULL).code == 0)
            return;
    }
    CHECK(false);
}

static void one_after_another_on_a_fixed_link(void)
{
    static const char *const arguments[] = {"--each", "--link", "bench:slot", NULL};

    cards_make(NULL);
    scratch_add_gauge("slot");
    set_fault("slot", "unpowered");
    struct running running = begin(arguments);
    wait_for(&running, "Waiting for a board on bench:slot");
    set_fault("slot", "none");
    wait_for(&running, "PASSED  tide-gauge");
    wait_for(&running, "Remove the board. 1 passed, 0 failed so far.");
    set_fault("slot", "unpowered");
    wait_for(&running, "Waiting for a board");
    /* The same board once more is told; and one that fails, what to do. */
    set_fault("slot", "protect=0x1c");
    wait_for(&running, "FAILED at erase");
    wait_for(&running, "This board was here before: it passed at");
    wait_for(&running, "Remove the board. 1 passed, 1 failed so far.");
    set_fault("slot", "unpowered");
    wait_for(&running, "Waiting for a board");
    /* Asked to end in the middle of a board: that one is finished. */
    set_fault("slot", "none");
    wait_for(&running, "Going to erase");
    CHECK_EQUAL(8, finish(&running, SIGINT));
    CHECK(strstr(running.seen->str, "2 boards passed, 1 failed."));
    g_string_free(running.seen, TRUE);
}

/* A link that cannot be opened is not a board that is away. */
static void what_is_wrong_with_the_link_is_told(void)
{
    static const char *const arguments[] = {"--each", "--link", "bench:nowhere", NULL};

    cards_make(NULL);
    EXPECT(2, "is not a link",
           command("card", "run", scratch_file("card.yaml"), "--each", "--link", "nonsense", NULL));
    struct running running = begin(arguments);
    wait_for(&running, "'nowhere' is not a board of the bench");
    CHECK_EQUAL(0, finish(&running, SIGINT));
    CHECK(strstr(running.seen->str, "0 boards passed, 0 failed."));
    g_string_free(running.seen, TRUE);
}

static void one_after_another_as_ports_appear(void)
{
    static const char *const arguments[] = {"--each", NULL};

    cards_make(NULL);
    g_setenv("WRYTOGRAPH_DEVICES", scratch_file("devices"), TRUE);
    scratch_text("devices", "/nowhere/tty1 1234:5678 A1 Harbour adapter\n");
    g_unsetenv("WRYTOGRAPH_LINK");
    struct running running = begin(arguments);
    wait_for(&running, "Waiting for a port to appear");
    scratch_text("devices", "/nowhere/tty1 1234:5678 A1 Harbour adapter\n"
                            "/nowhere/tty2 1234:5678 A2 Harbour adapter\n");
    wait_for(&running, "FAILED at connect: /nowhere/tty2");
    wait_for(&running, "Waiting for a port to appear");
    CHECK_EQUAL(4, finish(&running, SIGINT));
    g_string_free(running.seen, TRUE);
    g_unsetenv("WRYTOGRAPH_DEVICES");
}

/* Streams in common. */

static bool read_bytes(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    memcpy(to, (const uint8_t *)context + offset, n);
    return true;
}

static void a_stream_is_made_once_for_all(void)
{
    enum { LENGTH = 300000, ROOM = 400000 };
    g_autofree uint8_t *content = g_malloc(LENGTH), *alone = g_malloc(ROOM);
    g_autofree uint8_t *shared_bytes = g_malloc(ROOM);
    struct pack_shared *shared = pack_shared_new();
    struct wry_packing packing = {.content = {.context = content, .read = read_bytes},
                                  .length = LENGTH,
                                  .coding = WRY_CODING_DEFLATE,
                                  .window = 32768};
    struct wry_stream_form form;
    size_t n = 0, given = 1;

    for (size_t i = 0; i < LENGTH; i++)
        content[i] = (uint8_t)(i * i >> 7);
    struct pack *own = pack_new();
    CHECK(pack_packer(own)->begin(own, &packing, &form));
    for (; given > 0; n += given)
        CHECK(pack_packer(own)->give(own, alone + n, 1000, &given));
    /* Two who take turns in other steps: the same bytes for both, made by whoever was ahead. */
    struct pack *two[2] = {pack_new(), pack_new()};
    size_t at[2] = {0, 0};
    for (unsigned i = 0; i < 2; i++) {
        pack_share(two[i], shared);
        CHECK(pack_packer(two[i])->begin(two[i], &packing, &form));
    }
    for (unsigned turn = 0; turn < 2000; turn++) {
        unsigned who = turn % 3 == 0;
        CHECK(
            pack_packer(two[who])->give(two[who], shared_bytes + at[who], 700 + 300 * who, &given));
        CHECK(memcmp(shared_bytes + at[who], alone + at[who], given) == 0);
        at[who] += given;
    }
    CHECK_EQUAL(n, at[0]);
    CHECK_EQUAL(n, at[1]);
    CHECK_EQUAL(1, pack_shared_count(shared));
    /* Other content is another stream. */
    content[LENGTH / 2] ^= 1;
    CHECK(pack_packer(two[0])->begin(two[0], &packing, &form));
    CHECK_EQUAL(2, pack_shared_count(shared));
    pack_free(two[0]);
    pack_free(two[1]);
    pack_free(own);
    pack_shared_free(shared);
}

/* What a board is known to hold, up to one sector that is not known. */
struct old_content {
    uint8_t *bytes;
    uint32_t length, unknown;
};

static bool read_old(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct old_content *old = context;

    if (offset + n > old->length || offset / WRY_SECTOR_SIZE == old->unknown)
        return false;
    memcpy(to, old->bytes + offset, n);
    return true;
}

static uint32_t covers_old(void *context, uint32_t offset, uint32_t length)
{
    (void)context;
    (void)offset;
    return length;
}

static bool is_shared(void *context, uint32_t offset)
{
    (void)context;
    return offset == 0x11000;
}

static size_t pack_whole(struct pack *pack, const struct wry_packing *packing, uint8_t *to)
{
    struct wry_stream_form form;
    size_t n = 0, given = 1;

    CHECK(pack_packer(pack)->begin(pack, packing, &form));
    for (; given > 0; n += given)
        CHECK(pack_packer(pack)->give(pack, to + n, 1000, &given));
    return n;
}

/* A difference is shared only among boards that are known to hold the same, and to take it in the
 * same way. */
static void differences_are_shared_by_what_boards_hold(void)
{
    enum { LENGTH = 0x8000, AT = 0x10000, ROOM = 0x10000, OLD = 0x40000 };
    g_autofree uint8_t *content = g_malloc(LENGTH), *held = g_malloc(OLD);
    g_autofree uint8_t *alone = g_malloc(ROOM), *together = g_malloc(ROOM);
    struct pack_shared *shared = pack_shared_new();
    struct pack *own = pack_new(), *one = pack_new();
    struct old_content old = {.bytes = held, .length = OLD, .unknown = UINT32_MAX};
    struct wry_known known = {.context = &old, .read = read_old, .covers = covers_old};
    const struct wry_packing first = {.content = {.context = content, .read = read_bytes},
                                      .length = LENGTH,
                                      .coding = WRY_CODING_DIFFERENCE,
                                      .window = 8192,
                                      .offset = AT,
                                      .old_block = 0x1000,
                                      .old_history = 0x4000,
                                      .known = &known};

    for (size_t i = 0; i < OLD; i++)
        held[i] = (uint8_t)(i * i >> 9);
    memcpy(content, held + AT, LENGTH);
    content[77] ^= 1;
    pack_share(one, shared);
    size_t n = pack_whole(own, &first, alone);
    CHECK_EQUAL(n, pack_whole(one, &first, together));
    CHECK(n < 300 && memcmp(alone, together, n) == 0);
    pack_whole(one, &first, together);
    CHECK_EQUAL(1, pack_shared_count(shared));
    for (unsigned i = 0; i < 6; i++) {
        struct wry_packing other = first;
        check_context("case %u", i);
        switch (i) {
        case 0: /* what only this board holds, behind the content */
            held[AT + LENGTH + 5] ^= 1;
            break;
        case 1: /* and before it */
            held[AT - 5] ^= 1;
            break;
        case 2: /* a sector that is not known */
            old.unknown = (AT + LENGTH) / WRY_SECTOR_SIZE;
            break;
        case 3:
            other.old_block = 0x2000;
            break;
        case 4:
            other.old_history = 0x2000;
            break;
        default:
            other.is_shared = is_shared;
            break;
        }
        n = pack_whole(own, &other, alone);
        CHECK_EQUAL(n, pack_whole(one, &other, together));
        CHECK(memcmp(alone, together, n) == 0);
        CHECK_EQUAL(2 + i, pack_shared_count(shared));
    }
    check_context(NULL);
    pack_free(one);
    pack_free(own);
    pack_shared_free(shared);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(all_pass),
                                        FACT(some_fail_and_harm_no_other),
                                        FACT(two_boards_of_one_address_do_not_share_a_row),
                                        FACT(links_are_given_once_each),
                                        FACT(one_after_another_on_a_fixed_link),
                                        FACT(what_is_wrong_with_the_link_is_told),
                                        FACT(one_after_another_as_ports_appear),
                                        FACT(a_stream_is_made_once_for_all),
                                        FACT(differences_are_shared_by_what_boards_hold)};
    scratch_make_images();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
