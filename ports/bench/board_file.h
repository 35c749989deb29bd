/* board.yaml: reading and writing a board's description. */
#ifndef WRY_BENCH_BOARD_FILE_H
#define WRY_BENCH_BOARD_FILE_H

#include "bench.h"

gboolean board_file_load(const char *path, struct bench_description *description, GError **error);
gboolean board_file_save(const char *path, const struct bench_description *description,
                         GError **error);

#endif
