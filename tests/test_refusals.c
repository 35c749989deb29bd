/* Files and words that are refused: each with its exit code, its place and its reason. */
#include <glib.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>

#include "cards.h"
#include "command.h"
#include "harness.h"

/* A file that is written, a call in which '@' stands for it (IMAGE: for a placement), and what is
 * said then. */
struct refusal {
    const char *file, *content;
    const char *call;
    int code;
    const char *text;
};

static void refuse(const struct refusal *cases, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        const struct refusal *of = &cases[i];
        check_context("case %zu, %s", i, of->call);
        if (of->file)
            scratch_text(of->file, of->content);
        g_auto(GStrv) words = g_strsplit(of->call, " ", -1);
        const char *w[12] = {NULL};
        for (size_t k = 0; k < G_N_ELEMENTS(w) && words[k]; k++)
            w[k] = strcmp(words[k], "@") == 0       ? scratch_file(of->file)
                   : strcmp(words[k], "IMAGE") == 0 ? placed("app", "gauge.bin")
                                                    : words[k];
        EXPECT(of->code, of->text,
               command(w[0], w[1], w[2], w[3], w[4], w[5], w[6], w[7], w[8], w[9], w[10], NULL));
    }
    check_context(NULL);
}

static void records_name_line_and_cause(void)
{
    static const struct refusal cases[] = {
        {"a.hex", ":0400000001020304F2\n:0400040001020304EF\n:00000001FF\n", "inspect @", 3,
         "a.hex:2: the checksum is wrong"},
        {"a.hex", ":0400000001020304F2\n:05000400010203\n", "inspect @", 3,
         "a.hex:2: the record's length field is wrong"},
        {"a.hex", ":0400000001020304F2\n:0000000AF6\n", "inspect @", 3,
         "a.hex:2: an unknown record type"},
        {"a.hex", ":02000004FFFFFC\n:02FFFF000102FD\n", "inspect @", 3,
         "content beyond the 32-bit address space"},
        {"a.hex", ":0400000001020304F2\n:00000001FF\n:0400040001020304EE\n", "inspect @", 3,
         "a.hex:3: something follows the end record"},
        {"a.hex", ":0400000001020304F2\n", "inspect @", 3,
         "the end record is missing: the file is cut short"},
        {"a.srec", "S1070000010203 04EE\nS5030002FA\nS9030000FC\n", "inspect @", 3,
         "a.srec:2: the count of records is wrong: records are missing"},
        {"a.hex", ":00000001FF\n", "inspect @", 3, "the file has no content"},
    };

    refuse(cases, G_N_ELEMENTS(cases));
}

#define PLAN "plan --chip turnstone-t2 --flash 4MiB --layout @ IMAGE"

static void layouts_name_line_and_cause(void)
{
    g_autoptr(GString) many = g_string_new("regions:\n");

    static const struct refusal cases[] = {
        {"l.yaml", "regions:\n  - app\n", PLAN, 3,
         "l.yaml:2: a region is written {name: …, offset: …, length: …}"},
        {"l.yaml", "regions:\n  - {name: a b, kind: app, offset: 0x40000, length: 64K}\n", PLAN, 3,
         "l.yaml:2: 'a b' is not a name: a letter, then up to 15 letters"},
        {"l.yaml",
         "flash: huge\nregions:\n  - {name: a, kind: app, offset: 0x40000, length: 64K}\n", PLAN, 3,
         "l.yaml:1: 'huge' is not a flash size"},
        {"l.yaml",
         "flash: 8MiB\nregions:\n  - {name: app, kind: app, offset: 0x40000, length: 64K}\n", PLAN,
         5, "is a layout for 8 MiB (64 Mbit) of flash, not 4 MiB (32 Mbit)"},
        {"l.yaml",
         "regions:\n  - {name: a, kind: app, offset: 0, length: 8K}\n"
         "  - {name: b, kind: app, offset: 4K, length: 8K}\n",
         PLAN, 3, "l.yaml:3: region 'b' overlaps 'a' of line 2"},
        {"l.yaml", "regions:\n  - {name: a, kind: app, offset: 0x1, length: 8K}\n", PLAN, 3,
         "l.yaml:2: region 'a' does not begin and end on a sector"},
    };

    refuse(cases, G_N_ELEMENTS(cases));
    for (unsigned i = 0; i < 200; i++)
        g_string_append_printf(many, "  - {name: r%u, kind: files, offset: 0x%X, length: 4K}\n", i,
                               i * 4096);
    struct refusal large = {"l.yaml", many->str, PLAN, 3, "more than"};
    refuse(&large, 1);
}

