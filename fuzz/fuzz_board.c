/* Any text as a board of the bench: refused with a reason, or one that is saved and loaded again as
 * it was. */
#include <glib.h>
#include <string.h>

#include "bench/board_file.h"
#include "door.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    struct bench_description had = {0}, has = {0};
    g_autoptr(GError) error = NULL;

    if (!board_file_load(door_file("board.yaml", bytes, n), &had, &error)) {
        MUST(error != NULL && g_utf8_validate(error->message, -1, NULL));
        return 0;
    }
    /* Whether it can be built like this is looked at when it is opened. */
    MUST(had.chip != NULL && had.wiring != NULL);
    g_autofree char *again = g_build_filename(door_folder(), "again.yaml", NULL);
    MUST(board_file_save(again, &had, &error));
    MUST(board_file_load(again, &has, &error));
    MUST(has.chip == had.chip && has.wiring == had.wiring && has.flash_size == had.flash_size);
    MUST(memcmp(has.eui48, had.eui48, sizeof has.eui48) == 0);
    MUST(has.faults.noise_ppb == had.faults.noise_ppb &&
         has.faults.latency_ms == had.faults.latency_ms &&
         has.faults.clean_baud == had.faults.clean_baud &&
         has.faults.protect == had.faults.protect);
    return 0;
}
