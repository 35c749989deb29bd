/* Settings blocks and what changes in them, as tables, lines and JSON. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/settings.h"

/* All settings of each block. */
void settings_view_show(const struct app *app, const struct wry_settings_result *result);

/* A line for each setting that changes: "datum_mm: -1827 → -1801 mm". */
void settings_view_changes(const struct app *app, const struct wry_settings_result *result);

/* Members "blocks" and "changed". */
void settings_view_json(JsonBuilder *b, const struct wry_settings_result *result);
