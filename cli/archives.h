/* What the verbs that work with archives share. */
#ifndef WRY_CLI_ARCHIVES_H
#define WRY_CLI_ARCHIVES_H

#include "app.h"
#include "store/archive.h"
#include "wrytograph/plan.h"

/* One range of an archive as a placement; the archive must outlive it. */
struct wry_placement archives_placement(struct archive_range *range);

/* Chip and flash size of the archive against the board. EXIT_DONE or the code of app_fail. */
int archives_check_flash(struct app *app, const struct archive *archive, const char *path);

/* True when the archive is that of this very board. */
bool archives_same_board(const struct app *app, const struct archive *archive);

/* Says so when the archive came from another board. */
void archives_note_other_board(struct app *app, const struct archive *archive);

#endif
