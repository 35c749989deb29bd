/* Several jobs on one board as one run. */
#include "jobs/station/figure.h"
#include "jobs/station/run_record.h"
#include "wrytograph-host/station.h"

static void on_job_end(struct wry_station *station, const struct wry_problem *problem)
{
    struct figure *figure = &station->figure;

    if (problem && station->run_outcome == WRY_OUTCOME_DONE) {
        station->run_outcome = problem->outcome;
        run_record_fail(station, problem, wry_phase_name(station->phase));
    }
    if (!problem)
        figure_part(station, MIN(figure->part + 1, figure->parts), figure->parts);
}

void wry_station_begin_run(struct wry_station *station, const char *name, unsigned jobs)
{
    run_record_begin(station, "run");
    struct wry_ledger_run *row = run_record_run(station);
    if (row && !row->card)
        row->card = g_strdup(name);
    station->figure = (struct figure){.parts = MAX(jobs, 1), .goes_on = true};
    station->run_outcome = WRY_OUTCOME_DONE;
    station->job_ended = on_job_end;
}

enum wry_outcome wry_station_end_run(struct wry_station *station)
{
    station->job_ended = NULL;
    station->figure.goes_on = false;
    if (station->run_outcome == WRY_OUTCOME_DONE)
        figure_part(station, station->figure.parts, station->figure.parts);
    run_record_end(station, NULL);
    return station->run_outcome;
}
