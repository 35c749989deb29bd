/* Settings descriptions. */
#include "jobs/station/described.h"

#include "store/image/layout_file.h"

struct wry_problem *described_load(struct wry_station *station,
                                   const struct settings_description **description)
{
    const struct wry_station_settings *settings = &station->settings;
    g_autofree char *path =
        settings->settings_description ? g_strdup(settings->settings_description)
        : settings->layout_file ? layout_file_settings_description(settings->layout_file, true)
                                : NULL;
    GError *error = NULL;

    if (path && !station->description)
        station->description = settings_description_load(path, &error);
    *description = station->description;
    return error ? problem_of_error(error) : NULL;
}
