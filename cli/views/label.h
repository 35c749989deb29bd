/*
 * Labels that can be stuck on a board: who it is, its address as text and QR code, what it was
 * given and when. They are SVG, in millimetres, by the template label.svg or by one of the user's
 * (docs/ledger.md).
 */
#pragma once

#include <glib.h>

#include "wrytograph-host/ledger.h"

/* The label for a run that passed. template: the text of a user's template; NULL: label.svg. Free
 * with g_free. NULL with error if the template is faulty. */
char *label_svg(const struct wry_ledger_run *run, const char *template, GError **error);