#define CARD                                                                                       \
    "card: c\nchip: turnstone-t2\nflash: 4MiB\nwrite:\n  - {region: app, file: gauge.bin}\n"

static void cards_name_line_and_cause(void)
{
    static const struct refusal cases[] = {
        {"c.yaml", CARD "backup: {when: first, folder: ''}\n", "card check @", 3,
         "c.yaml:6:31: a folder is named here"},
        {"c.yaml", CARD "erase: ['']\n", "card check @", 3,
         "c.yaml:6:9: a region, OFFSET+LENGTH or all is named here"},
        {"c.yaml", CARD "erase: []\n", "card check @", 3, "c.yaml:6:8: 'erase' names nothing"},
        {"c.yaml", CARD "start: {steps: ''}\n", "card check @", 3,
         "c.yaml:6:16: a file is named here"},
        {"c.yaml", CARD "start: {steps: nowhere.yaml}\n", "card check @", 3,
         "c.yaml:6:16: there is no file 'nowhere.yaml'"},
        {"c.yaml", CARD "start: {steps: gauge.bin}\n", "card check @", 3, "c.yaml:6:16: "},
        {"c.yaml", CARD "boards: {file: gauge.bin, new: ['']}\n", "card check @", 3,
         "c.yaml:6:33: a column is named here"},
        {"c.yaml", CARD "boards: {row: next}\n", "card check @", 3, "'boards' names no file"},
        {"c.yaml", CARD "layout: ''\n", "card check @", 3, "c.yaml:6:9: a file is named here"},
        {"c.yaml", CARD "set: {a: [1]}\n", "card check @", 3,
         "c.yaml:6:10: 'a': a setting is one value"},
        {"c.yaml", CARD "times: 0\n", "card check @", 3, "c.yaml:6:8: "},
        {"c.yaml", CARD "read: {lines: 3}\n", "card check @", 3,
         "c.yaml:6:15: 'lines' is 1, 2 or 4"},
        {"c.yaml", CARD "expect: {revision: 999}\n", "card check @", 3, "c.yaml:6:20: "},
        {"c.yaml", CARD "start: {line-end: crcr}\n", "card check @", 3, "c.yaml:6:19: "},
        {"c.yaml", "card: c\nchip: turnstone-t2\nflash: 64MiB\n", "card check @", 3,
         "c.yaml:3:8: a Turnstone T2 has "},
    };

    refuse(cases, G_N_ELEMENTS(cases));
}

static void tables_of_boards_name_line_and_cause(void)
{
    g_autofree char *wide = g_strnfill(200, ',');
    g_autofree char *names = g_strdup_printf("a,b%s\n", wide);
    g_autofree char *text = g_strnfill(9000, 'x');
    g_autofree char *field = g_strdup_printf("address,gauge\n02:57:00:00:00:01,%s\n", text);
    const struct {
        const char *content, *text;
    } cases[] = {
        {names, "t.csv:1:131: too many columns"},
        {field, "t.csv:2:19: a field is not UTF-8 text, or too long"},
        {"address,gauge\n02:57:00:00:00:01,\xFF\n",
         "t.csv:2:19: a field is not UTF-8 text, or too long"},
        {"address,gauge\n02:57:00:00:00:01,\"a\"b\n", "a quotation mark where none is allowed"},
        {"", "t.csv:1:1: the line of names is missing"},
    };

    scratch_text("c.yaml", CARD "boards: {file: t.csv, row: by-address}\n");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        check_context("case %zu", i);
        scratch_text("t.csv", cases[i].content);
        EXPECT(3, cases[i].text, command("card", "check", scratch_file("c.yaml"), NULL));
    }
    check_context(NULL);
}

