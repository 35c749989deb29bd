/* What a file contains: lines, and members of the document. */
#ifndef WRY_CLI_INSPECTION_H
#define WRY_CLI_INSPECTION_H

#include "app/app.h"
#include "wrytograph-host/inspect.h"

void inspection_show(const struct app *app, const struct wry_inspection *inspection);

#endif
