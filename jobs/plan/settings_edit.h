/* Changes single settings in the block of the board, or in the one that the job writes. */
#pragma once

#include "jobs/plan/image_set.h"
#include "store/image/settings.h"
#include "wrytograph-host/settings.h"

/* A block before and after its changes. */
struct settings_edited {
    struct wry_region region;
    uint32_t generation; /* before; 0: there was no block */
    struct settings *before, *after;
};

/* struct settings_edited; free with g_ptr_array_unref. */
GPtrArray *settings_edited_new(void);

/* Applies one change, checked by the description. */
gboolean settings_edit_change(struct settings *settings, const struct wry_setting_change *change,
                              const struct settings_description *description, GError **error);

/* Takes over the settings of a file, checked by the description. */
gboolean settings_edit_load(struct settings *settings, const char *path, bool exactly,
                            const struct settings_description *description, GError **error);

/* Adds an image for each region with changed settings. Everything else is placed. */
struct wry_problem *settings_edit_apply(const struct images_job *job, const struct target *target);
