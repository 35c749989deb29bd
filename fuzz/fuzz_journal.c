/* Any file as a journal: an error that is told, or one that keeps what it is given. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "door.h"
#include "store/folder.h"
#include "store/journal.h"

static bool intend(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    (void)offset;
    memset(to, 0x5A, n);
    return true;
}

static void use(struct journal *journal)
{
    static struct wry_kept_sector kept, old;
    static uint8_t intended[WRY_SECTOR_SIZE];
    const struct wry_hello_reply board = {.eui48 = {2, 0, 0, 0, 0, 1},
                                          .chip_code = 0x7402,
                                          .capacity = 0x400000,
                                          .jedec = {1, 2, 22}};
    const struct wry_run run = {.start = 0x4000, .end = 0x6000};
    struct wry_reader shall_be = {.read = intend};

    journal_set_board(journal, &board);
    const struct wry_keeper *keeper = journal_keeper(journal);
    GArray *stretches = NULL;
    if (journal_unsettled(journal, &stretches))
        g_array_unref(stretches);
    else
        MUST(journal_problem(journal) != NULL);
    keeper->unsettled(keeper->context, 0, 0x400000);
    if (keeper->saved(keeper->context, &old, intended) == WRY_KEPT_YES)
        MUST(old.from < old.to && old.to <= WRY_SECTOR_SIZE);
    kept = (struct wry_kept_sector){.offset = 0x4000, .from = 0, .to = WRY_SECTOR_SIZE};
    if (!keeper->begin(keeper->context, &run, &kept, 1, &shall_be))
        return;
    MUST(keeper->unsettled(keeper->context, 0x5000, 1) != WRY_KEPT_NO);
    if (keeper->end(keeper->context, &run))
        MUST(keeper->unsettled(keeper->context, 0x5000, 1) != WRY_KEPT_YES);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    /* A process looks at a file once: each input is one of its own. */
    static unsigned number;
    g_autofree char *folder = g_strdup_printf("%s/%u", door_folder(), number++);
    g_autofree char *name = g_strdup_printf("%u/journal.db", number - 1);
    g_autofree char *gone = g_strdup_printf("%s/%u", door_folder(), number - 2);
    g_autoptr(GError) error = NULL, other = NULL;
    struct journal *journal = NULL;

    folder_remove(gone);
    MUST(g_mkdir(folder, 0700) == 0);
    door_file(name, bytes, n);
    if (journal_open_to_look(folder, (struct wry_stop){0}, &journal, &other))
        MUST(other == NULL);
    else
        MUST(other != NULL && journal == NULL);
    if (journal)
        journal_close(journal);
    journal = journal_open(folder, (struct wry_stop){0}, &error);
    MUST((journal != NULL) == (error == NULL));
    if (!journal)
        return 0;
    use(journal);
    journal_close(journal);
    return 0;
}
