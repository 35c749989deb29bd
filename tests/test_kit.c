/* Kits: the same bytes for the same content, signatures, and whatever was altered. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>
#include <zip.h>

#include "cards.h"
#include "command.h"
#include "harness.h"

static void make_card(void)
{
    cards_make("set: {pier: Q}\n");
    /* Files in a folder, a folder as it is, settings with a file of their own and a secret one. */
    CHECK_EQUAL(0, g_mkdir_with_parents(scratch_file("site/img"), 0755));
    scratch_text("site/index.html", "<h1>Pier Q</h1>\n");
    scratch_text("site/img/a.txt", "a\n");
    scratch_text("note.txt", "dry at low water\n");
    scratch_text("wifi.txt", "fair winds and no drift\n");
    scratch_text("pier.yaml", "settings:\n"
                              "  gauge: 1\n"
                              "  pier: A\n"
                              "  note: {file: note.txt}\n"
                              "  wifi_key: {file: wifi.txt, secret: true}\n");
    size_t n = 0;
    g_autofree char *text = (char *)scratch_read("card.yaml", &n);
    g_autofree char *more =
        g_strconcat("card: Pier gauges\nversion: 3\nchip: turnstone-t2\nflash: 4MiB\n"
                    "backup: {when: first, folder: backups}\nwrite:\n"
                    "  - {region: start, file: start.bin}\n"
                    "  - {region: table, file: regions.bin}\n"
                    "  - {region: app, file: gauge.bin}\n"
                    "  - {region: calibration, file: pier.yaml}\n"
                    "  - {region: log, file: site}\n"
                    "start: {steps: steps.yaml}\n",
                    NULL);
    scratch_text("card.yaml", more);
    scratch_text("steps.yaml", "steps:\n  - {send: settings, expect: note = dry at low water}\n");
}

static struct said pack(const char *name, const char *key)
{
    return key ? command("card", "pack", scratch_file("card.yaml"), "-o", scratch_file(name),
                         "--sign", scratch_file(key), NULL)
               : command("card", "pack", scratch_file("card.yaml"), "-o", scratch_file(name), NULL);
}

/* Once: signed.zip by the key harbour, foreign.zip by the key creek, and plain.zip by none. */
static void make_kits(void)
{
    make_card();
    if (g_file_test(scratch_file("signed.zip"), G_FILE_TEST_EXISTS))
        return;
    EXPECT(0, "", command("card", "keys", scratch_file("harbour"), NULL));
    EXPECT(0, "", command("card", "keys", scratch_file("creek"), NULL));
    EXPECT(0, "signed", pack("signed.zip", "harbour.secret"));
    EXPECT(0, "", pack("plain.zip", NULL));
    EXPECT(0, "", pack("foreign.zip", "creek.secret"));
}

static bool same_files(const char *a, const char *b)
{
    size_t n = 0, m = 0;
    g_autofree uint8_t *x = scratch_read(a, &n), *y = scratch_read(b, &m);

    return x && y && n == m && memcmp(x, y, n) == 0;
}

static void the_same_content_gives_the_same_bytes(void)
{
    make_card();
    EXPECT(0, "Packed: ", pack("a.zip", NULL));
    /* Other times, and another place: the bytes stay. */
    struct said said = run_program("touch", "-d", "2001-01-01", scratch_file("gauge.bin"),
                                   scratch_file("card.yaml"), NULL);
    CHECK_EQUAL(0, said.code);
    EXPECT(0, "Packed: ", pack("b.zip", NULL));
    CHECK(same_files("a.zip", "b.zip"));
    scratch_text("site/index.html", "<h1>Pier R</h1>\n");
    EXPECT(0, "", pack("b.zip", NULL));
    CHECK(!same_files("a.zip", "b.zip"));
    scratch_text("site/index.html", "<h1>Pier Q</h1>\n");
    /* Any unzip reads it; each content is there by its SHA-256; no secret is. */
    EXPECT(0, "No errors detected", run_program("unzip", "-t", scratch_file("a.zip"), NULL));
    said = run_program("sha256sum", scratch_file("gauge.bin"), NULL);
    g_autofree char *digest = g_strndup(said.out, 64);
    EXPECT(0, digest, run_program("unzip", "-l", scratch_file("a.zip"), NULL));
    said = run_program("unzip", "-p", scratch_file("a.zip"), NULL);
    CHECK(!strstr(said.out, "fair winds"));
}

