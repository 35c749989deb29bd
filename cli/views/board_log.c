/* The log of one board's run. */
#include "board_log.h"

#include <errno.h>
#include <stdio.h>

#include "announce.h"
#include "explain.h"
#include "output_file.h"
#include "wrytograph-host/card.h"

enum {
    LINE_MOST = 4096, /* most bytes of a line without an end */
};

struct board_log {
    struct app app; /* whose notes are collected in a string */
    char *path;
    FILE *file, *memory;
    char *noted;
    size_t noted_bytes;
    const struct wry_station *station;
    GString *heard; /* incomplete line */
};

char *board_log_folder(void)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *time = g_date_time_format(now, "%Y%m%dT%H%M%SZ");

    g_autofree char *logs = wry_card_logs_folder();

    return g_build_filename(logs, time, NULL);
}

static FILE *open_file(const char *folder, const char *link, char **path, GError **error)
{
    g_autofree char *base = g_strdup(link);

    g_strdelimit(base, "/:?*[]\\ ", '-');
    g_autofree char *name = g_strconcat(base[0] == '-' ? base + 1 : base, ".log", NULL);
    FILE *file;

    *path = g_build_filename(folder, name, NULL);
    file = g_mkdir_with_parents(folder, 0700) == 0 ? fopen(*path, "ae") : NULL;
    if (!file)
        g_set_error(error, G_FILE_ERROR, g_file_error_from_errno(errno), "%s: %s", *path,
                    g_strerror(errno));
    return file;
}

struct board_log *board_log_open(const char *folder, const char *link, GError **error)
{
    g_autofree char *path = NULL;
    FILE *file = open_file(folder, link, &path, error);
    struct board_log *log;

    if (!file)
        return NULL;
    log = g_new0(struct board_log, 1);
    log->path = g_steal_pointer(&path);
    log->file = file;
    log->memory = open_memstream(&log->noted, &log->noted_bytes);
    log->app.notes = log->memory;
    log->heard = g_string_new(NULL);
    return log;
}

void board_log_masked_by(struct board_log *log, const struct wry_station *station)
{
    log->station = station;
    log->app.station = (struct wry_station *)station; /* the views do not change it */
}

void board_log_line(struct board_log *log, const char *text)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *time = g_date_time_format(now, "%Y-%m-%dT%H:%M:%S");
    g_autofree char *masked =
        log->station ? wry_station_masked(log->station, text) : g_strdup(text);
    g_autofree char *clean = app_printable(masked);
    g_auto(GStrv) lines = g_strsplit(clean, "\n", -1);

    for (char **line = lines; *line; line++) {
        if (**line != '\0')
            fprintf(log->file, "%s.%03dZ %s\n", time, g_date_time_get_microsecond(now) / 1000,
                    *line);
    }
    fflush(log->file);
}

static void flush_notes(struct board_log *log)
{
    fflush(log->memory);
    if (log->noted_bytes == 0)
        return;
    g_autofree char *text = g_strndup(log->noted, log->noted_bytes);
    board_log_line(log, text);
    rewind(log->memory);
    fflush(log->memory);
    log->noted_bytes = 0;
}

/* Ends the current line; a NUL is shown like other unprintable bytes. */
static void end_heard_line(struct board_log *log)
{
    g_autoptr(GString) text = g_string_new("> ");

    for (gsize i = 0; i < log->heard->len; i++) {
        char c = log->heard->str[i];
        if (c == '\0')
            g_string_append(text, "<00>");
        else
            g_string_append_c(text, c);
    }
    g_strchomp(text->str);
    board_log_line(log, text->str);
    g_string_truncate(log->heard, 0);
}

/* The bytes are already masked. A line without end is written in pieces. */
static void hear(struct board_log *log, const struct wry_event *event)
{
    for (size_t i = 0; i < event->n; i++) {
        if (event->bytes[i] == '\n' || log->heard->len >= LINE_MOST)
            end_heard_line(log);
        if (event->bytes[i] != '\n')
            g_string_append_c(log->heard, (char)event->bytes[i]);
    }
}

void board_log_take(struct board_log *log, const struct wry_event *event)
{
    g_autofree char *step = NULL;

    switch (event->kind) {
    case WRY_EVENT_RUN_STEP:
        step = g_strdup_printf("-- %s", wry_run_step_name(event->run_step));
        board_log_line(log, step);
        break;
    case WRY_EVENT_NOTE:
        explain_note(&log->app, event);
        break;
    case WRY_EVENT_PLANNED:
        announce(&log->app, event->planned);
        break;
    case WRY_EVENT_HEARD:
        hear(log, event);
        break;
    default:
        break;
    }
    flush_notes(log);
}

bool board_log_close(struct board_log *log, GError **error)
{
    if (!log)
        return true;
    if (log->heard->len > 0)
        end_heard_line(log);
    fclose(log->memory);
    free(log->noted);
    bool written = output_file_close(log->file, log->path, error);
    g_string_free(log->heard, TRUE);
    g_free(log->path);
    g_free(log);
    return written;
}
