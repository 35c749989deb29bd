/* The progress display. */
#include "progress.h"

#include <glib.h>
#include <stdio.h>
#include <unistd.h>

#include "bar.h"
#include "wrytograph-host/words.h"

static const char clear_line[] = "\r\033[K";

struct progress {
    struct bar *bar; /* NULL: the current step has no bar */
    bool by_hand;
    bool hand_shown, loss_shown, try_shown; /* which lines are on the terminal */
};

struct progress *progress_new(bool by_hand)
{
    struct progress *live = g_new0(struct progress, 1);

    live->by_hand = by_hand;
    return live;
}

void progress_free(struct progress *live)
{
    if (!live)
        return;
    bar_end(live->bar);
    if (live->loss_shown || live->try_shown)
        fputs(clear_line, stderr);
    g_free(live);
}

static void begin_step(struct progress *live, const struct wry_event *event)
{
    static const struct {
        const char *label;
        enum wry_step step; /* step of the session that the bar shows */
    } bars[] = {
        [WRY_PHASE_CONNECT] = {NULL, WRY_STEP_NONE},
        [WRY_PHASE_READ] = {"Reading", WRY_STEP_READ},
        [WRY_PHASE_WRITE] = {"Writing", WRY_STEP_WRITE},
        [WRY_PHASE_ERASE] = {"Erasing", WRY_STEP_WRITE},
        [WRY_PHASE_RESTORE] = {"Restoring", WRY_STEP_WRITE},
        [WRY_PHASE_SEND] = {"Sending", WRY_STEP_WRITE},
        [WRY_PHASE_RECEIVE] = {"Receiving", WRY_STEP_READ},
    };

    if (bars[event->step].label)
        live->bar = bar_begin(bars[event->step].label, bars[event->step].step, event->now);
}

static void end_step(struct progress *live)
{
    bar_end(live->bar);
    live->bar = NULL;
    if (live->hand_shown || live->try_shown)
        fputs(clear_line, stderr);
    live->hand_shown = live->try_shown = false;
}

static void show_call(struct progress *live, const struct wry_session_progress *progress)
{
    unsigned left = (unsigned)((progress->total - MIN(progress->done, progress->total)) / 1000000);

    fprintf(stderr, "%sCalling the board; %u s left, Ctrl-C stops", clear_line, left);
    live->hand_shown = true;
}

/* The line about a lost link is removed when the board is found. */
static void show_loss(struct progress *live, bool lost)
{
    if (lost)
        fprintf(stderr, "%sThe link is lost; calling the board again, Ctrl-C stops", clear_line);
    else if (live->loss_shown)
        fputs(clear_line, stderr);
    live->loss_shown = lost;
}

/* Replaced by the next one, and by whatever is printed next. */
static void show_try(struct progress *live, const struct wry_event *event)
{
    g_autofree char *text = wry_note_text(event);

    fprintf(stderr, "%s%s", clear_line, text);
    live->try_shown = true;
}

void progress_show(struct progress *live, const struct wry_event *event)
{
    if (!isatty(STDERR_FILENO))
        return;
    switch (event->kind) {
    case WRY_EVENT_STEP:
        begin_step(live, event);
        break;
    case WRY_EVENT_STEP_END:
        end_step(live);
        break;
    case WRY_EVENT_NOTE:
        /* A new line for the bar. */
        if (live->hand_shown || live->loss_shown || live->try_shown)
            fputs(clear_line, stderr);
        live->hand_shown = live->loss_shown = live->try_shown = false;
        if (event->note == WRY_NOTE_SPEED_TRIED)
            show_try(live, event);
        break;
    case WRY_EVENT_HEARD:
        bar_give_way(live->bar);
        break;
    case WRY_EVENT_PROGRESS:
        if (event->progress->step == WRY_STEP_CONNECT && live->by_hand)
            show_call(live, event->progress);
        show_loss(live, event->progress->lost);
        bar_update(live->bar, event->progress, event->now);
        break;
    default:
        break;
    }
}
