/* Any text as a job card: mistakes with their places, or a card that is whole. */
#include <string.h>

#include "base/diagnostics.h"
#include "door.h"
#include "store/card/card_data.h"

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    g_autoptr(GPtrArray) mistakes = diagnostics_new();
    g_autoptr(GError) error = NULL;
    const char *path = door_file("card.yaml", bytes, n);

    card_is_one(path);
    struct card *card = card_load(path, NULL, mistakes, &error);
    MUST((card != NULL) == (error == NULL));
    for (guint i = 0; i < mistakes->len; i++) {
        const struct wry_diagnostic *mistake = g_ptr_array_index(mistakes, i);
        MUST(mistake->text != NULL && g_utf8_validate(mistake->text, -1, NULL));
    }
    if (card && mistakes->len == 0) {
        MUST(card->name != NULL && card->chip != NULL);
        for (guint i = 0; i < card->placements->len; i++) {
            const struct card_placement *placement = g_ptr_array_index(card->placements, i);
            MUST(placement->variants->len > 0);
            card_variant_for(placement, 0x400000);
        }
    }
    card_free(card);
    return 0;
}