static void a_kit_runs_where_its_files_are_not(void)
{
    CHECK_EQUAL(0, g_mkdir_with_parents(scratch_file("bench-2"), 0755));
    make_card();
    EXPECT(0, "Packed: ", pack("bench-2/a.zip", NULL));
    scratch_add_gauge("gauge-1");
    g_setenv("WRYTOGRAPH_LINK", "bench:gauge-1", TRUE);
    /* The secret file belongs beside the kit. */
    EXPECT(3, "wifi.txt", command("card", "run", scratch_file("bench-2/a.zip"), NULL));
    scratch_text("bench-2/wifi.txt", "fair winds and no drift\n");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("bench-2/a.zip"), NULL));
    EXPECT(0, "pier = A", command("identify", NULL));
    g_autofree char *kit = cards_ledger("kit_sha256");
    CHECK_EQUAL(64, strlen(kit));
    EXPECT(0, kit, command("inspect", scratch_file("bench-2/a.zip"), NULL));
    struct said said = command("inspect", scratch_file("bench-2/a.zip"), NULL);
    EXPECT(0, "a kit, not signed", said);
    CHECK(says(&said, "Pier gauges 3") && says(&said, "site"));
    /* The backup is not: it lies beside the kit, and is known of. */
    g_autofree char *backup = cards_ledger("backup_file");
    g_autofree char *folder = g_build_filename(scratch(), "bench-2", "backups", "", NULL);
    CHECK(g_str_has_prefix(backup, folder));
    EXPECT(0, "02:57:B8:FE:82:F1", command("inspect", backup, NULL));
    EXPECT(0, "backups/0257B8FE82F1", command("identify", NULL));
    /* What was unpacked is gone. */
    said = run_program("sh", "-c", "ls -d ${TMPDIR:-/tmp}/.wrytograph-kit-* 2>/dev/null | wc -l",
                       NULL);
    CHECK(strcmp(said.out, "0\n") == 0);
}

static void a_kit_holds_no_secrets(void)
{
    make_card();
    scratch_text("secret.yaml", "card: Secret\nchip: turnstone-t2\nflash: 4MiB\n"
                                "write: [{region: calibration, file: pier.yaml}]\n"
                                "boards: {file: secret.csv, row: next}\n");
    scratch_text("secret.csv", "pier,wifi_key\nA,drift wood\n");
    EXPECT(3, "secret.csv: 'wifi_key' is a secret setting, and kits contain no secrets",
           command("card", "pack", scratch_file("secret.yaml"), "-o", scratch_file("x.zip"),
                   "--one-bench", NULL));
    scratch_text("secret.yaml", "card: Secret\nchip: turnstone-t2\nflash: 4MiB\n"
                                "write: [{region: calibration, file: pier.yaml}]\n"
                                "set: {wifi_key: drift wood}\n");
    EXPECT(3, "secret.yaml:5:7: 'wifi_key' is secret",
           command("card", "check", scratch_file("secret.yaml"), NULL));
}

static void keys_are_made_once(void)
{
    struct said said = command("card", "keys", scratch_file("jetty"), NULL);

    EXPECT(0, "wrytograph public key 1: ", said);
    GStatBuf info;
    CHECK(g_stat(scratch_file("jetty.secret"), &info) == 0 && (info.st_mode & 077) == 0);
    EXPECT(2, "jetty.secret", command("card", "keys", scratch_file("jetty"), NULL));
}

