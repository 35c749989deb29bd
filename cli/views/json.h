/*
 * Results as JSON: members of the document that --json prints. Unknown values are left out.
 *
 *     json_add_write(app->json, &result);
 */
#pragma once

#include <json-glib/json-glib.h>

#include "wrytograph-host/inspect.h"
#include "wrytograph-host/jobs.h"

void json_add_text(JsonBuilder *b, const char *name, const char *value);
void json_add_format(JsonBuilder *b, const char *name, const char *format, ...) G_GNUC_PRINTF(3, 4);
void json_add_number(JsonBuilder *b, const char *name, int64_t value);
void json_add_offset(JsonBuilder *b, const char *name, uint32_t value);
void json_add_boolean(JsonBuilder *b, const char *name, bool value);
void json_begin_object(JsonBuilder *b, const char *name);
void json_begin_list(JsonBuilder *b, const char *name);

/* Adds a list "layout". */
void json_add_regions(JsonBuilder *b, const struct wry_region_table *layout);
/* Adds struct wry_shown_setting as an object. */
void json_add_settings(JsonBuilder *b, const GPtrArray *settings);
void json_add_evidence(JsonBuilder *b, const struct wry_evidence *evidence);
void json_add_plan(JsonBuilder *b, const struct wry_planned *planned);
void json_add_write(JsonBuilder *b, const struct wry_write_result *result, const char *address);
void json_add_erase(JsonBuilder *b, const struct wry_erase_result *result);
void json_add_restore(JsonBuilder *b, const struct wry_restore_result *result);
void json_add_backup(JsonBuilder *b, const struct wry_backup_result *result);
/* list: "images" or "ranges". */
void json_add_verify(JsonBuilder *b, const struct wry_verify_result *result, const char *list);
void json_add_console(JsonBuilder *b, const struct wry_console_result *result);
