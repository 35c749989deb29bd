/* Listening on a line: its speed, the text heard, and messages of the boot ROM. */
#pragma once

#include "jobs/station/station_problem.h"

enum {
    CONSOLE_LATEST = 48, /* latest bytes by which a speed is judged */
};

#define CONSOLE_TURN 20000u /* us between checks for input to send */

enum console_rom {
    CONSOLE_ROM_SILENT,
    CONSOLE_ROM_LOADING, /* the boot ROM reports that the strap is held */
    CONSOLE_ROM_NOTHING, /* the boot ROM reports that there is no program */
};

struct console_line {
    struct wry_station *station;
    const struct wry_chip *chip; /* NULL: any */
    GString *said;               /* latest printable text, without secrets */
    GString *held;               /* possible beginning of a secret */
    GString *seen;               /* text not matched yet; never shown */
    GString *rom_line;           /* incomplete line */
    enum console_rom rom;
    uint32_t speed;
    uint32_t next_console;           /* baud of the firmware after the boot text; 0 = unchanged */
    uint64_t heard_bytes;            /* bytes heard in total */
    uint64_t heard_at;               /* us: when the last byte was heard */
    bool latest[CONSOLE_LATEST];     /* for the latest bytes: whether they were text */
    unsigned utf8_length, utf8_left; /* of an incomplete UTF-8 sequence; 0 = none */
    unsigned at_speed;               /* bytes heard at this speed */
    size_t next_speed;               /* next speed to try, see serial_text_speed */
    bool settled;                    /* the current speed is readable, or none is */
    uint32_t first_speed;            /* the search leaves it out, and ends with it */
    uint32_t asked_speed;            /* that of the beginning, which need not be a usual one */
    uint64_t speed_since;            /* us */
    bool searching;                  /* other speeds are being tried */
    bool gave_up;                    /* no usual speed is readable */
};

void console_line_init(struct console_line *line, struct wry_station *station, uint32_t speed,
                       uint32_t console);
void console_line_clear(struct console_line *line);

/* Begins to listen. Bytes that arrived with the last answer are the first output. */
enum wry_status console_line_begin(struct console_line *line);

/* Listens until something is heard, at most CONSOLE_TURN, and follows the board's speed. */
enum wry_status console_line_turn(struct console_line *line);

/* Hears what another reader of the port did not want. */
void console_line_hear(struct console_line *line, const uint8_t *bytes, size_t n);

/* Ends listening: text held back is passed on and added to said. */
void console_line_end(struct console_line *line);

enum wry_status console_line_send(const struct console_line *line, const void *bytes, size_t n);
