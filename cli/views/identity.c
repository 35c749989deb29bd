/* What a board is, and what is on it. */
#include "identity.h"

#include "contents_table.h"
#include "json.h"
#include "words.h"
#include "wrytograph-host/units.h"

static void print_board(const struct app *app, const struct wry_identity *identity)
{
    const struct wry_hello_reply *board = &identity->board;
    g_autofree char *address = wry_units_address(board->eui48);
    g_autofree char *size = wry_units_flash_size(board->capacity);
    g_autofree char *jedec = wry_units_jedec(board->jedec);
    g_autofree char *protected = words_protected(identity);
    g_autofree char *limit = wry_flash_limit_text(board->flash_limit, board->erase_least);

    app_print(app, "address   %s", address);
    app_print(app, "chip      %s, revision %u", identity->chip ? identity->chip->title : "unknown",
              board->chip_revision);
    app_print(app, "flash     %s, JEDEC ID %s", size, jedec);
    app_print(app, "protected %s", protected);
    if (limit)
        app_print(app, "limit     can be read, not written: %s", limit);
    app_print(app, "link      %s at %u baud", identity->link, (unsigned)identity->speed);
}

/* "3 days old"; free with g_free. */
static char *age_of(const char *created)
{
    g_autoptr(GDateTime) then = g_date_time_new_from_iso8601(created, NULL);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    GTimeSpan age = then ? g_date_time_difference(now, then) : -1;
    g_autofree char *days = NULL;

    if (age < 0)
        return g_strdup("of unknown age");
    if (age < G_TIME_SPAN_HOUR)
        return g_strdup("less than an hour old");
    days = age < G_TIME_SPAN_DAY ? app_count((uint64_t)(age / G_TIME_SPAN_HOUR), "hour")
                                 : app_count((uint64_t)(age / G_TIME_SPAN_DAY), "day");
    return g_strdup_printf("%s old", days);
}

static void print_backup(const struct app *app, const struct wry_known_backup *backup)
{
    g_autofree char *age = backup->created ? age_of(backup->created) : NULL;

    if (!backup->told)
        app_print(app, "backup    not known: %s", backup->reason);
    else if (!backup->any)
        app_print(app, "backup    none known; 'wrytograph backup' makes one");
    else
        app_print(app, "backup    %s, %s%s", backup->path, age,
                  backup->whole ? "" : "; of parts only");
}

void identity_print(const struct app *app, const struct wry_identity *identity)
{
    print_board(app, identity);
    print_backup(app, &identity->backup);
    app_print(app, "layout    %s", words_layout(&identity->layout));
    if (identity->contents)
        contents_table_print(app, "", identity->contents);
    if (identity->deep && identity->flash_found >= identity->board.capacity)
        app_print(app, "deep      %s",
                  identity->deep_blank
                      ? "the flash is blank, which proves nothing about its size"
                      : "content does not repeat: the flash is as large as it claims");
}

void identity_add(const struct app *app, const struct wry_identity *identity)
{
    JsonBuilder *b = app->json;

    json_add_identity(b, identity);
    json_builder_set_member_name(b, "backup");
    json_builder_begin_object(b);
    json_add_boolean(b, "known", identity->backup.told);
    json_add_boolean(b, "there_is_one", identity->backup.any);
    json_add_boolean(b, "of_all", identity->backup.whole);
    if (identity->backup.path)
        json_add_text(b, "file", identity->backup.path);
    if (identity->backup.created)
        json_add_text(b, "created", identity->backup.created);
    json_builder_end_object(b);
    if (identity->contents)
        contents_table_add(app, identity->contents);
}
