/* A board, and the content of its flash. */
#include "identity.h"

#include <json-glib/json-glib.h>

#include "contents_table.h"
#include "facts.h"
#include "json.h"
#include "words.h"
#include "wrytograph-host/units.h"

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

/* What the size rests on, as a word for documents; NULL: an older board does not say. */
static const char *size_source(const struct wry_identity *identity)
{
    static const char *const words[] = {
        [WRY_SIZE_TABLE] = "table", [WRY_SIZE_ID] = "id", [WRY_SIZE_TOLD] = "told"};

    if (identity->flash_measured)
        return "measured";
    return identity->board.size_from < G_N_ELEMENTS(words) ? words[identity->board.size_from]
                                                           : NULL;
}

/* The same for the line, for sizes that the flash itself does not report. */
static const char *size_basis(const struct wry_identity *identity)
{
    if (identity->flash_measured)
        return ", measured";
    switch (identity->board.size_from) {
    case WRY_SIZE_ID:
        return " by its ID";
    case WRY_SIZE_TOLD:
        return " as given";
    default:
        return "";
    }
}

static void show_board(const struct facts *facts, const struct wry_identity *identity)
{
    const struct wry_hello_reply *board = &identity->board;
    JsonBuilder *b = facts->app->json;
    g_autofree char *address = wry_units_address(board->eui48);
    g_autofree char *size = wry_units_flash_size(board->capacity);
    g_autofree char *jedec = wry_units_jedec(board->jedec);
    g_autofree char *protected = words_protected(identity);
    g_autofree char *limit = wry_flash_limit_text(board->flash_limit, board->erase_least);

    facts_add(facts, "address", "address", address);
    if (identity->chip)
        facts_line(facts, "chip", "%s, revision %u", identity->chip->title, board->chip_revision);
    else
        facts_line(facts, "chip", "unknown, code 0x%04X, revision %u; --chip-file makes it known",
                   board->chip_code, board->chip_revision);
    facts_add(facts, NULL, "chip", identity->chip ? identity->chip->name : "unknown");
    json_add(b, json_number("chip_code", board->chip_code),
             json_number("chip_revision", board->chip_revision));
    facts_line(facts, "flash", "%s%s, JEDEC ID %s", size, size_basis(identity), jedec);
    facts_add(facts, NULL, "flash_size_from", size_source(identity));
    json_add(b, json_number("flash_bytes", board->capacity));
    facts_add(facts, NULL, "jedec_id", jedec);
    facts_add(facts, "protected", "protected", protected);
    if (limit)
        facts_line(facts, "limit", "can be read, not written: %s", limit);
    facts_add(facts, NULL, "limit", limit);
    json_add(b, json_number("block_protect_bits", board->protect));
    facts_line(facts, "link", "%s at %u baud", identity->link, (unsigned)identity->speed);
    facts_add(facts, NULL, "link", identity->link);
    json_add(b, json_number("speed_baud", identity->speed));
}

static void show_backup(const struct facts *facts, const struct wry_known_backup *backup)
{
    g_autofree char *age = backup->created ? age_of(backup->created) : NULL;
    JsonBuilder *b = facts->app->json;

    if (!backup->told)
        facts_line(facts, "backup", "not known: %s", backup->reason);
    else if (!backup->any)
        facts_line(facts, "backup", "none known; 'wrytograph backup' makes one");
    else
        facts_line(facts, "backup", "%s, %s%s", backup->path, age,
                   backup->whole ? "" : "; of parts only");
    json_begin_object(b, "backup");
    json_add(b, json_flag("known", backup->told), json_flag("there_is_one", backup->any),
             json_flag("of_all", backup->whole));
    facts_add(facts, NULL, "file", backup->path);
    facts_add(facts, NULL, "created", backup->created);
    json_builder_end_object(b);
}

void identity_show(const struct app *app, const struct wry_identity *identity)
{
    struct facts facts = {.app = app, .width = 9};

    show_board(&facts, identity);
    facts_add(&facts, NULL, "layout_source", words_layout(&identity->layout));
    json_add_regions(app->json, &identity->layout.table);
    if (identity->deep)
        json_add(app->json, json_number("flash_bytes_found", identity->flash_found));
    show_backup(&facts, &identity->backup);
    facts_add(&facts, "layout", NULL, words_layout(&identity->layout));
    if (identity->contents) {
        contents_table_print(&facts, "", identity->contents, true);
        contents_table_add(app, identity->contents);
    }
    if (identity->deep && identity->flash_found >= identity->board.capacity)
        facts_add(&facts, "deep", NULL,
                  identity->deep_blank ? "the flash is blank, which proves nothing about its size"
                                       : "content does not repeat: the flash has its claimed size");
}
