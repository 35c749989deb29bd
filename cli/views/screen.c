/* The screen of the serial terminal. */
#include "screen.h"

#include <errno.h>
#include <glib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum {
    LINE_MOST = 4096, /* bytes of a line kept in memory; longer ones are shown in parts */
    ROW = 16,         /* bytes in a line of hexadecimal */
    UTF8_MOST = 4,
    ESCAPE_MOST = 32, /* bytes of a control sequence */
    ESCAPE = 0x1B,
    DELETE = 0x7F,
};

#define PROMPT_TIME 100000 /* us of silence after which an incomplete line is shown */

static const char restart_line[] = "\r\033[K", unpainted[] = "\033[0m";

struct screen {
    struct screen_settings settings;
    bool terminal; /* stdout is one */
    bool utf8;     /* it shows UTF-8 */
    bool unread;
    GString *line;   /* the line that is being received */
    size_t shown;    /* bytes of it that are on the screen */
    bool parted;     /* the beginning of this line is no longer kept */
    bool begun;      /* something of this line is on the screen, or was and is no longer kept */
    bool returned;   /* the last byte was a carriage return */
    gint64 heard_at; /* us */
    uint8_t tail[UTF8_MOST]; /* incomplete UTF-8 sequence */
    size_t tail_length, tail_whole;
    char escape[ESCAPE_MOST]; /* incomplete control sequence */
    size_t escape_length;
    bool painted;     /* the board has set a colour */
    uint8_t row[ROW]; /* hexadecimal */
    size_t row_length;
    uint64_t row_offset;
};

struct screen *screen_new(const struct screen_settings *settings)
{
    struct screen *s = g_new0(struct screen, 1);

    s->settings = *settings;
    s->terminal = isatty(STDOUT_FILENO);
    s->utf8 = g_get_charset(NULL);
    s->line = g_string_new(NULL);
    return s;
}

static void flush(struct screen *s)
{
    s->unread = s->unread || (fflush(stdout) != 0 && errno == EPIPE);
}

static char *stamp(const char *format)
{
    g_autoptr(GDateTime) time = g_date_time_new_now_local();
    g_autofree char *seconds = g_date_time_format(time, format);

    return g_strdup_printf("%s.%03d ", seconds, g_date_time_get_microsecond(time) / 1000);
}

static void log_line(const struct screen *s, const char *mark, const char *line)
{
    g_autofree char *time = s->settings.log ? stamp("%Y-%m-%d %H:%M:%S") : NULL;

    if (!s->settings.log)
        return;
    fprintf(s->settings.log, "%s%s%s\n", time, mark, line);
    fflush(s->settings.log);
}

/* Lines with hexadecimal are shown by row; a line that may be left out, when it is complete. */
static bool shows_parts(const struct screen *s)
{
    return !s->settings.quiet && !s->settings.hex && !s->settings.only;
}

static void show_time(const struct screen *s)
{
    g_autofree char *time = s->settings.timestamps && !s->begun ? stamp("%H:%M:%S") : NULL;

    if (time)
        fputs(time, stdout);
}

static void show_rest(struct screen *s)
{
    if (s->shown == s->line->len || !shows_parts(s))
        return;
    show_time(s);
    fwrite(s->line->str + s->shown, 1, s->line->len - s->shown, stdout);
    s->shown = s->line->len;
    s->begun = true;
    flush(s);
}

static void end_line(struct screen *s)
{
    const char *only = s->settings.only;

    log_line(s, "", s->line->str);
    if (shows_parts(s)) {
        show_rest(s);
        if (s->line->len == 0)
            show_time(s);
        /* If it gave way, it has ended already. */
        if (s->begun || s->line->len == 0)
            fputs("\n", stdout);
    } else if (!s->settings.quiet && !s->settings.hex && strstr(s->line->str, only)) {
        g_autofree char *time = s->settings.timestamps ? stamp("%H:%M:%S") : g_strdup("");
        printf("%s%s\n", time, s->line->str);
    }
    flush(s);
    g_string_truncate(s->line, 0);
    s->shown = 0;
    s->begun = s->parted = false;
}

