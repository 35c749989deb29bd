/* Recognises the content of each region. */
#include "jobs/look/contents.h"

#include <string.h>

#include "jobs/plan/shelf_items.h"
#include "jobs/station/settings_read.h"
#include "store/image/settings_file.h"
#include "wrytograph/region_table.h"

enum {
    LOOKED_AT = 512, /* bytes read of a region, enough to recognise an archive */
    TAR_MAGIC_AT = 257,
};

/* Digests of programs are checked unasked if all of them together take no longer than LOOK_TIME;
 * the board takes about DIGEST_TIME per byte, or less with an accelerator, which the first shows.
 */
#define LOOK_TIME 450000u   /* us */
#define DIGEST_TIME 730u    /* ns */
#define DIGEST_MARGIN 1250u /* ns allowed for each us that was measured, */
#define DIGEST_LEAST 60u    /* ns: and no less than this */

struct looking {
    struct flash_reader *reader;
    bool table_is_valid, all;
    uint64_t begun;       /* us, on the link's clock */
    uint64_t digest_time; /* ns per byte */
    const GPtrArray *items;
    GPtrArray *contents;
};

void contents_free_setting(void *item)
{
    struct wry_shown_setting *setting = item;

    g_free(setting->key);
    g_free(setting->value);
    g_free(setting);
}

struct wry_shown_setting *contents_shown(const struct wry_setting *setting)
{
    struct wry_shown_setting *shown = g_new0(struct wry_shown_setting, 1);

    shown->key = g_strndup(setting->key, setting->key_length);
    shown->value = settings_text(setting);
    return shown;
}

static void free_content(void *item)
{
    struct wry_content_of *content = item;

    g_free(content->on_shelf);
    if (content->settings)
        g_ptr_array_unref(content->settings);
    g_free(content);
}

/* A partial backup may not have these bytes. */
static bool may_be_unread(const struct looking *l, struct wry_content_of *content)
{
    content->holds = WRY_HOLDS_UNREAD;
    return l->reader->archive != NULL;
}

static void show_settings(struct wry_content_of *content, const struct settings_copy *found)
{
    struct settings *settings = settings_from_block(found->bytes, &found->head);

    content->generation = found->head.generation;
    content->settings = g_ptr_array_new_with_free_func(contents_free_setting);
    for (guint i = 0; i < settings_count(settings); i++) {
        g_ptr_array_add(content->settings, contents_shown(settings_at(settings, i)));
    }
    settings_free(settings);
}

/* Settings regions: their blocks, otherwise their first bytes. */
static bool look_at_settings(struct looking *l, struct wry_content_of *content)
{
    struct settings_copy found;

    if (!settings_read(l->reader, &content->region, &found)) {
        g_free(found.bytes);
        return false;
    }
    if (found.found) {
        content->holds = WRY_HOLDS_SETTINGS;
        show_settings(content, &found);
    } else if (found.damaged) {
        content->holds = WRY_HOLDS_DAMAGED_SETTINGS;
    }
    g_free(found.bytes);
    return true;
}

static void judge_program(struct wry_content_of *content, const uint8_t *bytes)
{
    uint32_t room = content->region.length - WRY_BOOT_HEADER_SIZE - WRY_SHA256_SIZE;

    content->holds =
        wry_boot_header_get(&content->header, bytes) && content->header.body_length <= room
            ? WRY_HOLDS_PROGRAM
            : WRY_HOLDS_DAMAGED_PROGRAM;
}

/* The board's region table was already read for its layout. */
static enum wry_holds judge_table(const struct looking *l, const struct wry_region *region)
{
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
    struct wry_region_table table;

    return l->table_is_valid ||
                   (flash_reader_read(l->reader, region->offset, bytes, sizeof bytes) &&
                    wry_region_table_get(&table, bytes, sizeof bytes))
               ? WRY_HOLDS_TABLE
               : WRY_HOLDS_DAMAGED_TABLE;
}

static void judge(const struct looking *l, struct wry_content_of *content, const uint8_t *bytes)
{
    static const uint8_t table_magic[] = {'W', 'R', 'Y', 'R'};

    if (wry_boot_header_present(bytes))
        judge_program(content, bytes);
    else if (memcmp(bytes, table_magic, sizeof table_magic) == 0)
        content->holds = judge_table(l, &content->region);
    else if (memcmp(bytes + TAR_MAGIC_AT, "ustar", 5) == 0)
        content->holds = WRY_HOLDS_ARCHIVE;
    else
        content->holds = wry_bytes_blank(bytes, LOOKED_AT) ? WRY_HOLDS_BLANK : WRY_HOLDS_OTHER;
}

