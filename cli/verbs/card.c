/* card: job cards and kits. */
#include "card_verb.h"

#include <json-glib/json-glib.h>
#include <stdio.h>

#include "verbs.h"
#include "views/card_view.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/run_outcome.h"
#include "wrytograph-host/ledger.h"
#include "wrytograph-host/units.h"

static void tell_mistakes(struct app *app, const GPtrArray *mistakes)
{
    for (guint i = 0; i < mistakes->len; i++) {
        const struct wry_diagnostic *mistake = g_ptr_array_index(mistakes, i);
        if (mistake->file && mistake->line > 0)
            app_print(app, "%s:%u:%u: %s.", mistake->file, mistake->line, mistake->column,
                      mistake->text);
        else
            app_print(app, "%s.", mistake->text);
        json_add_object(app->json, json_text("file", mistake->file),
                        json_if(mistake->line > 0, json_number("line", mistake->line)),
                        json_if(mistake->line > 0, json_number("column", mistake->column)),
                        json_text("mistake", mistake->text));
    }
}

/*
 * Finds the trusted keys; *trust stays NULL if any kit is accepted. Card files have no signature:
 * on a computer that trusts keys they may be checked and packed, but not run. False after app_fail.
 */
static bool find_trust(struct app *app, const char *path, const struct card_options *options,
                       char **trust)
{
    bool runs = g_strcmp0(app->rest[0], "run") == 0;
    GError *error = NULL;

    *trust = g_strdup(options->trust);
    if (options->trust || (!runs && !wry_card_is_kit(path)))
        return true;
    if (wry_card_trusted_folder(trust, &error))
        return true;
    explain_error(app, error);
    return false;
}

static int fail_mistakes(struct app *app, guint count)
{
    g_autofree char *what = app_count(count, "mistake");

    return app_fail(app, EXIT_BAD_INPUT, "docs/card.md describes cards.", "%s", what);
}

struct wry_card *card_open_from(struct app *app, const char *path, const char *trust)
{
    g_autoptr(GPtrArray) mistakes = NULL;
    GError *error = NULL;
    struct wry_card *card = wry_card_open(path, trust, &mistakes, &error);

    if (card)
        return card;
    if (error) {
        explain_error(app, error);
        return NULL;
    }
    json_begin_list(app->json, "mistakes");
    tell_mistakes(app, mistakes);
    json_builder_end_array(app->json);
    fail_mistakes(app, mistakes->len);
    return NULL;
}

struct wry_card *card_open(struct app *app, const char *path, const struct card_options *options)
{
    g_autofree char *trust = NULL;

    return find_trust(app, path, options, &trust) ? card_open_from(app, path, trust) : NULL;
}

/* check */

/* Explains a kit's share; "" if it has none. Free with g_free. */
static char *share_words(const struct wry_card_facts *facts)
{
    if (facts->share_of == 0)
        return g_strdup("");
    if (facts->share_of == 1)
        return g_strdup("; for one bench only: it uses every row of its table");
    return g_strdup_printf("; share %u of %u: it uses rows %u, %u, %u … of its table",
                           facts->share_part, facts->share_of, facts->share_part,
                           facts->share_part + facts->share_of,
                           facts->share_part + 2 * facts->share_of);
}

static void print_sound(struct app *app, const char *path, const struct wry_card *card)
{
    struct wry_card_facts facts;
    g_autofree char *name = run_outcome_card(card);
    g_autofree char *sizes = card_view_sizes(card);

    wry_card_get_facts(card, &facts);
    g_autofree char *share = share_words(&facts);
    app_outcome(app, true, "%s: the card '%s' is valid, for a %s with %s of flash%s.", path, name,
                facts.chip->title, sizes, share);
}

/* The number of mistakes in one card; -1 after app_fail. */
static int check_one(struct app *app, const char *path, const struct card_options *options)
{
    g_autofree char *trust = NULL;
    GError *error = NULL;

    if (!find_trust(app, path, options, &trust))
        return -1;
    g_autoptr(GPtrArray) mistakes = wry_card_check(path, trust, &error);
    if (!mistakes) {
        explain_error(app, error);
        return -1;
    }
    tell_mistakes(app, mistakes);
    struct wry_card *card = mistakes->len == 0 ? card_open_from(app, path, trust) : NULL;
    if (card)
        print_sound(app, path, card);
    wry_card_close(card);
    return (int)mistakes->len;
}

