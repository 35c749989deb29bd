/* What a file contains: lines, and members of the document. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/inspect.h"

void inspection_show(const struct app *app, const struct wry_inspection *inspection);
