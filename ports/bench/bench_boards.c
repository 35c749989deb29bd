/* The public interface of the bench: boards by name, faults and buttons as words. */
#include <string.h>

#include "bench_folder.h"
#include "buttons.h"
#include "fault_text.h"

void wry_bench_board_clear(struct wry_bench_board *board)
{
    g_clear_pointer(&board->faults, g_free);
}

gboolean wry_bench_add(const char *folder, const char *name, struct wry_bench_board *board,
                       const char *content, GError **error)
{
    struct bench_description description = {.chip = board->chip,
                                            .revision = board->revision,
                                            .wiring =
                                                board->wiring ? board->wiring : wry_wiring_at(0),
                                            .flash_size = board->flash_size};

    bench_make_address(name, description.eui48);
    memcpy(board->eui48, description.eui48, sizeof board->eui48);
    return bench_add(folder, name, &description, content, error);
}

char **wry_bench_list(const char *folder, GError **error)
{
    return bench_list(folder, error);
}

gboolean wry_bench_load(const char *folder, const char *name, struct wry_bench_board *board,
                        GError **error)
{
    struct bench_description description;

    if (!bench_load(folder, name, &description, error))
        return FALSE;
    *board = (struct wry_bench_board){.chip = description.chip,
                                      .revision = description.revision,
                                      .wiring = description.wiring,
                                      .flash_size = description.flash_size,
                                      .faults = fault_text_describe(&description.faults)};
    memcpy(board->eui48, description.eui48, sizeof board->eui48);
    return TRUE;
}

gboolean wry_bench_set_faults(const char *folder, const char *name, const char *const *faults,
                              GError **error)
{
    struct bench_description description;

    if (!bench_load(folder, name, &description, error))
        return FALSE;
    for (const char *const *text = faults; *text; text++) {
        if (!fault_text_parse(*text, &description.faults)) {
            g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_FAULT, "'%s' is not a fault",
                        *text);
            return FALSE;
        }
    }
    return bench_save(folder, name, &description, error);
}

gboolean wry_bench_press(const char *folder, const char *name, const char *const *what,
                         enum wry_bench_button *boot, GError **error)
{
    struct bench_description description;
    g_autofree char *home = g_build_filename(folder, name, NULL);

    if (!bench_load(folder, name, &description, error))
        return FALSE;
    for (; *what; what++) {
        if (!buttons_press(home, *what, error))
            return FALSE;
    }
    struct buttons now = buttons_read(home);
    *boot = now.boot  ? WRY_BENCH_BUTTON_HELD
            : now.due ? WRY_BENCH_BUTTON_HELD_ONCE
                      : WRY_BENCH_BUTTON_RELEASED;
    return TRUE;
}

gboolean wry_bench_remove(const char *folder, const char *name, GError **error)
{
    return bench_remove(folder, name, error);
}
