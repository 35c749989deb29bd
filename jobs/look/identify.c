/* Identify: what board is on the link, and what its flash contains. */
#include <string.h>

#include "base/digest.h"
#include "jobs/look/contents.h"
#include "jobs/plan/backup_records.h"
#include "jobs/station/regions.h"
#include "jobs/station/station_board.h"
#include "store/shelf/backups.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph-host/shelf.h"
#include "wrytograph/reader.h"

static bool is_blank(const uint8_t digest[WRY_SHA256_SIZE], uint32_t length)
{
    uint8_t ours[WRY_SHA256_SIZE];

    digest_of_blank(length, ours);
    return memcmp(digest, ours, sizeof ours) == 0;
}

/*
 * A die smaller than it claims answers addresses beyond its end with content from its start: equal
 * halves that are not blank prove it.
 */
static enum wry_status find_repeat(struct wry_session *session, struct wry_identity *identity)
{
    uint8_t low[WRY_SHA256_SIZE], high[WRY_SHA256_SIZE];
    enum wry_status status = WRY_OK;

    identity->flash_found = session->board.capacity;
    for (uint32_t half = session->board.capacity / 2; half >= 0x10000; half /= 2) {
        status = wry_session_digest(session, 0, half, low);
        if (status == WRY_OK)
            status = wry_session_digest(session, half, half, high);
        if (status != WRY_OK || memcmp(low, high, sizeof low) != 0)
            return status;
        identity->deep_blank = is_blank(low, half);
        if (identity->deep_blank)
            return WRY_OK;
        identity->flash_found = half;
    }
    return status;
}

static struct wry_problem *look_deep(struct wry_station *station, struct wry_identity *identity)
{
    enum wry_status status = find_repeat(&station->session, identity);

    if (status != WRY_OK)
        return problem_of_session(station, status);
    identity->deep = true;
    if (identity->flash_found >= identity->board.capacity)
        return NULL;
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_FLASH_REPEATS, NULL,
                   .expected = identity->board.capacity, .found = identity->flash_found);
}

static struct wry_problem *look_at_contents(struct wry_station *station,
                                            struct wry_identity *identity, bool deep)
{
    struct flash_reader reader = {.station = station};
    g_autoptr(GError) error = NULL;
    g_autoptr(GPtrArray) items = wry_shelf_items(NULL, &error);
    bool valid = identity->layout.source == WRY_LAYOUT_SOURCE_BOARD;

    if (!items)
        station_note(station, WRY_NOTE_SHELF_UNREAD, error->message);
    return contents_look(&reader, &identity->layout.table, valid, deep, items, &identity->contents)
               ? NULL
               : flash_reader_fail(&reader);
}

static void look_for_backup(struct wry_station *station, struct wry_known_backup *backup)
{
    struct backups_found found;
    g_autoptr(GError) error = NULL;

    backup->told = backup_records_find(station, &found, &error);
    backup->reason = g_strdup(error ? error->message : NULL);
    backup->any = found.any;
    backup->whole = found.whole;
    backup->path = found.path;
    backup->created = found.created;
}

enum wry_outcome wry_station_identify(struct wry_station *station, bool deep,
                                      struct wry_identity *identity)
{
    struct target target;

    station_begin_call(station);
    struct wry_problem *problem = board_connect(station, false);
    if (!problem)
        problem = regions_of_board(station, &target);
    if (problem)
        return station_end_call(station, problem);
    identity->known = true;
    identity->board = *wry_session_board(&station->session);
    identity->chip = target.chip;
    identity->flash_measured = station->flash_measured;
    identity->link = g_strdup(station->link);
    identity->speed = station->session.speed;
    identity->protected_length = wry_protected_range(
        identity->board.protect, identity->board.capacity, &identity->protected_offset);
    identity->layout = target.layout;
    look_for_backup(station, &identity->backup);
    problem = look_at_contents(station, identity, deep);
    if (deep && !problem)
        problem = look_deep(station, identity);
    return station_end_call(station, problem);
}

void wry_identity_clear(struct wry_identity *identity)
{
    g_free(identity->link);
    g_free(identity->backup.path);
    g_free(identity->backup.created);
    g_free(identity->backup.reason);
    if (identity->contents)
        g_ptr_array_unref(identity->contents);
    *identity = (struct wry_identity){0};
}