static void settings_name_line_and_cause(void)
{
    static const struct refusal cases[] = {
        {"s.yaml", "settings:\n  a: {value: [1]}\n", "inspect @", 3,
         "s.yaml:2: 'value' takes one value"},
        {"s.yaml", "settings:\n  a: {value: 1, env: B}\n", "inspect @", 3,
         "give one of value, env and file"},
        {"s.yaml", "settings:\n  a: {env: WRY_NO_SUCH_NAME}\n", "inspect @", 3,
         "s.yaml:2: WRY_NO_SUCH_NAME is not set in the environment"},
        {"s.yaml", "settings:\n  a: {file: /nowhere/key}\n", "inspect @", 3, "/nowhere/key"},
        {"s.yaml", "settings:\n  a: {value: 0g, type: bytes}\n", "inspect @", 3,
         "'a': its value is not of type bytes, or too long"},
        {"s.yaml", "settings:\n  a: {value: 5, type: colour}\n", "inspect @", 3,
         "'colour' is not a type: text, integer, real, boolean or bytes"},
        {"s.yaml", "settings:\n  a: {value: maybe, type: boolean}\n", "inspect @", 3,
         "'a': its value is not of type boolean"},
        {"s.yaml", "settings:\n  a: {value: 1, secret: perhaps}\n", "inspect @", 3,
         "s.yaml:2: 'secret' is true or false"},
        {"s.yaml", "settings:\n  1a: 5\n", "inspect @", 3, "'1a' is not a key"},
        {"s.yaml", "settings: {}\n", "inspect @", 3, "there are no settings"},
        {"s.yaml", "settings: 5\n", "inspect @", 3, "'settings' has lines of KEY: VALUE"},
    };

    refuse(cases, G_N_ELEMENTS(cases));
}

/* A board's description on the bench, as somebody else's editor left it. */
static void boards_of_the_bench_name_line_and_cause(void)
{
    static const char *const cases[][2] = {
        {"address: here", "'here' is not an address of a board"},
        {"wiring: loose", "there is no wiring 'loose'"},
        {"faults: [1]", "'faults' holds lines of NAME: VALUE"},
        {"faults:\n  line_end: 77", "'line_end' is a number from 0 to "},
        {"chip: albatross", "albatross"},
    };

    scratch_add_gauge("edited");
    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *key = g_strndup(cases[i][0], strcspn(cases[i][0], ":") + 1);
        size_t n = 0;
        g_autofree char *whole = (char *)scratch_read("bench/edited/board.yaml", &n);
        g_auto(GStrv) lines = g_strsplit(whole, "\n", -1);
        g_autoptr(GString) changed = g_string_new(NULL);
        bool within = false; /* the lines of the member that is replaced */
        for (char **line = lines; *line; line++) {
            within = **line == ' ' ? within : g_str_has_prefix(*line, key);
            if (**line && !within)
                g_string_append_printf(changed, "%s\n", *line);
        }
        g_string_append_printf(changed, "%s\n", cases[i][0]);
        scratch_text("bench/edited/board.yaml", changed->str);
        check_context("%s", cases[i][0]);
        EXPECT(3, cases[i][1], command("identify", "-l", "bench:edited", NULL));
        scratch_text("bench/edited/board.yaml", whole);
    }
    check_context(NULL);
    scratch_text("bench/edited/board.yaml", "chip: turnstone-t2\n");
    EXPECT(3, "a board needs '", command("identify", "-l", "bench:edited", NULL));
}

/* A word that is nearly right is named, and so are the usual words of serial programs. */
static void what_was_meant_is_named(void)
{
    static const struct refusal cases[] = {
        {NULL, NULL, "wirte x", 2, "Did you mean 'wrytograph write'?"},
        {NULL, NULL, "identfy", 2, "Did you mean 'wrytograph identify'?"},
        {NULL, NULL, "help identfy", 2, "Did you mean 'wrytograph identify'?"},
        {NULL, NULL, "conjure", 2, "See 'wrytograph --help'."},
        {NULL, NULL, "--link bench:x", 2, "no verb was given"},
        {NULL, NULL, "identify --lnik bench:x", 2, "Did you mean --link?"},
        {NULL, NULL, "identify --port /dev/x", 2, "Did you mean --link?"},
        {NULL, NULL, "identify --baud=9600", 2, "Did you mean --speed?"},
        {NULL, NULL, "identify --everything", 2, "See 'wrytograph identify --help'."},
        {NULL, NULL, "inspect --port x", 2, "See 'wrytograph inspect --help'."},
        {NULL, NULL, "card run c --onyl 4", 2, "Did you mean --only?"},
        {NULL, NULL, "--link bench:nowhere --json identify", 4, "not a board of the bench"},
    };

    refuse(cases, G_N_ELEMENTS(cases));
    struct said said = command("inspect", "--port", "x", NULL);
    CHECK(!says(&said, "Did you mean"));
    EXPECT(0, "verbs, in the order of the work", command("-h", NULL));
    EXPECT(0, "--without-backup", command("help", "write", NULL));
    EXPECT(0, "--without-backup", command("write", "-h", NULL));
}

