/* Any text as a description inside a backup, or as the list of a kit: refused with a reason, or
 * written and read again as it was. The first byte says which. */
#include <string.h>

#include "door.h"
#include "store/archive/archive.h"
#include "store/archive/archive_json.h"
#include "store/card/kit_list.h"

static void description_holds(const char *text, size_t n)
{
    g_autoptr(GError) error = NULL;
    struct archive *had = archive_new(), *has = archive_new();

    if (archive_json_read(had, text, (gssize)n, "board.json", &error)) {
        g_autofree char *again = archive_json_write(had);
        MUST(archive_json_read(has, again, (gssize)strlen(again), "again", &error));
        MUST(has->ranges->len == had->ranges->len && has->flash_size == had->flash_size &&
             has->chip_code == had->chip_code && has->layout.count == had->layout.count);
    } else {
        MUST(error != NULL && g_utf8_validate(error->message, -1, NULL));
    }
    archive_close(had);
    archive_close(has);
}

static void list_holds(const char *text, size_t n)
{
    g_autoptr(GError) error = NULL;
    struct kit_list *had = kit_list_read(text, n, "kit.json", &error);

    MUST((had != NULL) == (error == NULL));
    if (!had)
        return;
    g_autofree char *again = kit_list_write(had);
    struct kit_list *has = kit_list_read(again, strlen(again), "again", &error);
    MUST(has != NULL && has->entries->len == had->entries->len);
    kit_list_free(had);
    kit_list_free(has);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    if (n < 1)
        return 0;
    /* Behind a text that came out of a file there is a NUL. */
    g_autofree char *text = g_strndup((const char *)bytes + 1, n - 1);
    if (bytes[0] % 2)
        description_holds(text, n - 1);
    else
        list_holds(text, n - 1);
    return 0;
}
