/* Listening on a line. */
#include "jobs/console/console_line.h"

#include <string.h>

#include "jobs/station/secrets.h"
#include "jobs/station/serial_text.h"
#include "wrytograph-host/chips.h"

enum {
    SEEN_MAX = 65536, /* bytes of text kept for matching */
    JUDGED = 48,      /* bytes after which a speed is judged */
    BURST = 8,        /* or so many followed by silence */
    READABLE_PERCENT = 80,
    LOST_PERCENT = 65, /* readable bytes below which a speed no longer counts as readable */
};

#define SPEED_TIME 1200000u  /* us to try each speed */
#define BURST_QUIET 100000u  /* us */
#define BOOT_QUIET 30000u    /* us of silence after which the boot text has ended */
#define BOOT_SILENCE 400000u /* us without any boot text */

static uint64_t now(const struct console_line *line)
{
    return station_now(line->station);
}

static void note_speed(const struct console_line *line, enum wry_note note, uint32_t speed,
                       uint32_t other)
{
    station_tell(line->station,
                 (struct wry_event){
                     .kind = WRY_EVENT_NOTE, .note = note, .speed = speed, .other_speed = other});
}

void console_line_init(struct console_line *line, struct wry_station *station, uint32_t speed,
                       uint32_t console)
{
    *line = (struct console_line){.station = station,
                                  .said = g_string_new(NULL),
                                  .seen = g_string_new(NULL),
                                  .rom_line = g_string_new(NULL),
                                  .held = g_string_new(NULL),
                                  .speed = speed,
                                  .first_speed = console > 0 ? console : speed,
                                  .asked_speed = console > 0 ? console : speed,
                                  .next_console = console == speed ? 0 : console};
}

void console_line_clear(struct console_line *line)
{
    g_string_free(line->said, TRUE);
    g_string_free(line->seen, TRUE);
    g_string_free(line->rom_line, TRUE);
    g_string_free(line->held, TRUE);
}

static bool says(const struct console_line *line, const char *words)
{
    return words && strstr(line->rom_line->str, words);
}

/* Recognises messages of the boot ROM; of any chip if the board's is unknown. */
static void judge_rom_line(struct console_line *line)
{
    for (size_t i = 0; wry_chips_at(i); i++) {
        const struct wry_chip *chip = wry_chips_at(i);
        if (line->chip && line->chip->code != chip->code)
            continue;
        if (says(line, chip->says_loading))
            line->rom = CONSOLE_ROM_LOADING;
        else if (says(line, chip->says_nothing))
            line->rom = CONSOLE_ROM_NOTHING;
    }
    g_string_truncate(line->rom_line, 0);
}

/* Complete UTF-8 sequences (RFC 3629) count as text. */
static void note_byte(struct console_line *line, uint8_t byte)
{
    bool continues = line->utf8_left > 0 && (byte & 0xC0) == 0x80;

    line->latest[line->at_speed++ % CONSOLE_LATEST] = serial_text_is_readable(byte);
    if (!continues) {
        line->utf8_length = byte >= 0xC2 && byte < 0xE0   ? 2
                            : byte >= 0xE0 && byte < 0xF0 ? 3
                            : byte >= 0xF0 && byte < 0xF5 ? 4
                                                          : 0;
        line->utf8_left = line->utf8_length > 0 ? line->utf8_length - 1 : 0;
        return;
    }
    line->utf8_left--;
    for (unsigned i = 1; line->utf8_left == 0 && i <= line->utf8_length && i <= line->at_speed; i++)
        line->latest[(line->at_speed - i) % CONSOLE_LATEST] = true;
}

static bool is_kept(uint8_t byte)
{
    return byte == '\n' || (byte >= 0x20 && byte < 0x7F);
}

static void append(GString *text, char c)
{
    if (text->len >= SEEN_MAX)
        g_string_erase(text, 0, SEEN_MAX / 2);
    g_string_append_c(text, c);
}

/* Passes text on without secrets. */
static void pass_on(struct console_line *line, const uint8_t *bytes, size_t n, bool ends)
{
    g_autoptr(GString) shown = g_string_new(NULL);

    secrets_put(line->station->secrets, line->held, bytes, n, ends, shown);
    for (size_t i = 0; i < shown->len; i++) {
        if (is_kept((uint8_t)shown->str[i]))
            append(line->said, shown->str[i]);
    }
    if (shown->len > 0)
        station_tell(line->station, (struct wry_event){.kind = WRY_EVENT_HEARD,
                                                       .bytes = (const uint8_t *)shown->str,
                                                       .n = shown->len});
}

