/* Many boards at once. */
#include "many.h"

#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum {
    BAR_CELLS = 20,
    OTHER_LINES = 3, /* lines of the screen not used for boards */
};

struct many_view {
    const struct app *app;
    struct many_row *rows;
    size_t count;
    size_t drawn;     /* lines on the terminal */
    unsigned columns; /* its width at that time */
    bool terminal, painted;
    size_t link_width;
    char *caption; /* NULL: the totals */
};

struct many_view *many_view_new(const struct app *app, struct many_row *rows, size_t count)
{
    struct many_view *view = g_new0(struct many_view, 1);

    view->app = app;
    view->rows = rows;
    view->count = count;
    view->terminal = isatty(STDERR_FILENO);
    view->painted = view->terminal && app_is_painted();
    for (size_t i = 0; i < count; i++)
        view->link_width = MAX(view->link_width, strlen(rows[i].link));
    view->link_width = MIN(view->link_width, 32);
    return view;
}

static void screen(unsigned *columns, unsigned *lines)
{
    struct winsize size;
    bool known = ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_col >= 40;

    *columns = known ? size.ws_col : 80;
    *lines = known && size.ws_row > OTHER_LINES + 1 ? size.ws_row : 24;
}

static const char *outcome_word(const struct many_row *row)
{
    if (row->outcome == WRY_OUTCOME_DONE && row->done_before)
        return "DONE BEFORE";
    return row->outcome == WRY_OUTCOME_DONE      ? "PASSED"
           : row->outcome == WRY_OUTCOME_STOPPED ? "STOPPED"
                                                 : "FAILED";
}

static double seconds_of(const struct many_row *row)
{
    int64_t end = row->ended > 0 ? row->ended : g_get_monotonic_time();

    return row->begun > 0 ? (double)(end - row->begun) / 1e6 : 0;
}

/* The line of a board as plain text; the caller has the lock. */
static char *line_of(const struct many_view *view, const struct many_row *row)
{
    GString *line = g_string_new(NULL);

    g_string_append_printf(line, "%-*s %-17s %6.1f s  ", (int)view->link_width, row->link,
                           row->board, seconds_of(row));
    if (row->waits) {
        g_string_append(line, "NEXT BOARD");
        return g_string_free(line, FALSE);
    }
    if (row->ended > 0) {
        g_string_append_printf(line, "%-7s", outcome_word(row));
        if (row->who)
            g_string_append_printf(line, " %s", row->who);
        if (row->to_remove)
            g_string_append(line, " - remove the board -");
        if (row->outcome != WRY_OUTCOME_DONE && row->in_step)
            g_string_append_printf(line, " at %s: %s", wry_run_step_name(row->step),
                                   row->words ? row->words : "");
        return g_string_free(line, FALSE);
    }
    g_string_append_printf(line, "%-7s", row->in_step ? wry_run_step_name(row->step) : "waits");
    if (row->total > 0) {
        char cells[BAR_CELLS + 1];
        size_t filled = (size_t)(MIN(row->done, row->total) * BAR_CELLS / row->total);
        memset(cells, '.', BAR_CELLS);
        memset(cells, '=', filled);
        cells[BAR_CELLS] = '\0';
        g_string_append_printf(line, " [%s] %3u %%", cells,
                               (unsigned)(MIN(row->done, row->total) * 100 / row->total));
    }
    if (row->speed > 0)
        g_string_append_printf(line, "  %u baud", (unsigned)row->speed);
    return g_string_free(line, FALSE);
}

/* A line that wrapped would be two, and the next drawing would begin one too low. */
static void put_cut(char *line, const char *paint, unsigned columns)
{
    g_strdelimit(line, "\n", ' ');
    if (g_utf8_strlen(line, -1) >= (glong)columns)
        *g_utf8_offset_to_pointer(line, columns - 1) = '\0';
    fprintf(stderr, "%s%s%s\033[K\n", paint, line, paint[0] ? "\033[0m" : "");
}

static void put_line(const struct many_view *view, const struct many_row *row, const char *line,
                     unsigned columns)
{
    g_autofree char *clean = app_printable(line);
    const char *paint = !view->painted || (row->ended == 0 && !row->waits) ? ""
                        : row->waits                                       ? app_paint(APP_BOLD)
                        : row->outcome == WRY_OUTCOME_DONE                 ? app_paint(APP_GREEN)
                        : row->outcome == WRY_OUTCOME_STOPPED              ? app_paint(APP_AMBER)
                                                                           : app_paint(APP_RED);

    put_cut(clean, paint, columns);
}

