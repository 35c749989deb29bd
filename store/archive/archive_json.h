/* board.json, the description inside a backup archive. */
#ifndef WRY_STORE_ARCHIVE_JSON_H
#define WRY_STORE_ARCHIVE_JSON_H

#include "store/archive/archive_record.h"

/* Free with g_free. */
char *archive_json_write(const struct archive *archive);

/* Fills everything but the content. path is for messages. */
gboolean archive_json_read(struct archive *archive, const char *text, gssize length,
                           const char *path, GError **error);

/* The name of a range's file in the archive; free with g_free. */
char *archive_range_name(const struct archive_range *range);

#endif
