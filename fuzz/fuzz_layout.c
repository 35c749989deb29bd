/* Any text as a layout file: refused with a reason, or a layout that stands. */
#include <glib.h>

#include "door.h"
#include "store/image/layout_file.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static const uint32_t sizes[] = {0, 0x100000, 0x400000, 0x2000000};
    const char *path = door_file("layout.yaml", bytes, n);

    for (size_t i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        struct layout_file file = {0};
        g_autoptr(GError) error = NULL;
        uint32_t which = 0, other = 0;
        if (!layout_file_load(path, sizes[i], &file, &error)) {
            MUST(error != NULL && g_utf8_validate(error->message, -1, NULL));
            continue;
        }
        MUST(file.layout.count > 0 && file.layout.count <= WRY_REGION_MAX);
        if (sizes[i] > 0)
            MUST(wry_layout_check(&file.layout, sizes[i], &which, &other) == WRY_LAYOUT_FINE);
    }
    return 0;
}