static bool look(struct looking *l, const struct wry_region *region)
{
    struct wry_content_of *content = g_new0(struct wry_content_of, 1);
    uint8_t bytes[LOOKED_AT];

    content->region = *region;
    g_ptr_array_add(l->contents, content);
    if (region->kind == WRY_REGION_SETTINGS && !look_at_settings(l, content))
        return may_be_unread(l, content);
    if (content->holds != WRY_HOLDS_UNREAD)
        return true;
    if (!flash_reader_read(l->reader, region->offset, bytes, sizeof bytes))
        return may_be_unread(l, content);
    judge(l, content, bytes);
    return true;
}

static void find_on_shelf(const struct looking *l, struct wry_content_of *content,
                          const uint8_t body[WRY_SHA256_SIZE])
{
    for (guint i = 0; l->items && i < l->items->len && !content->on_shelf; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(l->items, i);
        if (!item->is_table && memcmp(item->body_sha256, body, WRY_SHA256_SIZE) == 0)
            content->on_shelf = shelf_items_title(item);
    }
}

static bool check_digest(const struct looking *l, struct wry_content_of *content)
{
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    uint32_t body = content->region.offset + WRY_BOOT_HEADER_SIZE;
    uint32_t length = content->header.body_length;

    if (!flash_reader_digest(l->reader, body, length, ours) ||
        !flash_reader_read(l->reader, body + length, theirs, sizeof theirs))
        return may_be_unread(l, content);
    content->digest = memcmp(ours, theirs, sizeof ours) == 0 ? WRY_DIGEST_FITS : WRY_DIGEST_DIFFERS;
    if (content->digest == WRY_DIGEST_FITS)
        find_on_shelf(l, content, ours);
    return true;
}

/* Learns from it how long the board takes at most: the round trips are in it. */
static bool check_timed(struct looking *l, struct wry_content_of *content)
{
    const struct wry_station *station = l->reader->station;
    uint64_t begun = station ? station_now(station) : 0;
    bool checked = check_digest(l, content);

    if (!checked || !station || content->header.body_length == 0)
        return checked;
    uint64_t taken = station_now(station) - begun;
    uint64_t each = taken * DIGEST_MARGIN / content->header.body_length;
    l->digest_time = CLAMP(each, DIGEST_LEAST, l->digest_time);
    return checked;
}

static int by_length(const void *a, const void *b)
{
    const struct wry_content_of *x = *(struct wry_content_of *const *)a;
    const struct wry_content_of *y = *(struct wry_content_of *const *)b;

    return x->header.body_length < y->header.body_length   ? -1
           : x->header.body_length > y->header.body_length ? 1
                                                           : 0;
}

static bool has_time(const struct looking *l, const struct wry_content_of *content)
{
    uint64_t needed = content->header.body_length * l->digest_time / 1000;

    return l->all || l->reader->archive ||
           station_now(l->reader->station) + needed <= l->begun + LOOK_TIME;
}

/* The shortest first, so that most are checked in the time allowed. */
static bool check_digests(struct looking *l)
{
    g_autoptr(GPtrArray) programs = g_ptr_array_new();

    for (guint i = 0; i < l->contents->len; i++) {
        struct wry_content_of *content = g_ptr_array_index(l->contents, i);
        if (content->holds == WRY_HOLDS_PROGRAM)
            g_ptr_array_add(programs, content);
    }
    g_ptr_array_sort(programs, by_length);
    for (guint i = 0; i < programs->len; i++) {
        struct wry_content_of *content = g_ptr_array_index(programs, i);
        if (has_time(l, content) && !check_timed(l, content))
            return false;
    }
    return true;
}

static int by_offset(const void *a, const void *b)
{
    const struct wry_region *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

bool contents_look(struct flash_reader *reader, const struct wry_region_table *layout,
                   bool table_is_valid, bool all, const GPtrArray *items, GPtrArray **contents)
{
    struct wry_region_table sorted = *layout;
    struct looking l = {
        .reader = reader, .table_is_valid = table_is_valid, .all = all, .items = items};

    l.begun = reader->station ? station_now(reader->station) : 0;
    l.digest_time = DIGEST_TIME;
    *contents = l.contents = g_ptr_array_new_with_free_func(free_content);
    qsort(sorted.regions, sorted.count, sizeof sorted.regions[0], by_offset);
    for (uint32_t i = 0; i < sorted.count; i++) {
        if (!look(&l, &sorted.regions[i]))
            return false;
    }
    return check_digests(&l);
}
