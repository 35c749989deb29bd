/* The progress bar on stderr. */
#include "bar.h"

#include <glib.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "remaining.h"

#define DRAW_EVERY 100000u /* us on the port's clock */
#define NARROWEST 40u
#define CELLS_LEAST 14u

static const char clear_line[] = "\r\033[K";

struct bar {
    char label[24];
    enum wry_step step;
    uint64_t begun, drawn;
    uint64_t done, total;
    struct remaining remaining;
    double expected; /* s that the rest will take, by the cost model; 0 = unknown */
    bool anything;
};

struct bar *bar_begin(const char *label, enum wry_step step, uint64_t now)
{
    if (!isatty(STDERR_FILENO))
        return NULL;
    struct bar *bar = g_new0(struct bar, 1);
    g_strlcpy(bar->label, label, sizeof bar->label);
    bar->step = step;
    bar->begun = bar->drawn = now;
    return bar;
}

static unsigned terminal_width(void)
{
    struct winsize size;

    if (ioctl(STDERR_FILENO, TIOCGWINSZ, &size) != 0 || size.ws_col < NARROWEST)
        return 80;
    return size.ws_col;
}

/* Of content whose length is not known. */
static void draw_open(const struct bar *bar, uint64_t now)
{
    double seconds = (double)(now - bar->begun) / 1e6;

    fprintf(stderr, "%s%s  %u KiB  %.0f KiB/s", clear_line, bar->label,
            (unsigned)(bar->done / 1024), seconds > 0 ? (double)bar->done / 1024 / seconds : 0);
    fflush(stderr);
}

static void draw(const struct bar *bar, uint64_t now)
{
    if (bar->total == 0) {
        draw_open(bar, now);
        return;
    }
    double seconds = (double)(now - bar->begun) / 1e6;
    double rate = seconds > 0 ? (double)bar->done / seconds : 0;
    double left = remaining_time(&bar->remaining, now, bar->done, bar->total, bar->expected);
    char tail[96];
    char cells[256];

    if (bar->done == bar->total)
        snprintf(tail, sizeof tail, "100 %%  %u KiB  %.0f KiB/s  in %.1f s",
                 (unsigned)(bar->total / 1024), rate / 1024, seconds);
    else if (left > 0)
        snprintf(tail, sizeof tail, "%3u %%  %u of %u KiB  %.0f KiB/s  %.0f s left",
                 (unsigned)(bar->done * 100 / bar->total), (unsigned)(bar->done / 1024),
                 (unsigned)(bar->total / 1024), rate / 1024, left);
    else
        snprintf(tail, sizeof tail, "  0 %%  0 of %u KiB", (unsigned)(bar->total / 1024));
    /* The width does not follow the digits of the tail; a narrow terminal gets the share alone. */
    unsigned width = terminal_width(), tail_room = 48;
    if (width < strlen(bar->label) + tail_room + CELLS_LEAST) {
        tail_room = 10;
        tail[strlen("100 %")] = '\0';
    }
    unsigned room = MIN(width - (unsigned)strlen(bar->label) - tail_room, sizeof cells - 1);
    unsigned filled = (unsigned)(bar->done * room / bar->total);
    memset(cells, '.', room);
    memset(cells, '=', filled);
    cells[room] = '\0';
    fprintf(stderr, "%s%s [%s] %s", clear_line, bar->label, cells, tail);
    fflush(stderr);
}

void bar_update(struct bar *bar, const struct wry_session_progress *progress, uint64_t now)
{
    bool open_ended = progress->total == 0;

    if (!bar || progress->step != bar->step || (open_ended && progress->done == 0))
        return;
    bool over = !open_ended && progress->done >= progress->total;
    bar->done = open_ended ? progress->done : MIN(progress->done, progress->total);
    bar->total = progress->total;
    bar->expected = (double)progress->expected / 1e6;
    remaining_note(&bar->remaining, now, bar->done);
    if (bar->anything && !over && now < bar->drawn + DRAW_EVERY)
        return;
    draw(bar, now);
    bar->anything = true;
    bar->drawn = now;
}

void bar_give_way(struct bar *bar)
{
    if (bar && bar->anything) {
        fputs(clear_line, stderr);
        fflush(stderr);
    }
}

void bar_end(struct bar *bar)
{
    if (bar && bar->anything)
        fputc('\n', stderr);
    g_free(bar);
}
