/* What the jobs that write have in common. */
#include "jobs/station/write_common.h"

#include "jobs/station/known_content.h"
#include "jobs/station/recovery.h"

void work_begin(struct work *work, struct wry_station *station)
{
    *work = (struct work){.station = station, .connected = station->connected};
    if (station->connected)
        work->before = station->session.stats;
    work->begun = station_now(station);
}

struct wry_done work_done(const struct work *work)
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

enum wry_outcome work_write(const struct work *work, enum wry_job_step step,
                            const struct wry_planned *planned, struct wry_done *done)
{
    struct wry_station *station = work->station;
    uint64_t begun = station_now(station);
    enum wry_outcome outcome = keeping_settle(station);

    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    knowing_begin(station);
    station_step(station, step);
    station->session.config.every_sector = planned->every_sector;
    enum wry_status status = wry_session_write(&station->session, &planned->plan);
    station_step_end(station, step);
    *done = work_done(work);
    done->seconds = (double)(station_now(station) - begun) / 1e6;
    done->bytes = wry_plan_total(&planned->plan);
    knowing_tell(station, &work->before, done);
    /* The session counts these anew with each write. */
    done->sectors_written = station->session.stats.sectors_written;
    done->sectors_left = station->session.stats.sectors_left;
    return status == WRY_OK ? WRY_OUTCOME_DONE : station_fail_session(station, status);
}
