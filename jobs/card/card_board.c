/* Whether a card is for the connected board. */
#include "jobs/card/card_board.h"

#include <string.h>

#include "jobs/station/station_board.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph-host/units.h"

static struct wry_problem *fail_flash(const struct card *card, uint32_t found)
{
    const GArray *sizes = card->flash_sizes;

    struct wry_problem *problem =
        problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_FLASH, card->name);
    problem->found = found;
    problem->names = g_new0(char *, sizes->len + 1);
    for (guint i = 0; i < sizes->len; i++)
        problem->names[i] = wry_units_flash_size(g_array_index(sizes, uint32_t, i));
    return problem;
}

struct wry_problem *card_board_check(const struct wry_station *station, const struct card *card)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);

    if (!card_is_for_flash(card, board->capacity))
        return fail_flash(card, board->capacity);
    if (board->chip_revision >= card->revision)
        return NULL;
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_REVISION, card->name,
                   .expected = card->revision, .found = board->chip_revision);
}

static const struct wry_content_of *content_of(const struct wry_identity *identity,
                                               const char *region)
{
    for (guint i = 0; identity->contents && i < identity->contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(identity->contents, i);
        if (strcmp(content->region.name, region) == 0)
            return content;
    }
    return NULL;
}

static struct wry_problem *check_hold(const struct wry_identity *identity,
                                      const struct card_value *hold)
{
    const struct wry_content_of *content = content_of(identity, hold->region);
    const char *version =
        content && content->holds == WRY_HOLDS_PROGRAM ? content->header.version : NULL;

    if (version && g_str_has_prefix(version, hold->value))
        return NULL;
    struct wry_problem *problem =
        problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_CARD_HOLDS, hold->value);
    g_strlcpy(problem->region.name, hold->region, sizeof problem->region.name);
    problem->other = g_strdup(version);
    return problem;
}

struct wry_problem *card_board_check_holds(struct wry_station *station, const struct card *card)
{
    struct wry_identity identity = {0};
    struct wry_problem *problem = NULL;

    if (card->holds->len == 0)
        return problem;
    wry_station_identify(station, false, &identity);
    problem = station_take_problem(station);
    for (guint i = 0; i < card->holds->len && !problem; i++)
        problem = check_hold(&identity, g_ptr_array_index(card->holds, i));
    wry_identity_clear(&identity);
    return problem;
}