static int check(struct app *app, const struct card_options *options)
{
    int count = 0, found = 0;

    json_begin_list(app->json, "mistakes");
    for (char **path = app->rest + 1; *path && found >= 0; path++) {
        found = check_one(app, *path, options);
        count += MAX(found, 0);
    }
    json_builder_end_array(app->json);
    return found < 0 ? app->code : count > 0 ? fail_mistakes(app, (guint)count) : EXIT_DONE;
}

/* pack, keys */

/* The share of rows of the kit; 0 of 0 for a card that hands out none. */
static int parse_share(struct app *app, const struct wry_card *card,
                       const struct card_options *options, unsigned *part, unsigned *of)
{
    static const char why[] =
        "Make a separate kit for each bench: '--share 1/2' uses every second row from the first "
        "on, '--share 2/2' the others. If only one bench will ever use the kit, add --one-bench. "
        "With 'row: by-server' in the card, the ledger's server assigns the rows.";
    struct wry_card_facts facts;
    char after = '\0';

    wry_card_get_facts(card, &facts);
    if (facts.rows_by_server && !options->share && !options->one_bench) {
        *part = *of = 0;
        return EXIT_DONE;
    }
    *part = *of = facts.hands_out_rows && options->one_bench ? 1 : 0;
    if (options->share && options->one_bench)
        return app_fail(app, EXIT_USAGE, why, "--share, and --one-bench");
    if ((options->share || options->one_bench) && !facts.hands_out_rows)
        return app_fail(app, EXIT_USAGE, "Leave the option out.",
                        "this card does not assign rows (boards: {row: next})");
    if (!facts.hands_out_rows || options->one_bench)
        return EXIT_DONE;
    if (!options->share)
        return app_fail(
            app, EXIT_USAGE, why,
            "copies of this kit on two benches would assign the same rows to different boards");
    if (sscanf(options->share, "%3u/%3u%c", part, of, &after) != 2 || *part < 1 || *part > *of)
        return app_fail(app, EXIT_USAGE, why, "--share: '%s' does not have the form K/N",
                        options->share);
    return EXIT_DONE;
}

static int pack(struct app *app, const struct card_options *options)
{
    struct wry_card *card;
    struct wry_card_facts facts;
    unsigned part = 0, of = 0;
    GError *error = NULL;

    if (!options->output)
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph card pack pier.yaml -o pier.zip'.",
                        "no name for the kit: give -o FILE");
    card = card_open(app, app->rest[1], options);
    if (!card)
        return app->code;
    if (parse_share(app, card, options, &part, &of) != EXIT_DONE) {
        wry_card_close(card);
        return app->code;
    }
    gboolean packed = wry_card_pack(card, options->output, options->sign, part, of, &error);
    wry_card_get_facts(card, &facts);
    g_autofree char *share = share_words(&facts);
    wry_card_close(card);
    if (!packed)
        return explain_error(app, error);
    app_outcome(app, true, "Packed: %s, %s%s.", options->output,
                options->sign ? "signed" : "not signed", share);
    return EXIT_DONE;
}

static int make_keys(struct app *app)
{
    g_autofree char *key = NULL;
    const char *name = app->rest[1];
    GError *error = NULL;

    if (!wry_card_make_keys(name, &key, &error))
        return explain_error(app, error);
    g_strchomp(key);
    json_add(app->json, json_text("public_key", key));
    app_print(app, "%s.secret signs kits: keep it private.", name);
    app_print(app, "%s.public goes to every bench, for --trust:\n  %s", name, key);
    return EXIT_DONE;
}

/* run */

static int run_card(struct app *app, const struct card_options *options)
{
    struct wry_card *card = card_open(app, app->rest[1], options);
    g_autoptr(GPtrArray) links = card ? card_links(app, options) : NULL;
    int code;

    if (!links) {
        wry_card_close(card);
        return app->code;
    }
    if (links->len > 0) {
        g_free(app->link);
        app->link = g_strdup(g_ptr_array_index(links, 0));
    }
    if (options->each && (links->len > 1 || options->links || options->adapters))
        code = card_run_each_many(app, card, links, options);
    else if (options->each)
        code = card_run_each(app, card, options);
    else if (links->len > 1 || options->links || options->adapters)
        code = card_run_many(app, card, links, options);
    else
        code = card_run_one(app, card, options);
    station_end(app);
    wry_card_close(card);
    return code;
}

