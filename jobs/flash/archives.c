/* What the jobs that work with archives share. */
#include "jobs/flash/archives.h"

#include <string.h>

struct wry_placement archives_placement(struct archive_range *range)
{
    return (struct wry_placement){.offset = range->offset,
                                  .length = range->length,
                                  .reader = archive_range_reader(range),
                                  .label = range};
}

enum wry_outcome archives_check_flash(struct wry_station *station, const struct archive *archive,
                                      const char *path)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);

    if (archive->chip_code != board->chip_code) {
        station_fail(station, WRY_OUTCOME_WRONG, WRY_PROBLEM_ARCHIVE_CHIP, path);
        station->problem.chip = wry_chip_by_code(archive->chip_code);
        station->problem.found_chip = wry_chip_by_code(board->chip_code);
        return station->problem.outcome;
    }
    if (archive->flash_size != board->capacity) {
        station_fail(station, WRY_OUTCOME_WRONG, WRY_PROBLEM_ARCHIVE_FLASH, path);
        station->problem.expected = archive->flash_size;
        station->problem.found = board->capacity;
        return station->problem.outcome;
    }
    return WRY_OUTCOME_DONE;
}

bool archives_same_board(const struct wry_station *station, const struct archive *archive)
{
    return memcmp(archive->eui48, wry_session_board(&station->session)->eui48, WRY_EUI48_SIZE) == 0;
}

enum wry_outcome archives_fail_board(struct wry_station *station, enum wry_problem_kind kind,
                                     const struct archive *archive, const char *path)
{
    struct wry_problem *problem = &station->problem;

    station_fail(station, WRY_OUTCOME_WRONG, kind, path);
    memcpy(problem->address, archive->eui48, sizeof problem->address);
    memcpy(problem->found_address, wry_session_board(&station->session)->eui48,
           sizeof problem->found_address);
    return problem->outcome;
}

void archives_tell_other_board(const struct wry_station *station, const struct archive *archive)
{
    struct wry_event event = {.kind = WRY_EVENT_NOTE, .note = WRY_NOTE_OTHER_BOARD};

    if (archives_same_board(station, archive))
        return;
    memcpy(event.address, archive->eui48, sizeof event.address);
    memcpy(event.own_address, wry_session_board(&station->session)->eui48,
           sizeof event.own_address);
    station_tell(station, event);
}