void console_line_hear(struct console_line *line, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        note_byte(line, bytes[i]);
        if (is_kept(bytes[i]))
            append(line->seen, (char)bytes[i]);
        if (bytes[i] == '\n')
            judge_rom_line(line);
        else if (is_kept(bytes[i]) && line->rom_line->len < 256)
            g_string_append_c(line->rom_line, (char)bytes[i]);
    }
    if (n == 0)
        return;
    line->heard_bytes += n;
    line->heard_at = now(line);
    pass_on(line, bytes, n, false);
}

void console_line_end(struct console_line *line)
{
    pass_on(line, NULL, 0, true);
}

enum wry_status console_line_begin(struct console_line *line)
{
    struct wry_session *session = &line->station->session;
    const struct wry_port *port = line->station->port;
    uint8_t bytes[256];
    size_t n = 0;

    line->speed_since = line->heard_at = now(line);
    if (session->port && session->speed == line->speed)
        n = wry_session_take_rest(session, bytes, sizeof bytes);
    console_line_hear(line, bytes, n);
    return n > 0 ? WRY_OK : port->set_speed(port->context, line->speed);
}

static enum wry_status set_speed(struct console_line *line, uint32_t baud, bool discard)
{
    const struct wry_port *port = line->station->port;

    line->speed = baud;
    line->at_speed = 0;
    line->speed_since = line->heard_at = now(line);
    enum wry_status status = port->set_speed(port->context, baud);
    return status == WRY_OK && discard ? port->discard(port->context) : status;
}

static unsigned readable_percent(const struct console_line *line)
{
    unsigned n = MIN(line->at_speed, CONSOLE_LATEST), readable = 0;

    for (unsigned i = 0; i < n; i++)
        readable += line->latest[i];
    return n > 0 ? readable * 100 / n : 100;
}

/* Switches to the firmware's speed after the boot ROM's output. */
static enum wry_status follow_boot(struct console_line *line)
{
    uint32_t console = line->next_console;
    bool ended = line->at_speed > 0 && now(line) >= line->heard_at + BOOT_QUIET;
    bool silent = line->at_speed == 0 && now(line) >= line->speed_since + BOOT_SILENCE;

    if (line->rom == CONSOLE_ROM_NOTHING || line->rom == CONSOLE_ROM_LOADING || (!ended && !silent))
        return WRY_OK;
    line->next_console = 0;
    return set_speed(line, console, false);
}

static enum wry_status try_speed(struct console_line *line, uint32_t speed)
{
    line->searching = true;
    note_speed(line, WRY_NOTE_UNREADABLE, speed, line->speed);
    return set_speed(line, speed, true);
}

/* Tries the next usual speed until text is readable. */
static enum wry_status try_next(struct console_line *line)
{
    if (serial_text_speed(line->next_speed) == line->first_speed)
        line->next_speed++;
    if (serial_text_speed(line->next_speed) == 0) {
        note_speed(line, WRY_NOTE_UNREADABLE_AT_ANY, 0, 0);
        line->settled = true;
        line->gave_up = true;
        line->searching = false;
        return set_speed(line, line->first_speed, true);
    }
    return try_speed(line, serial_text_speed(line->next_speed++));
}

/* The speed was readable and no longer is: the board has changed its speed, most likely to the one
 * that was asked for. */
static enum wry_status watch_speed(struct console_line *line)
{
    if (line->gave_up || line->at_speed < CONSOLE_LATEST || readable_percent(line) >= LOST_PERCENT)
        return WRY_OK;
    line->first_speed = line->speed;
    line->next_speed = 0;
    line->settled = false;
    return line->asked_speed != line->speed ? try_speed(line, line->asked_speed) : try_next(line);
}

static enum wry_status judge_speed(struct console_line *line)
{
    bool enough = line->at_speed >= JUDGED ||
                  (line->at_speed >= BURST && now(line) >= line->heard_at + BURST_QUIET);

    if (line->next_console > 0)
        return follow_boot(line);
    if (line->settled)
        return watch_speed(line);
    if (line->at_speed == 0 || (!enough && now(line) < line->speed_since + SPEED_TIME))
        return WRY_OK;
    if (readable_percent(line) < READABLE_PERCENT)
        return try_next(line);
    line->settled = true;
    line->searching = false;
    if (line->speed != line->first_speed)
        note_speed(line, WRY_NOTE_READABLE, line->speed, 0);
    return WRY_OK;
}

enum wry_status console_line_turn(struct console_line *line)
{
    const struct wry_port *port = line->station->port;
    uint8_t bytes[256];
    size_t got;
    enum wry_status status =
        port->read(port->context, bytes, sizeof bytes, now(line) + CONSOLE_TURN, &got);

    if (status == WRY_OK && got > 0)
        console_line_hear(line, bytes, got);
    return status == WRY_OK ? judge_speed(line) : status;
}

enum wry_status console_line_send(const struct console_line *line, const void *bytes, size_t n)
{
    const struct wry_port *port = line->station->port;

    return n > 0 ? port->write(port->context, bytes, n) : WRY_OK;
}