static struct said check_trusted(const char *kit, const char *trust)
{
    return command("card", "check", scratch_file(kit), "--trust", scratch_file(trust), NULL);
}

static void only_trusted_kits_are_taken(void)
{
    make_kits();
    EXPECT(0, "is valid", check_trusted("signed.zip", "harbour.public"));
    EXPECT(3, "not signed, but only kits signed by a key of",
           check_trusted("plain.zip", "harbour.public"));
    EXPECT(3, "which is not among those of", check_trusted("foreign.zip", "harbour.public"));
    EXPECT(3, "a card file has no signature", check_trusted("card.yaml", "harbour.public"));
    EXPECT(3, "this is not a public key", check_trusted("signed.zip", "card.yaml"));
    EXPECT(3, "No such file", check_trusted("signed.zip", "none.public"));
    /* A folder of keys; and the one of the configuration, without being told. */
    g_autofree char *folder =
        g_build_filename(g_getenv("XDG_CONFIG_HOME"), "wrytograph", "trusted", NULL);
    CHECK_EQUAL(0, g_mkdir_with_parents(folder, 0755));
    g_autofree char *key = g_build_filename(folder, "creek.public", NULL);
    CHECK_EQUAL(0, g_rename(scratch_file("creek.public"), key));
    EXPECT(0, "is valid", command("card", "check", scratch_file("foreign.zip"), NULL));
    EXPECT(3, "which is not among those of",
           command("card", "check", scratch_file("signed.zip"), NULL));
    EXPECT(3, "not signed", command("card", "run", scratch_file("plain.zip"), NULL));
    EXPECT(3, "a card file has no signature",
           command("card", "run", scratch_file("card.yaml"), NULL));
    CHECK_EQUAL(0, g_unlink(key));
    EXPECT(3, "not signed", command("card", "check", scratch_file("plain.zip"), NULL));
    CHECK_EQUAL(0, g_rmdir(folder));
    EXPECT(3, "sign with the secret one, NAME.secret", pack("x.zip", "harbour.public"));
}

/* What stands in the place of the folder of trusted keys and is none lets nothing pass. */
static void trust_that_cannot_be_read_trusts_nothing(void)
{
    g_autofree char *folder =
        g_build_filename(g_getenv("XDG_CONFIG_HOME"), "wrytograph", "trusted", NULL);
    g_autofree char *stray = g_build_filename(folder, "creek.pub", NULL);
    g_autofree char *key = NULL, *parent = g_path_get_dirname(folder);

    make_kits();
    CHECK_EQUAL(0, g_mkdir_with_parents(parent, 0755));
    CHECK(g_file_get_contents(scratch_file("harbour.public"), &key, NULL, NULL));
    CHECK(g_file_set_contents(folder, key, -1, NULL));
    EXPECT(3, "this must be a folder of trusted keys",
           command("card", "check", scratch_file("plain.zip"), NULL));
    EXPECT(3, "this must be a folder of trusted keys",
           command("card", "run", scratch_file("foreign.zip"), NULL));
    CHECK_EQUAL(0, g_unlink(folder));
    CHECK_EQUAL(0, symlink("nowhere", folder));
    EXPECT(3, "trusted: No such file or directory",
           command("card", "run", scratch_file("plain.zip"), NULL));
    CHECK_EQUAL(0, g_unlink(folder));
    CHECK_EQUAL(0, symlink("trusted", folder));
    EXPECT(3, "trusted: Too many levels of symbolic links",
           command("card", "run", scratch_file("plain.zip"), NULL));
    CHECK_EQUAL(0, g_unlink(folder));
    CHECK_EQUAL(0, g_mkdir(folder, 0755));
    CHECK(g_file_set_contents(stray, key, -1, NULL));
    EXPECT(3, "creek.pub: only files of public keys, named NAME.public, may be here",
           command("card", "check", scratch_file("signed.zip"), NULL));
    CHECK_EQUAL(0, g_unlink(stray));
    CHECK_EQUAL(0, g_rmdir(folder));
}

