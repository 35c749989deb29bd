/* What the verbs that work with archives share. */
#include "archives.h"

#include <string.h>

#include "link.h"
#include "store/units.h"

static bool read_range(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return archive_range_read(context, offset, to, n);
}

struct wry_placement archives_placement(struct archive_range *range)
{
    return (struct wry_placement){.offset = range->offset,
                                  .length = range->length,
                                  .reader = {.context = range, .read = read_range},
                                  .label = range};
}

int archives_check_flash(struct app *app, const struct archive *archive, const char *path)
{
    const struct wry_chip *made_on = wry_chip_by_code(archive->chip_code);
    const struct wry_chip *found = link_chip(app);

    if (archive->chip_code != app->session.board.chip_code)
        return app_fail(app, EXIT_WRONG, "Nothing was changed.",
                        "%s comes from a %s, this board has a %s", path,
                        made_on ? made_on->title : "chip unknown here",
                        found ? found->title : "chip unknown here");
    if (archive->flash_size != app->session.board.capacity) {
        g_autofree char *wanted = units_flash_size(archive->flash_size);
        g_autofree char *size = units_flash_size(app->session.board.capacity);
        return app_fail(app, EXIT_WRONG, "Nothing was changed.",
                        "%s comes from a board with %s of flash, this one has %s", path, wanted,
                        size);
    }
    return EXIT_DONE;
}

bool archives_same_board(const struct app *app, const struct archive *archive)
{
    return memcmp(archive->eui48, app->session.board.eui48, WRY_EUI48_SIZE) == 0;
}

void archives_note_other_board(struct app *app, const struct archive *archive)
{
    g_autofree char *theirs = units_address(archive->eui48);
    g_autofree char *ours = units_address(app->session.board.eui48);

    if (!archives_same_board(app, archive))
        app_note(app, "Note: the archive comes from board %s, this is %s.", theirs, ours);
}
