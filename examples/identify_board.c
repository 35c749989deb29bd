/*
 * Identifies a board with a session of the freestanding library on the port of a link. On a system
 * without the hosted library only the port differs.
 *
 * usage: identify_board LINK
 */
#include <stdio.h>
#include <wrytograph-host/station.h>

int main(int argc, char **argv)
{
    static struct wry_session session;
    struct wry_session_config config = {.token = 1};
    struct wry_station_settings settings = {.link = argv[argc - 1]};

    if (argc != 2) {
        fprintf(stderr, "usage: identify_board LINK\n");
        return 2;
    }
    struct wry_station *station = wry_station_new(&settings);
    enum wry_status status = WRY_NO_ANSWER;
    if (wry_station_open(station) == WRY_OUTCOME_DONE) {
        wry_session_init(&session, wry_station_port(station), &config);
        status = wry_session_connect(&session);
    }
    if (status == WRY_OK) {
        const struct wry_hello_reply *board = wry_session_board(&session);
        const struct wry_chip *chip = wry_chip_by_code(board->chip_code);
        printf("%s, %u KiB of flash\n", chip ? chip->title : "unknown chip",
               (unsigned)(board->capacity / 1024));
        wry_session_leave(&session);
    } else {
        fprintf(stderr, "no board: %s\n", wry_status_text(status));
    }
    wry_station_free(station);
    return status == WRY_OK ? 0 : 4;
}
