/* Any text as a chip file: refused with a reason, or a chip whose layouts stand, and that reads the
 * same when it is written. */
#include <glib.h>
#include <string.h>

#include "chips/chip_check.h"
#include "chips/chip_file.h"
#include "door.h"
#include "wrytograph/layout.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    g_autoptr(GError) error = NULL;
    const struct wry_chip *chip = chip_file_load(door_file("chip.yaml", bytes, n), &error);

    if (!chip) {
        MUST(error != NULL && g_utf8_validate(error->message, -1, NULL));
        return 0;
    }
    g_autofree char *wrong = NULL;
    MUST(chip_check(chip, &wrong) == CHIP_FINE);
    struct wry_region_table layout;
    uint32_t which = 0, other = 0;
    if (wry_layout_built_in(&layout, chip, chip->flash_max))
        MUST(wry_layout_check(&layout, chip->flash_max, &which, &other) == WRY_LAYOUT_FINE);
    g_autofree char *text = chip_file_text(chip);
    MUST(chip_file_load(door_file("chip.yaml", (const uint8_t *)text, strlen(text)), NULL) == chip);
    return 0;
}
