/*
 * Says what a board is, over the public API. The board is a simulated one here; for real hardware
 * only the port changes.
 *
 * usage: identify_board BENCH-FOLDER NAME
 */
#include <stdio.h>

#include "bench/bench.h"
#include "wrytograph/chip.h"
#include "wrytograph/session.h"

int main(int argc, char **argv)
{
    static struct wry_session session;
    struct wry_session_config config = {.token = 1};
    GError *error = NULL;

    if (argc != 3) {
        fprintf(stderr, "usage: identify_board BENCH-FOLDER NAME\n");
        return 2;
    }
    struct bench_board *board = bench_open(argv[1], argv[2], &error);
    if (!board) {
        fprintf(stderr, "%s\n", error->message);
        g_error_free(error);
        return 2;
    }
    wry_session_init(&session, bench_port(board), &config);
    enum wry_status status = wry_session_connect(&session);
    if (status == WRY_OK) {
        const struct wry_hello_reply *found = wry_session_board(&session);
        const struct wry_chip *chip = wry_chip_by_code(found->chip_code);
        printf("%s, %u KiB of flash\n", chip ? chip->title : "unknown chip",
               (unsigned)(found->capacity / 1024));
    } else {
        fprintf(stderr, "no board: status %d\n", (int)status);
    }
    bench_close(board);
    return status == WRY_OK ? 0 : 4;
}
