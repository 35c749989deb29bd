/* Any file as the index of known content: it can be used, or cannot, and costs nothing else. */
#include <glib.h>
#include <glib/gstdio.h>

#include "door.h"
#include "store/known_index.h"

static bool on_spot(void *context, const struct known_spot *spot)
{
    struct known_index *index = context;

    MUST(spot->path != NULL && (spot->kind == KNOWN_PLAIN || spot->kind == KNOWN_ARCHIVE));
    known_index_drop(index, spot->file);
    return true;
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static const char *const beside[] = {"known.db-wal", "known.db-shm", "known.db-journal"};
    static const struct known_sector sectors[] = {{.sum = 1, .at = 0}, {.sum = 2, .at = 4096}};
    g_autoptr(GError) error = NULL;

    for (size_t i = 0; i < sizeof beside / sizeof beside[0]; i++) {
        g_autofree char *path = g_build_filename(door_folder(), beside[i], NULL);
        g_unlink(path);
    }
    door_file("known.db", bytes, n);
    struct known_index *index = known_index_open(door_folder(), &error);
    MUST((index != NULL) == (error == NULL));
    if (!index)
        return 0;
    for (uint64_t sum = 0; sum < 4; sum++)
        known_index_find(index, sum, on_spot, index);
    known_index_add(index, "/pier/gauge.bin", KNOWN_PLAIN, sectors, 2);
    known_index_find(index, 1, on_spot, index);
    known_index_close(index);
    return 0;
}