static void words_that_make_no_call_are_usage_errors(void)
{
    static const struct refusal cases[] = {
        {NULL, NULL, "bench add x", 2, "takes NAME, --chip and --flash"},
        {NULL, NULL, "bench add x --chip turnstone-t2 --flash 4MiB --wired loosely", 2,
         "--wired is rts-reset"},
        {NULL, NULL, "bench fault x", 2, "takes NAME and one fault or more"},
        {NULL, NULL, "bench remove", 2, "'bench remove' takes NAME"},
        {NULL, NULL, "bench press x", 2, "takes NAME and what to press"},
        {NULL, NULL, "bench list x", 2, "takes no arguments"},
        {NULL, NULL, "bench", 2, "choose add, list, fault, press, remove or serve"},
        {NULL, NULL, "bench paint", 2, "'bench' takes add, list, fault"},
        {NULL, NULL, "bench list --revision 256", 2, "--revision is a number from 0 to 255"},
        {NULL, NULL, "bench list --port 65536", 2, "--port is a number from 1 to 65535"},
        {NULL, NULL, "shelf", 2, "choose add, list, choose, prefer"},
        {NULL, NULL, "shelf add", 2, "'shelf add' takes files, folders and ZIPs"},
        {NULL, NULL, "shelf list x", 2, "'shelf list' takes no names"},
        {NULL, NULL, "shelf prefer", 2, "give the image's name"},
        {NULL, NULL, "ports --wait soon", 2, "'soon'"},
        {NULL, NULL, "inspect", 2, "give a file to inspect"},
        {NULL, NULL, "card pack c.yaml", 2, "pier.zip"},
        {"c.yaml", CARD, "card pack @ -o k.zip --share 1/2 --one-bench", 2,
         "--share, and --one-bench"},
        {NULL, NULL, "ledger", 2, "choose list, boards, lots, before, show, export, send"},
        {NULL, NULL, "ledger burn", 2, "'ledger' takes list, boards, lots, export"},
        {NULL, NULL, "ledger list --day tomorrow", 2, "'tomorrow' is not a day"},
        {NULL, NULL, "ledger list --day 2026-02-30", 2, "'2026-02-30' is not a day"},
        {NULL, NULL, "ledger list --outcome fine", 2, "'fine' is not an outcome"},
        {NULL, NULL, "ledger list --most some", 2, "--most: 'some' is not a number"},
        {NULL, NULL, "ledger list --board 12", 2, "nothing in the ledger has '12'"},
        {NULL, NULL, "ledger list --day 2026-11-29 --since 2026-11-01", 2, "--day, and --since"},
        {NULL, NULL, "ledger show xyz", 2, "a run is named by its first digits"},
        {NULL, NULL, "ledger show 0000000", 2, "there is no run '0000000'"},
        {NULL, NULL, "ledger send", 2, "this ledger is a file of this computer"},
        {NULL, NULL, "ledger export", 2, "choose --csv or --json"},
        {NULL, NULL, "ledger export --csv --json", 2, "choose --csv or --json"},
        {NULL, NULL, "plan app=x", 2, "no board to plan for"},
        {NULL, NULL, "plan --chip turnstone-t2 app=x", 2, "no board to plan for"},
        {NULL, NULL, "plan --chip turnstone-t2 --flash 1GiB app=x", 2,
         "'1GiB' is not a flash size of a Turnstone T2"},
        {NULL, NULL, "identify --wait sometime -l bench:x", 2, "'sometime'"},
    };

    refuse(cases, G_N_ELEMENTS(cases));
    EXPECT(0, "is empty", command("bench", "list", "--bench", scratch_file("nothing"), NULL));
    g_mkdir(scratch_file("hollow"), 0700);
    EXPECT(3, "there is no file in it", command("inspect", scratch_file("hollow"), NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(records_name_line_and_cause),  FACT(layouts_name_line_and_cause),
        FACT(cards_name_line_and_cause),    FACT(tables_of_boards_name_line_and_cause),
        FACT(settings_name_line_and_cause), FACT(boards_of_the_bench_name_line_and_cause),
        FACT(what_was_meant_is_named),      FACT(words_that_make_no_call_are_usage_errors),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