struct counts {
    size_t running, passed, failed, done_before;
};

static struct counts count_rows(const struct many_view *view)
{
    struct counts counts = {0};

    for (size_t i = 0; i < view->count; i++) {
        struct many_row *row = &view->rows[i];
        g_mutex_lock(&row->lock);
        counts.running += row->ended == 0;
        bool good = row->ended > 0 && row->outcome == WRY_OUTCOME_DONE;
        counts.done_before += good && row->done_before;
        counts.passed += good && !row->done_before;
        counts.failed += row->ended > 0 && row->outcome != WRY_OUTCOME_DONE;
        g_mutex_unlock(&row->lock);
    }
    return counts;
}

/* If not all boards fit on the screen: failed and running ones come before passed ones. */
static unsigned rank_of(const struct many_row *row)
{
    return row->ended == 0 ? 1 : row->outcome == WRY_OUTCOME_DONE ? 2 : 0;
}

static size_t draw_rank(struct many_view *view, unsigned rank, bool all, size_t room,
                        unsigned columns)
{
    size_t drawn = 0;

    for (size_t i = 0; i < view->count && drawn < room; i++) {
        struct many_row *row = &view->rows[i];
        g_mutex_lock(&row->lock);
        bool shown = all || rank_of(row) == rank;
        g_autofree char *line = shown ? line_of(view, row) : NULL;
        if (shown)
            put_line(view, row, line, columns);
        g_mutex_unlock(&row->lock);
        drawn += shown;
    }
    return drawn;
}

static void draw_screen(struct many_view *view)
{
    struct counts counts = count_rows(view);
    unsigned columns, lines;
    size_t drawn = 0;

    screen(&columns, &lines);
    /* How many rows the lines take after a change of the width depends on the terminal. */
    if (view->drawn > 0 && columns != view->columns)
        fputs("\033[H\033[2J", stderr);
    else if (view->drawn > 0)
        fprintf(stderr, "\033[%zuA\r", view->drawn);
    view->columns = columns;
    size_t room = lines - OTHER_LINES;
    bool all = view->count <= room;
    for (unsigned rank = 0; rank < 3 && drawn < room; rank++) {
        drawn += draw_rank(view, rank, all, room - drawn, columns);
        if (all)
            break;
    }
    g_autofree char *before = counts.done_before > 0
                                  ? g_strdup_printf(", %zu done before", counts.done_before)
                                  : g_strdup("");
    g_autofree char *sums =
        view->caption
            ? g_strdup(view->caption)
            : g_strdup_printf("%zu board%s: %zu running, %zu passed, %zu failed%s%s", view->count,
                              view->count == 1 ? "" : "s", counts.running, counts.passed,
                              counts.failed, before, all ? "" : "; not all are shown here");
    put_cut(sums, "", columns);
    fputs("\033[J", stderr);
    fflush(stderr);
    view->drawn = drawn + 1;
}

static void print_news(struct many_view *view, struct many_row *row)
{
    g_mutex_lock(&row->lock);
    bool ends = row->ended > 0 && !row->told;
    bool steps = row->ended == 0 && !row->waits && row->in_step &&
                 (!row->told_any || row->told_step != row->step);
    if (ends || steps) {
        g_autofree char *line =
            ends ? line_of(view, row)
                 : g_strdup_printf("%-*s %-17s %6.1f s  %s", (int)view->link_width, row->link,
                                   row->board, seconds_of(row), wry_run_step_name(row->step));
        app_note(view->app, "%s", line);
        row->told = ends;
        row->told_step = row->step;
        row->told_any = true;
    }
    g_mutex_unlock(&row->lock);
}

void many_view_draw(struct many_view *view)
{
    if (view->terminal) {
        draw_screen(view);
        return;
    }
    for (size_t i = 0; i < view->count; i++)
        print_news(view, &view->rows[i]);
}

void many_view_set_caption(struct many_view *view, const char *text)
{
    g_free(view->caption);
    view->caption = g_strdup(text);
}

void many_view_hide(struct many_view *view)
{
    if (!view->terminal || view->drawn == 0)
        return;
    fprintf(stderr, "\033[%zuA\r\033[J", view->drawn);
    fflush(stderr);
    view->drawn = 0;
}

void many_view_free(struct many_view *view)
{
    g_free(view->caption);
    g_free(view);
}
