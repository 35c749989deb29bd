/*
 * Writes a text at an offset, keeping everything around it, and verifies it, with a session of the
 * freestanding library on the port of a link.
 *
 * usage: write_and_verify LINK OFFSET TEXT
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <wrytograph-host/station.h>

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
    struct wry_station_settings settings = {.link = argc > 1 ? argv[1] : NULL};

    if (argc != 4) {
        fprintf(stderr, "usage: write_and_verify LINK OFFSET TEXT\n");
        return 2;
    }
    struct wry_station *station = wry_station_new(&settings);
    enum wry_status status = WRY_NO_ANSWER;
    if (wry_station_open(station) == WRY_OUTCOME_DONE) {
        wry_session_init(&session, wry_station_port(station), &config);
        status = write_and_verify(&session, (uint32_t)strtoul(argv[2], NULL, 0), argv[3]);
        wry_session_leave(&session);
    }
    wry_station_free(station);
    if (status != WRY_OK) {
        fprintf(stderr, "not written: %s\n", wry_status_text(status));
        return 1;
    }
    printf("written and verified\n");
    return 0;
}
