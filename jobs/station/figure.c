/* The figure of a job. */
#include "jobs/station/figure.h"

enum {
    WHOLE = 1000,
    CONNECTED = 30,
    CHECKED = 970, /* all bytes of the main step are done */
};

static void rise(struct wry_station *station, uint64_t of_part)
{
    struct figure *figure = &station->figure;
    uint32_t now = (uint32_t)((figure->part * (uint64_t)WHOLE + of_part) / figure->parts);

    figure->permille = MAX(figure->permille, MIN(now, WHOLE));
}

void figure_begin(struct wry_station *station)
{
    struct figure *figure = &station->figure;

    figure->base = figure->total = 0;
    figure->main = WRY_STEP_DIGEST;
    if (!figure->goes_on)
        *figure = (struct figure){.parts = 1, .main = WRY_STEP_DIGEST};
}

void figure_step(struct wry_station *station, enum wry_phase step)
{
    if (step == WRY_PHASE_CONNECT)
        return;
    station->figure.main = step == WRY_PHASE_READ ? WRY_STEP_READ : WRY_STEP_WRITE;
    rise(station, CONNECTED);
}

void figure_total(struct wry_station *station, uint64_t total)
{
    station->figure.total = total;
}

void figure_done(struct wry_station *station, uint64_t bytes)
{
    station->figure.base += bytes;
}

void figure_progress(struct wry_station *station, const struct wry_session_progress *progress)
{
    const struct figure *figure = &station->figure;
    uint64_t total = figure->total > 0 ? figure->total : progress->total;
    uint64_t done = figure->base + progress->done;

    if (progress->step == figure->main && total > 0)
        rise(station, CONNECTED + (CHECKED - CONNECTED) * MIN(done, total) / total);
}

void figure_part(struct wry_station *station, unsigned part, unsigned parts)
{
    station->figure.part = part;
    station->figure.parts = parts;
    rise(station, 0);
}

void figure_end(struct wry_station *station)
{
    rise(station, WHOLE);
}
