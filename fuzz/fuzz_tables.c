/* A store that was sound, and whose rows and rules somebody has changed. */
#include <glib.h>
#include <glib/gstdio.h>

#include "door.h"
#include "stores.h"

static const struct {
    const char *file;
    void (*use)(const char *folder);
} stores[] = {
    {"journal.db", stores_use_journal}, {"known.db", stores_use_known},
    {"ledger.db", stores_use_ledger},   {"shelf.db", stores_use_shelf},
    {"backups.db", stores_use_backups},
};

/* The file of a store that has been used once. */
static const char *sound_file(unsigned which, gsize *n)
{
    static char *files[G_N_ELEMENTS(stores)];
    static gsize sizes[G_N_ELEMENTS(stores)];

    if (!files[which]) {
        g_autofree char *folder = g_strdup_printf("%s/sound-%u", door_folder(), which);
        g_autofree char *path = g_build_filename(folder, stores[which].file, NULL);
        MUST(g_mkdir(folder, 0700) == 0);
        stores[which].use(folder);
        MUST(g_file_get_contents(path, &files[which], &sizes[which], NULL));
    }
    *n = sizes[which];
    return files[which];
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct door_input input = {.bytes = bytes, .n = n};
    unsigned which = door_byte(&input) % G_N_ELEMENTS(stores);
    gsize length = 0;
    const char *file = sound_file(which, &length);

    stores_try(stores[which].file, (const uint8_t *)file, length, &input, stores[which].use);
    return 0;
}
