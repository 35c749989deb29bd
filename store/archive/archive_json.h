/* board.json, the description inside a backup archive. */
#pragma once

#include "store/archive/archive_record.h"

/* The text of board.json; free with g_free. */
char *archive_json_write(const struct archive *archive);

/* Fills in everything except the content. path is used in messages. */
gboolean archive_json_read(struct archive *archive, const char *text, gssize length,
                           const char *path, GError **error);

/* The name of a range's file in the archive; free with g_free. */
char *archive_range_name(const struct archive_range *range);