static void put(struct screen *s, const char *text, size_t n)
{
    g_string_append_len(s->line, text, (gssize)n);
    if (s->line->len < LINE_MOST)
        return;
    show_rest(s);
    log_line(s, "", s->line->str);
    g_string_truncate(s->line, 0);
    s->shown = 0;
    s->parted = true;
}

static void put_byte(struct screen *s, uint8_t byte)
{
    char text[8];

    if ((byte >= 0x20 && byte < 0x7F) || byte == '\t')
        snprintf(text, sizeof text, "%c", byte);
    else
        snprintf(text, sizeof text, "<%02X>", byte);
    put(s, text, strlen(text));
}

/* The bytes of an incomplete sequence, one by one. */
static void give_up_tail(struct screen *s)
{
    for (size_t i = 0; i < s->tail_length; i++)
        put_byte(s, s->tail[i]);
    s->tail_length = 0;
}

/* Collects a UTF-8 sequence (RFC 3629); control characters among them are shown as bytes. */
static bool is_part_of_sequence(struct screen *s, uint8_t byte)
{
    bool leads = byte >= 0xC2 && byte < 0xF5, follows = (byte & 0xC0) == 0x80;

    if (!s->utf8 || byte < 0x80 || (s->tail_length == 0 && !leads))
        return false;
    if (s->tail_length > 0 && !follows)
        return false;
    if (s->tail_length == 0)
        s->tail_whole = byte < 0xE0 ? 2 : byte < 0xF0 ? 3 : 4;
    s->tail[s->tail_length++] = byte;
    if (s->tail_length < s->tail_whole)
        return true;
    gunichar c = g_utf8_get_char_validated((const char *)s->tail, (gssize)s->tail_length);
    if (c < 0x110000 && g_unichar_isprint(c)) {
        put(s, (const char *)s->tail, s->tail_length);
        s->tail_length = 0;
    } else {
        give_up_tail(s);
    }
    return true;
}

/* A sequence that is none after all is shown as bytes. */
static void give_up_escape(struct screen *s)
{
    size_t n = s->escape_length;

    s->escape_length = 0;
    for (size_t i = 0; i < n; i++)
        put_byte(s, (uint8_t)s->escape[i]);
}

/* Colours are shown as the board wants them, where the terminal has any. */
static void end_escape(struct screen *s)
{
    bool colour = s->escape[s->escape_length - 1] == 'm' &&
                  strspn(s->escape + 2, "0123456789;:") == s->escape_length - 3;

    if (colour && s->settings.colours && shows_parts(s)) {
        show_rest(s);
        show_time(s);
        fwrite(s->escape, 1, s->escape_length, stdout);
        s->begun = s->painted = true;
    }
    s->escape_length = 0;
}

/* Collects a control sequence (ECMA-48, 5.4): it is left out, since it would move the cursor of
 * other lines, too. */
static bool is_part_of_escape(struct screen *s, uint8_t byte)
{
    bool introduces = s->escape_length == 1 && byte == '[';
    bool goes_on = s->escape_length > 1 && byte >= 0x20 && byte <= 0x3F;
    bool ends = s->escape_length > 1 && byte >= 0x40 && byte <= 0x7E;

    if (!introduces && !goes_on && !ends)
        give_up_escape(s);
    if (s->escape_length == 0 && byte != ESCAPE)
        return false;
    s->escape[s->escape_length++] = (char)byte;
    if (ends)
        end_escape(s);
    else if (s->escape_length == ESCAPE_MOST)
        give_up_escape(s);
    return true;
}

