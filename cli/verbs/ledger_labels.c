/* ledger label, labels: labels of boards that passed a card. */
#include <stdio.h>
#include <string.h>

#include "ledger_verb.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/label.h"
#include "views/label_sheet.h"
#include "views/output_file.h"

enum {
    GRID_MOST = 40, /* columns or rows */
};

/* The text of the user's template; NULL if there is none. */
static int read_template(struct app *app, const char *path, char **text)
{
    GError *error = NULL;

    if (!path)
        return EXIT_DONE;
    if (!g_file_get_contents(path, text, NULL, &error))
        return explain_error(app, error);
    if (g_utf8_validate(*text, -1, NULL))
        return EXIT_DONE;
    g_clear_pointer(text, g_free);
    return app_fail(app, EXIT_BAD_INPUT, "A template is an SVG file with marks (docs/ledger.md).",
                    "%s: this is not text in UTF-8", path);
}

static int fail_template(struct app *app, const struct ledger_options *options, GError *error)
{
    app_fail(app, EXIT_BAD_INPUT, "docs/ledger.md describes templates of labels.", "%s: %s",
             options->template ? options->template : "label.svg", error->message);
    g_error_free(error);
    return app->code;
}

/* Writes one file. */
static bool write_file(const char *path, const char *text, gsize n, GError **error)
{
    struct output_file output;

    if (!output_file_begin(&output, path, error))
        return false;
    fwrite(text, 1, n, output.to);
    return output_file_end(&output, true, error);
}

static bool is_pdf(const char *path)
{
    return path && (g_str_has_suffix(path, ".pdf") || g_str_has_suffix(path, ".PDF"));
}

static bool write_pdf(const char *path, const GPtrArray *pages, GError **error)
{
    gsize n = 0;
    g_autofree char *pdf = label_sheet_pdf(pages, &n, error);

    return pdf && write_file(path, pdf, n, error);
}

/* Several pages as SVG are several files: NAME-1.svg, NAME-2.svg and so on. */
static bool write_pages(const char *path, const GPtrArray *pages, GError **error)
{
    bool good = true;

    if (is_pdf(path))
        return write_pdf(path, pages, error);
    for (guint i = 0; i < pages->len && good; i++) {
        const char *page = g_ptr_array_index(pages, i);
        const char *dot = path ? strrchr(path, '.') : NULL;
        g_autofree char *name =
            !path || pages->len == 1
                ? g_strdup(path)
                : g_strdup_printf("%.*s-%u%s", (int)(dot ? dot - path : (ptrdiff_t)strlen(path)),
                                  path, i + 1, dot ? dot : "");
        good = write_file(name, page, strlen(page), error);
    }
    return good;
}

int ledger_label(struct app *app, struct wry_ledger *ledger, const char *board,
                 const struct ledger_options *options)
{
    g_autofree char *address = g_strdup(board), *template = NULL;
    struct wry_ledger_filter filter = {.outcome = "passed", .kind = "card", .most = 1};
    GError *error = NULL;
    int code = ledger_filter_board(app, ledger, &address);

    if (code == EXIT_DONE)
        code = read_template(app, options->template, &template);
    if (code != EXIT_DONE)
        return code;
    filter.board = address;
    filter.card = options->card;
    g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
    if (!runs)
        return ledger_fail_read(app, ledger, error);
    if (runs->len == 0)
        return app_fail(app, EXIT_WRONG, "A label says that a board passed: run the card first.",
                        "no passed card of board %s is recorded", address);
    char *svg = label_svg(g_ptr_array_index(runs, 0), template, &error);
    if (!svg)
        return fail_template(app, options, error);
    g_autoptr(GPtrArray) pages = g_ptr_array_new_with_free_func(g_free);
    g_ptr_array_add(pages, svg);
    if (!write_pages(options->output, pages, &error))
        return explain_error(app, error);
    if (options->output)
        app_print(app, "Label of board %s: %s", address, options->output);
    return EXIT_DONE;
}

/* labels */

static int parse_grid(struct app *app, const struct ledger_options *options,
                      struct label_grid *grid)
{
    guint64 first = 1;
    char *end = NULL;
    int used = 0;

    *grid = (struct label_grid){.columns = 3, .rows = 8};
    if (options->grid &&
        (sscanf(options->grid, "%3ux%3u%n", &grid->columns, &grid->rows, &used) != 2 ||
         options->grid[used] != '\0' || grid->columns < 1 || grid->rows < 1 ||
         grid->columns > GRID_MOST || grid->rows > GRID_MOST))
        return app_fail(app, EXIT_USAGE, "Write it as COLUMNSxROWS, such as 3x8.",
                        "--grid: '%s' is not a grid", options->grid);
    if (options->margin)
        grid->margin = g_ascii_strtod(options->margin, &end);
    if (options->margin && (end == options->margin || (*end && strcmp(end, "mm") != 0) ||
                            !(grid->margin >= 0 && grid->margin <= 50)))
        return app_fail(app, EXIT_USAGE, "Give 0 to 50 mm.", "--margin: '%s' is not a margin",
                        options->margin);
    if (options->first &&
        !g_ascii_string_to_unsigned(options->first, 10, 1, (guint64)grid->columns * grid->rows,
                                    &first, NULL))
        return app_fail(app, EXIT_USAGE, "Places are counted row by row, from 1 on.",
                        "--first: '%s' is not a place of this grid", options->first);
    grid->first = (unsigned)first;
    return EXIT_DONE;
}

struct sheet {
    struct label_grid grid;
    char *template; /* text of the user's; NULL = none */
};

