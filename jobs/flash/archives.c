/* Helpers for jobs with archives. */
#include "jobs/flash/archives.h"

#include "wrytograph-host/chips.h"

#include <string.h>

struct wry_placement archives_placement(struct archive_range *range)
{
    return (struct wry_placement){.offset = range->offset,
                                  .length = range->length,
                                  .reader = archive_range_reader(range),
                                  .label = range};
}

struct wry_problem *archives_check_flash(struct wry_station *station, const struct archive *archive,
                                         const char *path)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);

    if (archive->chip_code != board->chip_code)
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_ARCHIVE_CHIP, path,
                       .chip = wry_chips_by_code(archive->chip_code),
                       .found_chip = wry_chips_by_code(board->chip_code));
    if (archive->flash_size != board->capacity)
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_ARCHIVE_FLASH, path,
                       .expected = archive->flash_size, .found = board->capacity);
    return NULL;
}

bool archives_same_board(const struct wry_station *station, const struct archive *archive)
{
    return memcmp(archive->eui48, wry_session_board(&station->session)->eui48, WRY_EUI48_SIZE) == 0;
}

struct wry_problem *archives_fail_board(struct wry_station *station, enum wry_problem_kind kind,
                                        const struct archive *archive, const char *path)
{

    struct wry_problem *problem = problem_new(WRY_OUTCOME_WRONG, kind, path);
    memcpy(problem->address, archive->eui48, sizeof problem->address);
    memcpy(problem->found_address, wry_session_board(&station->session)->eui48,
           sizeof problem->found_address);
    return problem;
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
