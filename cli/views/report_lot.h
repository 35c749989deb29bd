/* The lots of the report page: how far each is, how quickly, by whom, what failed, and a drawing of
 * its boards over time. */
#pragma once

#include <json-glib/json-glib.h>

#include "wrytograph-host/lot.h"

struct report_lot;

/* name: of the lot. Free with report_lot_free. */
struct report_lot *report_lot_new(const char *name);
void report_lot_free(struct report_lot *lot);
const char *report_lot_name(const struct report_lot *lot);

/* Adds a run of this lot; the latest come first. */
void report_lot_take(struct report_lot *lot, const struct wry_ledger_run *run);

/* The template's data as an object. state: the lot by its card, with the number of boards; NULL if
 * no card is known. */
void report_lot_add(JsonBuilder *data, const struct report_lot *lot, const struct wry_lot *state);

/* "at write: the link was lost", without the link's name, so that equal causes are counted
 * together. Free with g_free. */
char *report_lot_cause(const struct wry_ledger_run *run);
