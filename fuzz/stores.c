#include "stores.h"

#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "rows.h"
#include "store/file/folder.h"
#include "store/journal/journal.h"
#include "store/ledger/ledger.h"
#include "store/shelf/backups.h"
#include "store/shelf/known_index.h"
#include "store/shelf/shelf_store.h"
#include "wrytograph/chip.h"

static const uint8_t address[WRY_EUI48_SIZE] = {2, 0, 0, 0, 0, 1};

void stores_try(const char *file, const uint8_t *bytes, size_t n, struct door_input *changes,
                void (*use)(const char *folder))
{
    static unsigned number;
    g_autofree char *folder = g_strdup_printf("%s/%u", door_folder(), number);
    g_autofree char *name = g_strdup_printf("%u/%s", number++, file);

    MUST(g_mkdir(folder, 0700) == 0);
    const char *path = door_file(name, bytes, n);
    if (changes)
        rows_change(path, changes);
    use(folder);
    folder_remove(folder);
}

static bool intend(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    (void)offset;
    memset(to, 0x5A, n);
    return true;
}

static void keep(struct journal *journal)
{
    static struct wry_journal_sector kept, old;
    static uint8_t intended[WRY_SECTOR_SIZE];
    const struct wry_span span = {.start = 0x4000, .end = 0x6000};
    struct wry_reader shall_be = {.read = intend};
    const struct wry_journal *callbacks = journal_callbacks(journal);
    GArray *stretches = NULL;

    if (!journal_unsettled(journal, &stretches))
        MUST(journal_problem(journal) != NULL);
    g_array_unref(stretches);
    callbacks->unsettled(callbacks->context, 0, 0x400000);
    if (callbacks->saved(callbacks->context, &old, intended) == WRY_KEPT_YES)
        MUST(old.from < old.to && old.to <= WRY_SECTOR_SIZE);
    kept = (struct wry_journal_sector){.offset = 0x4000, .from = 0, .to = WRY_SECTOR_SIZE};
    if (!callbacks->begin(callbacks->context, &span, &kept, 1, &shall_be))
        return;
    MUST(callbacks->unsettled(callbacks->context, 0x5000, 1) != WRY_KEPT_NO);
    if (callbacks->end(callbacks->context, &span))
        MUST(callbacks->unsettled(callbacks->context, 0x5000, 1) != WRY_KEPT_YES);
    /* And leaves one. */
    callbacks->begin(callbacks->context, &span, &kept, 1, &shall_be);
}

void stores_use_journal(const char *folder)
{
    struct wry_hello_reply board = {.chip_code = 0x7402, .capacity = 0x400000, .jedec = {1, 2, 22}};
    g_autoptr(GError) error = NULL, other = NULL;
    struct journal *journal = NULL;

    memcpy(board.eui48, address, sizeof address);
    if (journal_open_to_look(folder, (struct wry_stop){0}, &journal, &other))
        MUST(other == NULL);
    else
        MUST(other != NULL && journal == NULL);
    if (journal)
        journal_close(journal);
    journal = journal_open(folder, (struct wry_stop){0}, &error);
    MUST((journal != NULL) == (error == NULL));
    if (!journal)
        return;
    journal_set_board(journal, &board);
    keep(journal);
    journal_close(journal);
}

static bool on_spot(void *context, const struct known_spot *spot)
{
    struct known_index *index = context;

    MUST(spot->path != NULL && (spot->kind == KNOWN_PLAIN || spot->kind == KNOWN_ARCHIVE));
    known_index_drop(index, spot->file);
    return true;
}

void stores_use_known(const char *folder)
{
    static const struct known_sector sectors[] = {{.sum = 1, .at = 0}, {.sum = 2, .at = 4096}};
    g_autoptr(GError) error = NULL;
    struct known_index *index = known_index_open(folder, (struct wry_stop){0}, &error);

    MUST((index != NULL) == (error == NULL));
    if (!index)
        return;
    for (uint64_t sum = 0; sum < 4; sum++)
        known_index_find(index, sum, on_spot, index);
    known_index_add(index, "/pier/gauge.bin", KNOWN_PLAIN, sectors, 2);
    known_index_find(index, 1, on_spot, index);
    known_index_add(index, "/pier/gauge.zip", KNOWN_ARCHIVE, sectors, 2);
    known_index_close(index);
}

static bool take_row(void *context, const struct wry_ledger_run *run)
{
    guint *rows = context;

    MUST(run->id != NULL && run->kind != NULL && run->began != NULL && run->outcome != NULL);
    return ++*rows < 100;
}