/* Their text has no signature yet: checking and packing it is how it gets one. */
static void authors_check_and_sign_their_own_cards_where_keys_are_trusted(void)
{
    g_autofree char *folder =
        g_build_filename(g_getenv("XDG_CONFIG_HOME"), "wrytograph", "trusted", NULL);
    g_autofree char *own = g_build_filename(folder, "harbour.public", NULL), *key = NULL;

    make_kits();
    CHECK(g_file_get_contents(scratch_file("harbour.public"), &key, NULL, NULL));
    CHECK_EQUAL(0, g_mkdir_with_parents(folder, 0755));
    CHECK(g_file_set_contents(own, key, -1, NULL));
    EXPECT(0, "is valid", command("card", "check", scratch_file("card.yaml"), NULL));
    EXPECT(0, "signed", pack("own.zip", "harbour.secret"));
    EXPECT(0, "is valid", command("card", "check", scratch_file("own.zip"), NULL));
    EXPECT(3, "'wrytograph card pack --sign' makes a kit from it",
           command("card", "run", scratch_file("card.yaml"), NULL));
    EXPECT(3, "which is not among those of",
           command("card", "pack", scratch_file("foreign.zip"), "-o", scratch_file("again.zip"),
                   "--sign", scratch_file("harbour.secret"), NULL));
    CHECK_EQUAL(0, g_unlink(own));
    CHECK_EQUAL(0, g_rmdir(folder));
}

/* Takes the kit apart and puts it together with one member changed, or one more. */
static void alter(const char *kit, const char *member, const char *text, const char *to)
{
    zip_t *zip;
    int code = 0;
    size_t n = 0;
    g_autofree uint8_t *bytes = scratch_read(kit, &n);

    scratch_write(to, bytes, n);
    zip = zip_open(scratch_file(to), 0, &code);
    zip_source_t *source = zip_source_buffer(zip, text, strlen(text), 0);
    CHECK(zip_file_add(zip, member, source, ZIP_FL_OVERWRITE) >= 0);
    CHECK_EQUAL(0, zip_close(zip));
}

static char *list_of(const char *kit)
{
    struct said said = run_program("unzip", "-p", scratch_file(kit), "kit.json", NULL);

    return g_strdup(said.out);
}

static char *replaced(const char *text, const char *from, const char *to)
{
    GString *string = g_string_new(text);

    CHECK(g_string_replace(string, from, to, 1) == 1);
    return g_string_free(string, FALSE);
}

