/*
 * Writes a text at an offset, keeping everything around it, and verifies it, over the public API.
 *
 * usage: write_and_verify BENCH-FOLDER NAME OFFSET TEXT
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "bench/bench.h"
#include "wrytograph/session.h"

static bool read_text(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    memcpy(to, (const char *)context + offset, n);
    return true;
}

static void print_difference(void *context, uint32_t offset, uint32_t length, uint8_t expected,
                             uint8_t found)
{
    (void)context;
    printf("%u bytes differ from 0x%06X on: %02X is %02X\n", (unsigned)length, (unsigned)offset,
           expected, found);
}

static enum wry_status write_and_verify(struct wry_session *session, uint32_t offset, char *text)
{
    struct wry_placement placement = {.offset = offset,
                                      .length = (uint32_t)strlen(text),
                                      .reader = {.context = text, .read = read_text}};
    struct wry_difference_sink sink = {.difference = print_difference};
    struct wry_plan plan;
    struct wry_fault fault;

    enum wry_status status = wry_session_connect(session);
    if (status == WRY_OK)
        status = wry_plan_init(&plan, &placement, 1, wry_session_board(session)->capacity, &fault);
    if (status == WRY_OK)
        status = wry_session_write(session, &plan);
    if (status == WRY_OK)
        status = wry_session_verify(session, &placement, WRY_VERIFY_DIGEST, &sink);
    return status;
}

int main(int argc, char **argv)
{
    static struct wry_session session;
    struct wry_session_config config = {.token = 2};
    GError *error = NULL;

    if (argc != 5) {
        fprintf(stderr, "usage: write_and_verify BENCH-FOLDER NAME OFFSET TEXT\n");
        return 2;
    }
    struct bench_board *board = bench_open(argv[1], argv[2], &error);
    if (!board) {
        fprintf(stderr, "%s\n", error->message);
        g_error_free(error);
        return 2;
    }
    wry_session_init(&session, bench_port(board), &config);
    enum wry_status status =
        write_and_verify(&session, (uint32_t)strtoul(argv[3], NULL, 0), argv[4]);
    bench_close(board);
    if (status != WRY_OK) {
        fprintf(stderr, "not written: status %d\n", (int)status);
        return 1;
    }
    printf("written and verified\n");
    return 0;
}