/* What a sheet is made from. */
struct selection {
    GPtrArray *runs;    /* the latest pass of each board */
    GHashTable *boards; /* seen already */
    GHashTable *labels; /* board to the time of its latest label */
    guint had;          /* boards left out, since they have one */
    bool again;
};

static bool take_label(void *context, const struct wry_ledger_run *run)
{
    struct selection *selection = context;

    if (run->board && !g_hash_table_contains(selection->labels, run->board))
        g_hash_table_insert(selection->labels, g_strdup(run->board), g_strdup(run->began));
    return true;
}

static bool take_pass(void *context, const struct wry_ledger_run *run)
{
    struct selection *selection = context;
    const char *label = run->board ? g_hash_table_lookup(selection->labels, run->board) : NULL;

    if (!run->board || g_hash_table_contains(selection->boards, run->board))
        return true;
    g_hash_table_add(selection->boards, g_strdup(run->board));
    if (label && !selection->again && strcmp(label, run->began) > 0)
        selection->had++;
    else
        g_ptr_array_add(selection->runs, wry_ledger_run_copy(run));
    return true;
}

static int by_row(const void *a, const void *b)
{
    const struct wry_ledger_run *x = *(const struct wry_ledger_run *const *)a;
    const struct wry_ledger_run *y = *(const struct wry_ledger_run *const *)b;

    if (x->lot_row != y->lot_row)
        return x->lot_row < y->lot_row ? -1 : 1;
    return strcmp(x->board, y->board);
}

static bool select_boards(struct wry_ledger *ledger, const struct wry_ledger_filter *given,
                          struct selection *selection, GError **error)
{
    struct wry_ledger_filter passed = *given;
    struct wry_ledger_filter labels = {.kind = "label", .lot = given->lot, .brief = true};

    passed.outcome = "passed";
    passed.kind = "card";
    passed.brief = true;
    bool good = wry_ledger_each(ledger, &labels, take_label, selection, error) &&
                wry_ledger_each(ledger, &passed, take_pass, selection, error);
    g_ptr_array_sort(selection->runs, by_row);
    return good;
}

static int write_sheet(struct app *app, const GPtrArray *runs, const struct ledger_options *options,
                       const struct sheet *sheet)
{
    g_autoptr(GPtrArray) labels = g_ptr_array_new_with_free_func(g_free);
    GError *error = NULL;

    for (guint i = 0; i < runs->len; i++) {
        char *svg = label_svg(g_ptr_array_index(runs, i), sheet->template, &error);
        if (!svg)
            return fail_template(app, options, error);
        g_ptr_array_add(labels, svg);
    }
    g_autoptr(GPtrArray) pages = label_sheet_pages(labels, &sheet->grid, &error);
    if (!pages)
        return fail_template(app, options, error);
    if (!write_pages(options->output, pages, &error))
        return explain_error(app, error);
    g_autofree char *count = app_count(runs->len, "label"),
                    *sheets = app_count(pages->len, "sheet");
    json_add(app->json, json_number("labels", runs->len), json_number("sheets", pages->len));
    app_outcome(app, true, "%s on %s: %s", count, sheets, options->output);
    return EXIT_DONE;
}

/* So that the next sheet has only labels of boards that have none. */
static void record(const struct app *app, struct wry_ledger *ledger, const GPtrArray *runs)
{
    g_autoptr(GError) error = NULL;

    if (!wry_ledger_add_labels(ledger, runs, &error))
        app_note(app, "Note: that these labels were made is not recorded: %s.", error->message);
}

static int make_sheet(struct app *app, struct wry_ledger *ledger, const struct selection *selection,
                      const struct ledger_options *options, const struct sheet *sheet)
{
    if (selection->runs->len == 0 && selection->had == 0)
        return app_fail(app, EXIT_WRONG, "A label says that a board passed: run the card first.",
                        "no passed card of such a board is recorded");
    if (selection->runs->len == 0) {
        g_autofree char *boards = app_count(selection->had, "board");
        return app_fail(app, EXIT_WRONG, "--again makes them once more.",
                        "nothing to print: %s %s a label already", boards,
                        selection->had == 1 ? "has" : "have");
    }
    int code = write_sheet(app, selection->runs, options, sheet);
    if (code == EXIT_DONE)
        record(app, ledger, selection->runs);
    if (code == EXIT_DONE && selection->had > 0) {
        g_autofree char *boards = app_count(selection->had, "board");
        app_note(app, "%s with a label already left out; --again prints all.", boards);
    }
    return code;
}

int ledger_labels(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options)
{
    struct sheet sheet = {.template = NULL};
    GError *error = NULL;
    int code = parse_grid(app, options, &sheet.grid);

    if (code != EXIT_DONE)
        return code;
    if (!options->output)
        return app_fail(app, EXIT_USAGE, "Such as -o labels.pdf, or .svg.",
                        "no name for the sheet: give -o FILE");
    code = read_template(app, options->template, &sheet.template);
    if (code != EXIT_DONE)
        return code;
    struct selection selection = {
        .runs = g_ptr_array_new_with_free_func((GDestroyNotify)wry_ledger_run_free),
        .boards = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
        .labels = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free),
        .again = options->again};
    code = select_boards(ledger, filter, &selection, &error)
               ? make_sheet(app, ledger, &selection, options, &sheet)
               : ledger_fail_read(app, ledger, error);
    g_free(sheet.template);
    g_ptr_array_unref(selection.runs);
    g_hash_table_unref(selection.boards);
    g_hash_table_unref(selection.labels);
    return code;
}