static int run(struct app *app, void *values)
{
    const struct card_options *options = values;
    const char *what = app->rest[0];
    bool one = app->rest[0] && app->rest[1] && !app->rest[2];

    if (g_strcmp0(what, "check") == 0 && app->rest[1])
        return check(app, options);
    if (g_strcmp0(what, "run") == 0 && one)
        return run_card(app, options);
    if (g_strcmp0(what, "pack") == 0 && one)
        return pack(app, options);
    if (g_strcmp0(what, "keys") == 0 && one)
        return make_keys(app);
    return app_fail(app, EXIT_USAGE, "See 'wrytograph card --help'.",
                    what ? "'card' takes check, run or pack and a card, or keys and a name"
                         : "choose check, run, pack or keys");
}

#define AT(member) offsetof(struct card_options, member)

static const struct option own[] = {
    OPTION(FLAG, "each", each, NULL,
           "run: on one board after another, at each of the links; Ctrl-C ends"),
    OPTION(FLAG, "failed", failed, NULL, "run: only boards of the lot that failed"),
    OPTION(TEXTS, "only", only, "ROW",
           "run: only boards with this row of the table: its line, lines such as 5-8, its name or "
           "its board's address; may be repeated"),
    OPTION(FILE, "links", links, "FILE", "run: on all links in this file, one per line"),
    OPTION(TEXT, "adapters", adapters, "VENDOR:PRODUCT",
           "run: on every port with this adapter, as 'ports' lists them, or 'all'"),
    OPTION(
        TEXT, "lot", lot, "NAME",
        "run: the lot that the boards belong to in the ledger; default for a card with 'boards': "
        "its name and version"),
    OPTION(FLAG, "again", again, NULL, "run: even on a board that had the card as often as it may"),
    OPTION(FLAG, "bell", bell, NULL,
           "run --each: ring the bell after each board, three times if it failed"),
    OPTION(FILE, "logs", logs, "FOLDER",
           "run: folder for a log of each board; with several boards there always is one, by "
           "default in the user's state folder"),
    OPTION(FILE, "trust", trust, "KEYS",
           "Accept only kits signed by a key in this file or folder; default: "
           "~/.config/wrytograph/trusted, if it exists"),
    OPTION(FILE, "output", output, "FILE", "pack: the kit", .brief = 'o'),
    OPTION(TEXT, "share", share, "K/N",
           "pack, for a card with 'rows: next': the kit uses every N-th row, from the K-th on"),
    OPTION(FLAG, "one-bench", one_bench, NULL,
           "pack, for such a card: the kit is for one bench only, and uses all rows"),
    OPTION(FILE, "sign", sign, "FILE", "pack: sign it with this secret key"),
    {.name = NULL},
};

const struct verb verb_card = {
    .name = "card",
    .summary = "run a job card on one board, on many, or on one after another",
    .usage = "check CARD… | run CARD | pack CARD | keys NAME",
    .examples = {"wrytograph card check pier-gauges.yaml",
                 "wrytograph card run pier-gauges.yaml --each"},
    .usual = {"link", "each", "failed", "lot", "dry-run"},
    .description =
        "A card is a YAML file with one job that is repeated board by board:\n"
        "its boards, the backup, what is erased and written, the settings of each board,\n"
        "and what the board must print after the start (docs/card.md). A kit is a card\n"
        "with all its files in one ZIP, signed or not.\n"
        "  check  finds all mistakes, without a board\n"
        "  run    runs it; the last line is PASSED, or FAILED and the step\n"
        "  pack   makes a kit\n"
        "  keys   makes a key pair to sign kits with",
    .options = APP_LINK | APP_LINKS | APP_DRY_RUN | APP_KNOWN | APP_LEDGER,
    .own = own,
    .size = sizeof(struct card_options),
    .run = run,
};
