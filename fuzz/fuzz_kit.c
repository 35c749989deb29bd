/* Any file as a kit: refused with a reason, or unpacked within a folder that goes with it. */
#include <glib.h>
#include <string.h>

#include "door.h"
#include "store/card/kit.h"
#include "zip_made.h"

/* Files in the folder for temporary ones. */
static unsigned temporary(void)
{
    GDir *dir = g_dir_open(door_folder(), 0, NULL);
    unsigned n = 0;

    MUST(dir != NULL);
    while (g_dir_read_name(dir))
        n++;
    g_dir_close(dir);
    return n;
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    g_autoptr(GError) error = NULL;
    const char *path = zip_made("kit.zip", bytes, n);

    kit_is_one(path);
    unsigned before = temporary();
    struct kit *kit = kit_open(path, NULL, &error);
    MUST((kit != NULL) == (error == NULL));
    if (kit) {
        MUST(g_str_has_prefix(kit_card(kit), door_folder()) && strlen(kit_digest(kit)) == 64);
        for (guint i = 0; i < kit_files(kit)->len; i++) {
            const struct kit_file *file = g_ptr_array_index(kit_files(kit), i);
            g_autofree char *found = kit_find(kit, file->written);
            MUST(found != NULL && g_str_has_prefix(found, door_folder()));
        }
    }
    kit_close(kit);
    MUST(temporary() == before);
    return 0;
}
