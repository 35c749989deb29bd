/* Any file as a ledger: an error that is told, or one whose rows have what every row has, and that
 * takes one more. */
#include <glib.h>
#include <glib/gstdio.h>

#include "door.h"
#include "store/folder.h"
#include "store/ledger.h"

static bool take_row(void *context, const struct wry_ledger_run *run)
{
    guint *rows = context;

    MUST(run->id != NULL && run->kind != NULL && run->began != NULL && run->outcome != NULL);
    return ++*rows < 100;
}

static void use(struct wry_ledger *ledger)
{
    struct wry_ledger_filter all = {0}, passed = {.outcome = "passed", .brief = true};
    g_autoptr(GError) error = NULL, other = NULL;
    guint rows = 0;

    MUST(wry_ledger_each(ledger, &all, take_row, &rows, &error) == (error == NULL));
    wry_ledger_each(ledger, &passed, take_row, &rows, NULL);
    wry_ledger_waiting(ledger);
    struct wry_ledger_run *run = ledger_run_new("write");
    g_free(run->outcome);
    run->outcome = g_strdup("passed");
    MUST(ledger_end(ledger, run, &other) == (other == NULL));
    wry_ledger_run_free(run);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static unsigned number;
    g_autofree char *folder = g_strdup_printf("%s/%u", door_folder(), number++);
    g_autofree char *name = g_strdup_printf("%u/ledger.db", number - 1);
    g_autoptr(GError) error = NULL;

    MUST(g_mkdir(folder, 0700) == 0);
    struct wry_ledger *ledger = wry_ledger_open(door_file(name, bytes, n), &error);
    MUST((ledger != NULL) == (error == NULL));
    if (ledger)
        use(ledger);
    wry_ledger_close(ledger);
    folder_remove(folder);
    return 0;
}
