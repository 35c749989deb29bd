/* Input files. */
#include "wrytograph-host/text_file.h"

#include <errno.h>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <yaml.h>

enum {
    READ_AT_ONCE = 65536, /* bytes */
};

static void fail(GError **error, enum wry_text_file_error code, const char *path, const char *what)
{
    g_set_error(error, WRY_TEXT_FILE_ERROR, (int)code, "%s: %s", path, what);
}

int wry_text_file_open_plain(const char *path, GError **error)
{
    /* Without O_NONBLOCK, opening a pipe waits for a writer. */
    int file = open(path, O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
    struct stat info;

    if (file < 0 || fstat(file, &info) != 0) {
        fail(error, WRY_TEXT_FILE_ERROR_SYSTEM, path, g_strerror(errno));
    } else if (!S_ISREG(info.st_mode)) {
        fail(error, WRY_TEXT_FILE_ERROR_KIND, path,
             S_ISDIR(info.st_mode) ? "a folder, not a file" : "not a regular file");
    } else {
        return file;
    }
    if (file >= 0)
        close(file);
    return -1;
}

/* Skips a string; a backslash escapes the next character. */
static size_t skip_string(const char *text, size_t length)
{
    size_t at = 1;

    while (at < length && text[at] != text[0])
        at += text[at] == '\\' && text[0] == '"' ? 2 : 1;
    return at < length ? at : length;
}

static bool json_is_shallow(const char *text, size_t length)
{
    unsigned depth = 0;

    for (size_t i = 0; i < length && depth <= WRY_TEXT_FILE_DEPTH; i++) {
        char c = text[i];
        if (c == '"')
            i += skip_string(text + i, length - i);
        else if (c == '[' || c == '{')
            depth++;
        else if ((c == ']' || c == '}') && depth > 0)
            depth--;
    }
    return depth <= WRY_TEXT_FILE_DEPTH;
}

/* Counts by libyaml's events, which nest without recursion: brackets in texts and comments do not
 * count. Invalid YAML is left to the real reader. */
static bool yaml_is_shallow(const char *text, size_t length)
{
    unsigned depth = 0;
    bool ended = false;
    yaml_parser_t parser;
    yaml_event_t event;

    if (!yaml_parser_initialize(&parser))
        return false;
    yaml_parser_set_input_string(&parser, (const unsigned char *)text, length);
    while (!ended && depth <= WRY_TEXT_FILE_DEPTH && yaml_parser_parse(&parser, &event)) {
        depth += event.type == YAML_SEQUENCE_START_EVENT || event.type == YAML_MAPPING_START_EVENT;
        depth -= event.type == YAML_SEQUENCE_END_EVENT || event.type == YAML_MAPPING_END_EVENT;
        ended = event.type == YAML_STREAM_END_EVENT;
        yaml_event_delete(&event);
    }
    yaml_parser_delete(&parser);
    return depth <= WRY_TEXT_FILE_DEPTH;
}

bool wry_text_file_is_shallow(const char *text, size_t length, enum wry_text_file_kind kind)
{
    switch (kind) {
    case WRY_TEXT_FILE_JSON:
        return json_is_shallow(text, length);
    case WRY_TEXT_FILE_YAML:
        return yaml_is_shallow(text, length);
    default:
        return true;
    }
}

/* Reads a little more than most bytes if there are more. */
static char *read_all(int file, const char *path, size_t most, size_t *length, GError **error)
{
    GString *text = g_string_sized_new(READ_AT_ONCE);
    ssize_t n = 1;

    while (text->len <= most && n > 0) {
        size_t before = text->len;
        g_string_set_size(text, before + READ_AT_ONCE);
        n = read(file, text->str + before, READ_AT_ONCE);
        g_string_truncate(text, before + (n > 0 ? (size_t)n : 0));
    }
    *length = text->len;
    if (n >= 0)
        return g_string_free(text, FALSE);
    fail(error, WRY_TEXT_FILE_ERROR_SYSTEM, path, g_strerror(errno));
    g_string_free(text, TRUE);
    return NULL;
}

char *wry_text_file_read(const char *path, enum wry_text_file_kind kind, size_t *length,
                         GError **error)
{
    bool table = kind == WRY_TEXT_FILE_TABLE;
    size_t most = table ? WRY_TEXT_FILE_TABLE_MAX : WRY_TEXT_FILE_MAX;
    int file = wry_text_file_open_plain(path, error);
    char *text = file >= 0 ? read_all(file, path, most, length, error) : NULL;

    if (file >= 0)
        close(file);
    if (text && *length <= most && wry_text_file_is_shallow(text, *length, kind))
        return text;
    if (text)
        fail(error, WRY_TEXT_FILE_ERROR_TOO_LARGE, path,
             *length <= most ? "nested too deeply"
             : table         ? "larger than 32 MiB, the most for a table"
                             : "larger than 256 KiB, the most for such a file");
    g_free(text);
    return NULL;
}
