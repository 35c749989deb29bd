/* Any text as one of the smaller files: steps, settings, their description, a table of boards. The
 * first byte says which. */
#include <glib.h>
#include <string.h>

#include "base/diagnostics.h"
#include "door.h"
#include "store/card/board_table.h"
#include "store/image/settings_description.h"
#include "store/image/settings_file.h"
#include "store/image/steps_file.h"
#include "store/text/csv_table.h"

static void steps_hold(const char *path)
{
    g_autoptr(GError) error = NULL;
    GPtrArray *steps = wry_console_steps_load(path, &error);

    MUST((steps != NULL) == (error == NULL));
    steps_file_is_one(path);
    if (steps)
        g_ptr_array_unref(steps);
}

static void settings_hold(const char *path)
{
    static uint8_t block[WRY_SETTINGS_BLOCK_MAX];
    g_autoptr(GError) error = NULL, other = NULL;
    struct settings *settings = settings_load(path, &error);
    GPtrArray *references = settings_references(path, &other);
    struct wry_settings_head head;

    MUST((settings != NULL) == (error == NULL) && (references != NULL) == (other == NULL));
    if (references)
        g_ptr_array_unref(references);
    if (!settings)
        return;
    size_t n = settings_make(settings, 1, block, sizeof block);
    if (n > 0) {
        MUST(wry_settings_get(&head, block, n) && head.count == settings_count(settings));
    }
    settings_free(settings);
}

static void description_holds(const char *path)
{
    g_autoptr(GError) error = NULL;
    struct settings_description *read = settings_description_load(path, &error);

    MUST((read != NULL) == (error == NULL));
    for (guint i = 0; i < settings_description_count(read); i++) {
        const struct settings_rule *rule = settings_description_at(read, i);
        MUST(rule->type != 0 && settings_description_find(read, rule->key) == rule);
    }
    settings_description_free(read);
}

static void table_holds(const char *path)
{
    g_autoptr(GPtrArray) mistakes = diagnostics_new();
    g_autoptr(GError) error = NULL;
    struct csv_table *table = csv_table_load(path, &error);

    board_table_check(path, CARD_ROWS_NEXT, mistakes);
    MUST((table != NULL) == (error == NULL));
    if (!table)
        return;
    csv_table_column(table, "address");
    MUST(csv_table_save(table, &error));
    struct csv_table *again = csv_table_load(path, &error);
    MUST(again != NULL && again->rows->len == table->rows->len);
    for (guint i = 0; i < table->rows->len; i++) {
        guint columns = ((const GArray *)g_ptr_array_index(table->rows, i))->len;
        for (guint k = 0; k < columns; k++)
            MUST(strcmp(csv_table_at(table, i, (int)k), csv_table_at(again, i, (int)k)) == 0);
    }
    csv_table_free(table);
    csv_table_free(again);
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    if (n == 0)
        return 0;
    switch (bytes[0] % 4) {
    case 0:
        steps_hold(door_file("steps.yaml", bytes + 1, n - 1));
        break;
    case 1:
        settings_hold(door_file("settings.yaml", bytes + 1, n - 1));
        break;
    case 2:
        description_holds(door_file("described.yaml", bytes + 1, n - 1));
        break;
    default:
        table_holds(door_file("boards.csv", bytes + 1, n - 1));
    }
    return 0;
}
