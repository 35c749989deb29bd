/* The estimate of a write. */
#include "jobs/plan/estimate.h"

#include "jobs/station/known_content.h"

static bool add_part(void *context, const struct wry_cost_part *part, const struct wry_cost *cost)
{
    struct wry_expected *expected = context;
    struct wry_expected_part entry = {.what = *part, .cost = *cost};

    g_array_append_val(expected->parts, entry);
    expected->line_bytes += part->line_bytes;
    expected->seconds += (double)cost->total / 1e6;
    return true;
}

struct wry_problem *estimate_look(struct wry_station *station, const struct wry_plan *plan,
                                  bool every_sector, struct wry_expected *expected)
{
    struct wry_estimate_sink sink = {.context = expected, .part = add_part};

    expected->parts = g_array_new(FALSE, FALSE, sizeof(struct wry_expected_part));
    known_content_begin(station);
    station->session.config.every_sector = every_sector;
    enum wry_status status = wry_session_estimate(&station->session, plan, &sink);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    expected->known = true;
    return NULL;
}

void estimate_clear(struct wry_expected *expected)
{
    if (expected->parts)
        g_array_unref(expected->parts);
    *expected = (struct wry_expected){0};
}
