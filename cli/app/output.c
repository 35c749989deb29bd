/*
 * Output of the command: all text for the terminal and for JSON passes here. Control characters are
 * made visible, invalid UTF-8 is replaced, long lines are wrapped.
 */
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "app.h"

enum {
    INDENT = 2, /* indentation of wrapped lines */
    NARROWEST = 40,
};

/* True for control characters (C0, C1) and marks that change the writing direction. */
static bool steers(gunichar c)
{
    return (c < 0x20 && c != '\n' && c != '\t') || (c >= 0x7F && c < 0xA0) ||
           (c >= 0x202A && c <= 0x202E) || (c >= 0x2066 && c <= 0x2069);
}

char *app_printable(const char *text)
{
    g_autofree char *valid = g_utf8_make_valid(text, -1);
    GString *clean = g_string_new(NULL);

    for (const char *at = valid; *at; at = g_utf8_next_char(at)) {
        gunichar c = g_utf8_get_char(at);
        if (steers(c))
            g_string_append_printf(clean, "<%02X>", (unsigned)c);
        else
            g_string_append_unichar(clean, c);
    }
    return g_string_free(clean, FALSE);
}

/* The same for the terminal: in a locale without UTF-8 (RFC 3629), the few non-ASCII signs as
 * ASCII. */
static char *shown(const char *text)
{
    static const char *const signs[][2] = {{"…", "..."}, {"→", "->"}, {"–", "-"}};
    char *clean = app_printable(text);

    if (g_get_charset(NULL))
        return clean;
    GString *plain = g_string_new(clean);
    for (size_t i = 0; i < G_N_ELEMENTS(signs); i++)
        g_string_replace(plain, signs[i][0], signs[i][1], 0);
    g_free(clean);
    return g_string_free(plain, FALSE);
}

/* Columns of the terminal; 0 if it is not one. */
static unsigned columns_of(int file)
{
    struct winsize size;

    if (!isatty(file) || ioctl(file, TIOCGWINSZ, &size) != 0 || size.ws_col < NARROWEST)
        return 0;
    return size.ws_col;
}

/* Where to break a long line: at the last space that fits after its indentation. */
static const char *break_at(const char *line, unsigned columns)
{
    const char *at = line, *best = NULL;
    bool begun = false;

    for (unsigned n = 0; *at && n < columns; n++, at = g_utf8_next_char(at)) {
        begun |= *at != ' ';
        if (*at == ' ' && begun)
            best = at;
    }
    if (*at == ' ' && begun)
        best = at;
    /* A word that is wider than the terminal is not broken: the line ends after it. */
    if (!*at)
        return NULL;
    return best ? best : strchr(at, ' ');
}

static void put_hanging(FILE *to, const char *line, unsigned columns, unsigned indent)
{
    unsigned room = columns;

    if (indent > columns / 2)
        indent = INDENT;
    for (const char *end; columns > 0 && (end = break_at(line, room));) {
        fprintf(to, "%.*s\n%*s", (int)(end - line), line, (int)indent, "");
        line = end + strspn(end, " ");
        room = columns - indent;
    }
    fputs(line, to);
}

static void put_line(FILE *to, const char *line, unsigned columns)
{
    put_hanging(to, line, columns, (unsigned)strspn(line, " ") + INDENT);
}

void app_put(FILE *to, const char *text)
{
    g_autofree char *clean = shown(text);
    g_auto(GStrv) lines = g_strsplit(clean, "\n", -1);
    unsigned columns = columns_of(fileno(to));

    for (char **line = lines; *line; line++) {
        put_line(to, *line, columns);
        if (line[1])
            putc('\n', to);
    }
}

void app_put_hanging(FILE *to, unsigned indent, const char *line)
{
    g_autofree char *clean = shown(line);

    put_hanging(to, clean, columns_of(fileno(to)),
                indent > 0 ? indent : (unsigned)strspn(clean, " "));
    putc('\n', to);
}

void app_note(const struct app *app, const char *format, ...)
{
    va_list arguments;

    FILE *to = app->notes ? app->notes : stderr;

    if (app->quiet && !app->failing && to == stderr)
        return;
    fflush(stdout);
    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    app_put(to, text);
    fputc('\n', to);
}

/* NULL if JSON is wanted; free with g_free. */
__attribute__((format(printf, 2, 0))) static char *to_print(const struct app *app,
                                                            const char *format, va_list arguments)
{
    return app->json_wanted ? NULL : g_strdup_vprintf(format, arguments);
}

void app_print_exactly(const struct app *app, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = to_print(app, format, arguments);
    va_end(arguments);
    g_autofree char *clean = text ? shown(text) : NULL;
    if (clean)
        puts(clean);
}

void app_print_hanging(const struct app *app, unsigned indent, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = to_print(app, format, arguments);
    va_end(arguments);
    if (text)
        app_put_hanging(stdout, indent, text);
}

void app_print(const struct app *app, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = to_print(app, format, arguments);
    va_end(arguments);
    if (!text)
        return;
    app_put(stdout, text);
    putchar('\n');
}

unsigned app_columns(void)
{
    return columns_of(STDOUT_FILENO);
}

bool app_is_painted(void)
{
    const char *no_color = g_getenv("NO_COLOR"), *terminal = g_getenv("TERM");

    return isatty(STDOUT_FILENO) && (!no_color || no_color[0] == '\0') &&
           g_strcmp0(terminal, "dumb") != 0;
}

bool app_has_many_colours(void)
{
    static const char *const able[] = {"256color", "xterm", "screen", "tmux", "rxvt"};
    const char *terminal = g_getenv("TERM");

    for (size_t i = 0; terminal && i < G_N_ELEMENTS(able); i++) {
        if (strstr(terminal, able[i]))
            return true;
    }
    return g_getenv("COLORTERM") != NULL;
}

const char *app_paint(enum app_colour colour)
{
    static const char *const colours[][2] = {
        [APP_GREEN] = {"\033[32m", "\033[38;5;28m"},  [APP_RED] = {"\033[31m", "\033[38;5;160m"},
        [APP_AMBER] = {"\033[35m", "\033[38;5;130m"}, [APP_BLUE] = {"\033[34m", "\033[38;5;32m"},
        [APP_CYAN] = {"\033[36m", "\033[38;5;30m"},   [APP_FAINT] = {"\033[2m", "\033[2m"},
        [APP_BOLD] = {"\033[1m", "\033[1m"},
    };
    return app_is_painted() ? colours[colour][app_has_many_colours()] : "";
}

void app_outcome(const struct app *app, bool good, const char *format, ...)
{
    bool painted = app_is_painted();
    va_list arguments;

    if (app->json_wanted)
        return;
    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    fputs(app_paint(good ? APP_GREEN : APP_RED), stdout);
    app_put(stdout, text);
    puts(painted ? "\033[0m" : "");
}

char *app_count(uint64_t n, const char *what)
{
    return g_strdup_printf("%" G_GUINT64_FORMAT " %s%s", n, what, n == 1 ? "" : "s");
}
