/* Common parts of jobs that write. */
#include "jobs/station/write_common.h"

#include "jobs/station/known_content.h"
#include "jobs/station/recovery.h"
#include "jobs/station/run_record.h"

void write_common_begin(struct write_common *work, struct wry_station *station)
{
    *work = (struct write_common){.station = station, .connected = station->connected};
    if (station->connected)
        work->before = station->session.stats;
    work->begun = station_now(station);
}

struct wry_done write_common_done(const struct write_common *work)
{
    const struct wry_station *station = work->station;
    const struct wry_session_stats *now = &station->session.stats, *before = &work->before;
    uint64_t begun = work->connected ? work->begun : station->started;

    return (struct wry_done){
        .seconds = (double)(station_now(station) - begun) / 1e6,
        .frames_resent = now->frames_resent - before->frames_resent,
        .reconnects = now->reconnects - before->reconnects,
        .bytes_sent = now->bytes_sent - before->bytes_sent,
        .bytes_received = now->bytes_received - before->bytes_received,
    };
}

struct wry_problem *write_common_write(const struct write_common *work, enum wry_phase step,
                                       const struct wry_planned *planned, struct wry_done *done)
{
    struct wry_station *station = work->station;
    uint64_t begun = station_now(station);
    struct wry_problem *problem = recovery_settle(station);

    if (problem)
        return problem;
    known_content_begin(station);
    run_record_changes(station);
    station_step(station, step);
    station->session.config.every_sector = planned->every_sector;
    enum wry_status status = wry_session_write(&station->session, &planned->plan);
    station_step_end(station, step);
    *done = write_common_done(work);
    done->seconds = (double)(station_now(station) - begun) / 1e6;
    done->bytes = wry_plan_total(&planned->plan);
    known_content_tell(station, &work->before, done);
    /* The session resets these with each write. */
    done->sectors_written = station->session.stats.sectors_written;
    done->sectors_left = station->session.stats.sectors_left;
    return status == WRY_OK ? NULL : problem_of_session(station, status);
}