static void altered_kits_are_refused(void)
{
    make_kits();
    g_autofree char *list = list_of("signed.zip");
    g_autofree char *path =
        replaced(list, "\"path\" : \"gauge.bin\"", "\"path\" : \"../gauge.bin\"");
    g_autofree char *absolute = replaced(list, "\"path\" : \"start.bin\"", "\"path\" : \"/etc/x\"");
    g_autofree char *newer = replaced(list, "\"kit\" : 1", "\"kit\" : 3");
    g_autofree char *large = replaced(list, "\"bytes\" : 921696", "\"bytes\" : 1921696");
    const char *digest_at = strstr(list, "\"sha256\" : \"") + 12;
    g_autofree char *digest = g_strndup(digest_at, 64);
    g_autofree char *content = g_strconcat("content/", digest, NULL);

    /* With a signature, it does not fit any more; without, each lie is found by itself. */
    alter("signed.zip", "kit.json", path, "bad.zip");
    EXPECT(3, "altered since it was signed",
           command("card", "check", scratch_file("bad.zip"), NULL));
    alter("signed.zip", "kit.sig.json", "{}", "bad.zip");
    EXPECT(3, "altered since it was signed",
           command("card", "check", scratch_file("bad.zip"), NULL));
    alter("signed.zip", "kit.sig.json", "{\"key\": [], \"signature\": {}}", "bad.zip");
    struct said odd = command("card", "check", scratch_file("bad.zip"), NULL);
    EXPECT(3, "altered since it was signed", odd);
    CHECK(!strstr(odd.err, "CRITICAL"));
    alter("plain.zip", "kit.json", "{\"kit\": [1], \"card\": {\"bytes\": []}}", "bad.zip");
    odd = command("card", "check", scratch_file("bad.zip"), NULL);
    EXPECT(3, "its list is invalid", odd);
    CHECK(!strstr(odd.err, "CRITICAL"));
    alter("signed.zip", content, "something else", "bad.zip");
    EXPECT(3, "damaged: '", check_trusted("bad.zip", "harbour.public"));
    alter("plain.zip", "kit.json", path, "bad.zip");
    EXPECT(3, "its list is invalid", command("card", "check", scratch_file("bad.zip"), NULL));
    alter("plain.zip", "kit.json", absolute, "bad.zip");
    EXPECT(3, "its list is invalid", command("card", "check", scratch_file("bad.zip"), NULL));
    alter("plain.zip", "kit.json", newer, "bad.zip");
    EXPECT(3, "made by a newer version", command("card", "check", scratch_file("bad.zip"), NULL));
    alter("plain.zip", "kit.json", large, "bad.zip");
    EXPECT(3, "is missing or does not match the kit's list",
           command("card", "check", scratch_file("bad.zip"), NULL));
    alter("plain.zip", "kit.json", "[[[[", "bad.zip");
    EXPECT(3, "its list is invalid", command("card", "check", scratch_file("bad.zip"), NULL));
    size_t n = 0;
    g_autofree uint8_t *bytes = scratch_read("plain.zip", &n);
    scratch_write("cut.zip", bytes, n - 100);
    EXPECT(3, "not a whole ZIP file", command("card", "check", scratch_file("cut.zip"), NULL));
    /* Nothing of them was left unpacked. */
    struct said said = run_program(
        "sh", "-c", "ls -d ${TMPDIR:-/tmp}/.wrytograph-kit-* 2>/dev/null | wc -l", NULL);
    CHECK(strcmp(said.out, "0\n") == 0);
}

static void a_kit_holds_what_was_on_the_shelf(void)
{
    scratch_use_gauge("shelved", "none");
    EXPECT(0, "Added to the shelf", command("shelf", "add", scratch_file("gauge.bin"), NULL));
    scratch_text("shelf.yaml", "card: From the shelf\nchip: turnstone-t2\nflash: 4MiB\n"
                               "write: [{region: app, shelf: tide-gauge 2.3.1}]\n");
    EXPECT(0, "is valid", command("card", "check", scratch_file("shelf.yaml"), NULL));
    EXPECT(
        0, "Packed",
        command("card", "pack", scratch_file("shelf.yaml"), "-o", scratch_file("shelf.zip"), NULL));
    EXPECT(0, "", command("shelf", "remove", "tide-gauge", "2.3.1", NULL));
    EXPECT(3, "shelf.yaml:4:", command("card", "check", scratch_file("shelf.yaml"), NULL));
    EXPECT(0, "PASSED", command("card", "run", scratch_file("shelf.zip"), NULL));
    EXPECT(2, "there is no 'tide-gauge 2.3.1' on the shelf",
           command("card", "pack", scratch_file("shelf.yaml"), "-o", scratch_file("x.zip"), NULL));
}