/* A board that echoes takes a character back. */
static void step_back(struct screen *s)
{
    const char *last = s->line->str + s->line->len;

    do
        last--;
    while (last > s->line->str && ((uint8_t)*last & 0xC0) == 0x80);
    gunichar c = g_utf8_get_char_validated(last, -1);
    g_string_truncate(s->line, (gsize)(last - s->line->str));
    if (s->shown <= s->line->len)
        return;
    s->shown = s->line->len;
    if (s->terminal)
        fputs(c < 0x110000 && g_unichar_iswide(c) ? "\b\b  \b\b" : "\b \b", stdout);
}

/* A carriage return alone: progress that is drawn anew. */
static void rewrite_line(struct screen *s)
{
    if (s->terminal && shows_parts(s)) {
        fputs(restart_line, stdout);
        g_string_truncate(s->line, 0);
        s->shown = 0;
        s->begun = false;
    } else {
        end_line(s);
    }
}

static void hear_byte(struct screen *s, uint8_t byte)
{
    if (s->tail_length > 0) {
        if (is_part_of_sequence(s, byte))
            return;
        give_up_tail(s);
    }
    if (is_part_of_escape(s, byte))
        return;
    bool alone = s->returned && byte != '\n' && byte != '\r';
    s->returned = byte == '\r';
    if (alone && s->line->len > 0)
        rewrite_line(s);
    if (byte == '\n')
        end_line(s);
    else if ((byte == '\b' || byte == DELETE) && s->line->len > 0)
        step_back(s);
    else if (byte != '\r' && !is_part_of_sequence(s, byte))
        put_byte(s, byte);
}

static void show_row(struct screen *s)
{
    if (s->row_length == 0)
        return;
    printf("%06" G_GINT64_MODIFIER "X ", (guint64)s->row_offset);
    for (size_t i = 0; i < ROW; i++) {
        if (i < s->row_length)
            printf(" %02X", s->row[i]);
        else
            fputs("   ", stdout);
    }
    fputs("  ", stdout);
    for (size_t i = 0; i < s->row_length; i++)
        putchar(s->row[i] >= 0x20 && s->row[i] < 0x7F ? s->row[i] : '.');
    putchar('\n');
    flush(s);
    s->row_offset += s->row_length;
    s->row_length = 0;
}

void screen_hear(struct screen *s, const uint8_t *bytes, size_t n)
{
    s->heard_at = g_get_monotonic_time();
    for (size_t i = 0; i < n; i++) {
        if (s->settings.hex && !s->settings.quiet) {
            s->row[s->row_length++] = bytes[i];
            if (s->row_length == ROW)
                show_row(s);
        }
        hear_byte(s, bytes[i]);
    }
    if (s->terminal)
        show_rest(s);
}

void screen_tick(struct screen *s)
{
    if (g_get_monotonic_time() < s->heard_at + PROMPT_TIME)
        return;
    give_up_tail(s);
    give_up_escape(s);
    show_row(s);
    show_rest(s);
}

void screen_drop_line(struct screen *s)
{
    screen_give_way(s);
    g_string_truncate(s->line, 0);
    s->shown = s->tail_length = 0;
}

static void unpaint(struct screen *s)
{
    if (s->painted)
        fputs(unpainted, stdout);
    s->painted = false;
}

void screen_give_way(struct screen *s)
{
    struct winsize size;

    unpaint(s);
    if (!s->begun || !s->terminal)
        return;
    /* A line that takes one row is shown again afterwards; stamps take less than 16 columns. */
    bool fits = ioctl(STDOUT_FILENO, TIOCGWINSZ, &size) == 0 && s->line->len + 16 < size.ws_col &&
                !s->parted;
    fputs(fits ? restart_line : "\n", stdout);
    flush(s);
    s->begun = false;
    if (fits)
        s->shown = 0;
}

void screen_sent(struct screen *s, const char *line)
{
    log_line(s, "> ", line);
}

bool screen_is_unread(const struct screen *s)
{
    return s->unread;
}

void screen_free(struct screen *s)
{
    give_up_tail(s);
    give_up_escape(s);
    show_row(s);
    unpaint(s);
    if (s->line->len > 0 || s->begun)
        end_line(s);
    g_string_free(s->line, TRUE);
    g_free(s);
}
