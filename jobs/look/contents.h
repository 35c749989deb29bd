/* Recognises the content of each region. */
#pragma once

#include "jobs/station/flash_reader.h"
#include "wrytograph-host/contents.h"

struct wry_setting;

/* A setting for display, without the value of a secret one. */
struct wry_shown_setting *contents_shown(const struct wry_setting *setting);
void contents_free_setting(void *setting);

/*
 * Examines each region; *contents becomes an array of struct wry_content_of, sorted by offset. all:
 * check the digest of every program, however long that takes. items: of the shelf, or NULL. False
 * if the flash cannot be read.
 */
bool contents_look(struct flash_reader *reader, const struct wry_region_table *layout,
                   bool table_is_valid, bool all, const GPtrArray *items, GPtrArray **contents);
