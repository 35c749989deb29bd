/* The content of regions, one line each. */
#pragma once

#include "facts.h"
#include "wrytograph-host/contents.h"

/* contents: struct wry_content_of. The first line begins with word. of_board: not of a file. */
void contents_table_print(const struct facts *facts, const char *word, const GPtrArray *contents,
                          bool of_board);

/* Adds a member "contents". */
void contents_table_add(const struct app *app, const GPtrArray *contents);

/* "gauge = 1, pier = A" for struct wry_shown_setting; free with g_free. */
char *contents_table_settings(const GPtrArray *settings);
