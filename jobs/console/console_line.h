/* A line that is listened to: its speed, what was heard on it, and what the boot ROM said. */
#ifndef WRY_JOBS_CONSOLE_LINE_H
#define WRY_JOBS_CONSOLE_LINE_H

#include "jobs/station/station_problem.h"

enum {
    CONSOLE_LATEST = 48, /* bytes by which a speed is judged */
};

#define CONSOLE_TURN 20000u /* us between looks at what is to be sent */

enum console_rom {
    CONSOLE_ROM_SILENT,
    CONSOLE_ROM_LOADING, /* it says that the strap is held */
    CONSOLE_ROM_NOTHING, /* it says that there is nothing to run */
};

struct console_line {
    struct wry_station *station;
    const struct wry_chip *chip; /* NULL: any */
    GString *said;               /* printable text and line ends, the latest, without secrets */
    GString *held;               /* the beginning of a secret, perhaps */
    GString *seen;               /* printable text that no step has looked at yet; never shown */
    GString *rom_line;           /* the line that is coming in */
    enum console_rom rom;
    uint32_t speed;
    uint32_t next_console;           /* baud of the firmware, after the boot text; 0 = the same */
    uint64_t heard_bytes;            /* in all */
    uint64_t heard_at;               /* us, when something was heard last */
    bool latest[CONSOLE_LATEST];     /* of the bytes at this speed: whether it was text */
    unsigned utf8_length, utf8_left; /* of a letter that is coming in; 0 = none */
    unsigned at_speed;               /* bytes at this speed */
    const uint32_t *next_speed;      /* to try; NULL = the speed is readable */
    uint32_t first_speed;
    uint64_t speed_since; /* us */
    bool searching;       /* the speed is unreadable, and others are being tried */
    bool gave_up;         /* none of the usual speeds is */
};

void console_line_init(struct console_line *line, struct wry_station *station, uint32_t speed,
                       uint32_t console);
void console_line_clear(struct console_line *line);

/* Begins to listen; what came together with the last answer is the first that the board says. */
enum wry_status console_line_begin(struct console_line *line);

/* Listens until something is heard, for a turn at most, and follows the board's speed. */
enum wry_status console_line_turn(struct console_line *line);

/* Nothing more is heard: what was held back is shown, and is in said. */
void console_line_end(struct console_line *line);

enum wry_status console_line_send(const struct console_line *line, const void *bytes, size_t n);

#endif
