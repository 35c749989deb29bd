/*
 * The report page: what was done to which board, as one HTML file that needs no network and no
 * script, for the screen, a phone and paper.
 *
 *     struct report *report = report_new();
 *     wry_ledger_each(ledger, &filter, report_take, report, &error);
 *     report_write(report, file, "ledger.db");
 *     report_free(report);
 */
#ifndef WRY_CLI_REPORT_H
#define WRY_CLI_REPORT_H

#include <stdio.h>

#include "wrytograph-host/ledger.h"

struct report;

struct report *report_new(void);
/* A wry_ledger_take; context is the report, runs come the latest first. */
bool report_take(void *report, const struct wry_ledger_run *run);
guint report_count(const struct report *report);
void report_write(struct report *report, FILE *to, const char *ledger);
void report_free(struct report *report);

#endif