void stores_use_ledger(const char *folder)
{
    struct wry_ledger_filter all = {0}, passed = {.outcome = "passed", .brief = true};
    g_autofree char *path = g_build_filename(folder, "ledger.db", NULL);
    g_autoptr(GError) error = NULL, unread = NULL, unwritten = NULL;
    guint rows = 0;
    struct wry_ledger *ledger = wry_ledger_open(path, &error);

    MUST((ledger != NULL) == (error == NULL));
    if (!ledger)
        return;
    MUST(wry_ledger_each(ledger, &all, take_row, &rows, &unread) == (unread == NULL));
    wry_ledger_each(ledger, &passed, take_row, &rows, NULL);
    wry_ledger_waiting(ledger);
    struct wry_ledger_run *run = ledger_run_new("write");
    g_free(run->outcome);
    run->outcome = g_strdup("passed");
    MUST(ledger_end(ledger, run, &unwritten) == (unwritten == NULL));
    wry_ledger_run_free(run);
    wry_ledger_close(ledger);
}

/* Each is judged for each chip, and the first is preferred and taken away. */
static void use_items(struct shelf *shelf, const GPtrArray *items)
{
    static const struct wry_region_table layout = {
        .count = 2,
        .regions = {{.name = "start", .kind = WRY_REGION_START, .offset = 0x4000, .length = 0x4000},
                    {.name = "app", .kind = WRY_REGION_APP, .offset = 0x40000, .length = 0x10000}}};

    for (guint i = 0; i < items->len; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(items, i);
        const struct wry_region *region = NULL;
        MUST(item->path && item->name && item->version && item->file && item->added);
        for (size_t c = 0; wry_chip_at(c); c++) {
            if (wry_shelf_judge(item, wry_chip_at(c), 0x400000, &layout, &region) == WRY_SHELF_FITS)
                MUST(region >= layout.regions && region < layout.regions + layout.count);
        }
    }
    if (items->len > 0) {
        shelf_prefer(shelf, g_ptr_array_index(items, 0), NULL);
        shelf_remove(shelf, g_ptr_array_index(items, 0), NULL);
    }
}

void stores_use_shelf(const char *folder)
{
    g_autofree char *image = g_build_filename(folder, "gauge.bin", NULL);
    struct wry_shelf_item item = {
        .name = "tide-gauge", .version = "2.3.1", .file = "gauge.bin", .size = 4, .kind = 2};
    g_autoptr(GError) error = NULL, unread = NULL, unwritten = NULL;
    bool had = false;

    MUST(g_file_set_contents(image, "tide", 4, NULL));
    struct shelf *shelf = shelf_open(folder, (struct wry_stop){0}, &error);
    MUST((shelf != NULL) == (error == NULL));
    if (!shelf)
        return;
    GPtrArray *items = shelf_items(shelf, &unread);
    MUST((items != NULL) == (unread == NULL));
    if (items) {
        use_items(shelf, items);
        g_ptr_array_unref(items);
    }
    MUST(shelf_keep(shelf, image, &item, &had, &unwritten) == (unwritten == NULL));
    g_free(item.path);
    g_free(item.added);
    shelf_close(shelf);
}

void stores_use_backups(const char *folder)
{
    static const uint8_t sha256[WRY_SHA256_SIZE] = {1};
    g_autofree char *path = g_build_filename(folder, "gauge.zip", NULL);
    uint8_t owner[WRY_EUI48_SIZE];
    g_autoptr(GError) error = NULL, unread = NULL, unfound = NULL, unwritten = NULL;
    struct backups_found found = {0};
    bool known = false;

    MUST(g_file_set_contents(path, "tide", 4, NULL));
    struct backups *backups = backups_open(folder, folder, (struct wry_stop){0}, &error);
    MUST((backups != NULL) == (error == NULL));
    if (!backups)
        return;
    MUST(backups_find(backups, address, 0x400000, &found, &unread) == (unread == NULL));
    MUST(!found.any || (found.path && found.created));
    g_free(found.path);
    g_free(found.created);
    MUST(backups_owner(backups, sha256, &known, owner, &unfound) == (unfound == NULL));
    struct archive *archive = archive_new();
    memcpy(archive->eui48, address, sizeof address);
    archive->flash_size = 0x400000;
    MUST(backups_note(backups, path, archive, &unwritten) == (unwritten == NULL));
    archive_close(archive);
    backups_scan(backups, (struct wry_stop){0}, NULL, NULL);
    backups_close(backups);
}