/* A kit is never written to: the rows that boards took stand beside it. */
static void rows_of_a_kit_stand_beside_it(void)
{
    scratch_text("rows.yaml", "card: Rows\nchip: turnstone-t2\nflash: 4MiB\n"
                              "boards: {file: rows.csv, row: next}\n");
    scratch_text("rows.csv", "datum_mm\n-1801\n-1802\n");
    EXPECT(
        2, "copies of this kit on two benches would assign the same rows to different boards",
        command("card", "pack", scratch_file("rows.yaml"), "-o", scratch_file("rows.zip"), NULL));
    EXPECT(0, "for one bench only",
           command("card", "pack", scratch_file("rows.yaml"), "-o", scratch_file("rows.zip"),
                   "--one-bench", NULL));
    CHECK_EQUAL(0, g_unlink(scratch_file("rows.csv")));
    scratch_use_gauge("row-1", "none");
    /* A dry run makes no table and claims no row. */
    EXPECT(0, "Nothing was changed",
           command("card", "run", "--dry-run", scratch_file("rows.zip"), NULL));
    CHECK(!g_file_test(scratch_file("rows.boards.csv"), G_FILE_TEST_EXISTS));
    EXPECT(0, "PASSED", command("card", "run", scratch_file("rows.zip"), NULL));
    scratch_use_gauge("row-2", "none");
    EXPECT(0, "PASSED", command("card", "run", scratch_file("rows.zip"), NULL));
    EXPECT(0, "datum_mm = -1802", command("identify", NULL));
    size_t n = 0;
    g_autofree char *table = (char *)scratch_read("rows.boards.csv", &n);
    CHECK(table && strstr(table, "-1801,02:") && strstr(table, "-1802,02:"));
}

/* Two benches that share nothing: each kit hands out its own rows. */
static void shares_of_a_kit_have_no_row_in_common(void)
{
    static const char *const shares[] = {"1/2", "2/2"};

    make_card();
    scratch_text("rows.csv", "gauge,datum_mm\n1,-1801\n2,-1802\n3,-1803\n");
    scratch_text("rows.yaml", "card: Rows\nchip: turnstone-t2\nflash: 4MiB\n"
                              "boards: {file: rows.csv, row: next}\n");
    for (unsigned i = 0; i < 2; i++) {
        g_autofree char *kit = g_strdup_printf("share-%u.zip", i + 1);
        g_autofree char *words =
            g_strdup_printf("share %u of 2: it uses rows %u, %u", i + 1, i + 1, i + 3);
        EXPECT(0, words,
               command("card", "pack", scratch_file("rows.yaml"), "-o", scratch_file(kit),
                       "--share", shares[i], NULL));
        EXPECT(0, words, command("card", "check", scratch_file(kit), NULL));
        for (unsigned k = 0; k + i < 2; k++) {
            g_autofree char *name = g_strdup_printf("share-%u-%u", i, k);
            g_autofree char *datum = g_strdup_printf("datum_mm = -180%u", 1 + i + 2 * k);
            scratch_use_gauge(name, "none");
            EXPECT(0, "PASSED", command("card", "run", scratch_file(kit), NULL));
            EXPECT(0, datum, command("identify", NULL));
        }
    }
    scratch_use_gauge("share-left", "none");
    EXPECT(3, "no row of this kit's share (2 of 2) is free",
           command("card", "run", scratch_file("share-2.zip"), NULL));
    EXPECT(2, "'3/2' does not have the form K/N",
           command("card", "pack", scratch_file("rows.yaml"), "-o", scratch_file("x.zip"),
                   "--share", "3/2", NULL));
    EXPECT(2, "this card does not assign rows",
           command("card", "pack", scratch_file("card.yaml"), "-o", scratch_file("x.zip"),
                   "--share", "1/2", NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(the_same_content_gives_the_same_bytes),
        FACT(a_kit_runs_where_its_files_are_not),
        FACT(a_kit_holds_no_secrets),
        FACT(keys_are_made_once),
        FACT(only_trusted_kits_are_taken),
        FACT(trust_that_cannot_be_read_trusts_nothing),
        FACT(authors_check_and_sign_their_own_cards_where_keys_are_trusted),
        FACT(altered_kits_are_refused),
        FACT(a_kit_holds_what_was_on_the_shelf),
        FACT(rows_of_a_kit_stand_beside_it),
        FACT(shares_of_a_kit_have_no_row_in_common)};
    scratch_make_images();
    int failed = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);

    scratch_remove();
    return failed;
}
