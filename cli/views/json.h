/*
 * Results as JSON: members of the document that --json prints. Unknown values are left out.
 *
 *     json_add(app->json, json_text("file", path), json_number("bytes", size));
 *     json_add_write(app->json, &result);
 */
#pragma once

#include <stdbool.h>

#include "wrytograph-host/inspect.h"
#include "wrytograph-host/jobs.h"

typedef struct _JsonBuilder JsonBuilder; /* as in app/app.h */

/* A member of an object. */
struct json_member {
    const char *name;
    enum { JSON_NONE, JSON_TEXT, JSON_NUMBER, JSON_REAL, JSON_FLAG } kind;
    const char *text;
    char *owned; /* the text, if json_add is to free it */
    int64_t number;
    double real;
};

/* text may be NULL: the member is left out. */
struct json_member json_text(const char *name, const char *text);
struct json_member json_take(const char *name, char *text); /* json_add frees the text */
struct json_member json_format(const char *name, const char *format, ...) G_GNUC_PRINTF(2, 3);
struct json_member json_number(const char *name, int64_t number);
struct json_member json_offset(const char *name, uint32_t offset); /* as text, "0x1000" */
struct json_member json_real(const char *name, double number);
struct json_member json_flag(const char *name, bool flag);
/* The member, or none. */
struct json_member json_if(bool condition, struct json_member member);

/* json_add(b, MEMBER, …) adds them to the object that is open; json_add_object(b, MEMBER, …) adds
 * an object of them to the list that is open. */
#define JSON_MEMBERS(...)                                                                          \
    (const struct json_member[]){__VA_ARGS__},                                                     \
        sizeof(struct json_member[]){__VA_ARGS__} / sizeof(struct json_member)
#define json_add(b, ...) json_add_members(b, JSON_MEMBERS(__VA_ARGS__))
#define json_add_object(b, ...) json_add_members_object(b, JSON_MEMBERS(__VA_ARGS__))
void json_add_members(JsonBuilder *b, const struct json_member *members, size_t n);
void json_add_members_object(JsonBuilder *b, const struct json_member *members, size_t n);

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
